"""The boundary of a session: all that it reads from outside, and all that it writes there, passes through here."""
