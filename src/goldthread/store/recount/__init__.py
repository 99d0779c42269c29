"""The database counts again, in SQL that shares nothing with the core but the definitions."""
