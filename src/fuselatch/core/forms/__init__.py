"""How forms are declared, and the live form and controls that a handler works with."""
