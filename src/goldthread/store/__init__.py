"""The record: books in MariaDB, written in bulk, read back as columns, kept as snapshots beside it."""
