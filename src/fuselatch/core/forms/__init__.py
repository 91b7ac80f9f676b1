"""How forms are declared, and the live forms and controls that handlers use."""
