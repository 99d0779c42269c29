"""The order book: orders sorted once, an immutable slice of parallel arrays for each customer."""
