"""Rhythm: how many orders people place, how long between them, and who is due."""
