"""The effects of a gesture: its steps, keys, opening and closing forms."""
