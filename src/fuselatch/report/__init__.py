"""The trace and the view, in words and pictures."""
