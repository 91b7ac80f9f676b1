"""Stores: memory, CSV, SQL and workbooks."""
