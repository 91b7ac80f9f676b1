"""Where records are kept. For now: in memory, as a stand-in."""
