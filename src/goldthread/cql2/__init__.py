"""Conditions as text: the part of OGC CQL2 (21-065) that a history can be asked."""
