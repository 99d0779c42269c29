"""Two ranges of dates compared, and what made the difference."""
