"""The tables and their migrations."""
