"""Threads: customers and their orders in lists, figures of orders, pairs, backdated orders."""
