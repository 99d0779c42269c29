"""The computation: NumPy and the standard library only; no I/O, no clock, no database, no web."""
