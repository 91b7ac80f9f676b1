"""How one gesture is carried out: steps, queue, waits, undo, and the session that holds it all."""
