"""The engine: how a gesture is carried out, and the session that users of the core see."""
