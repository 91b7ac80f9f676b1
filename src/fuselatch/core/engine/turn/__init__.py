"""Within a gesture: run handlers, wait, undo, ask, set, move the focus."""
