"""The thread of a customer: ranks, gaps, lists of customers and orders, groups of orders."""
