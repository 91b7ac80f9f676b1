"""The core: forms, events, handlers, checks and prompts as a state machine that does no I/O."""
