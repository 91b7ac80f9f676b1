"""Records and latch logs in a database. Needs `pip install 'fuse-latch[sql]'`."""

from fuselatch.stores.sql_latches import SqlLatches
from fuselatch.stores.sql_records import SqlRecords

__all__ = ["SqlLatches", "SqlRecords"]
