"""Reviewing: reading code, drafting forms from what is there, checking them before they run."""
