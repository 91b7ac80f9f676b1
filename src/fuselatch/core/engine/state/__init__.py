"""The state of a session: its options, its forms, and the gesture that runs."""
