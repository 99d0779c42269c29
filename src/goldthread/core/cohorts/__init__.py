"""Cohorts: the table, the figures made of it, groups of customers, and what stands out."""
