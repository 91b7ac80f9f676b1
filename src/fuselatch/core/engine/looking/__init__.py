"""Questions that change nothing: the view, names, refusals, reasons."""
