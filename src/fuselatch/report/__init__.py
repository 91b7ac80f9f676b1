"""Trace and view in words and as text."""
