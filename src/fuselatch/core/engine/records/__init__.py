"""Records and lines of a form: show, check, save, write."""
