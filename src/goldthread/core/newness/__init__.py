"""New and returning orders, customers and revenue."""
