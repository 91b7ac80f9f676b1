"""Records and latch logs in a database: what `pip install fuse-latch[sql]` brings."""

from fuselatch.stores.sql_latches import SqlLatches
from fuselatch.stores.sql_records import SqlRecords

__all__ = ["SqlLatches", "SqlRecords"]
