"""What stands behind a figure: customers, their orders and threads, and the figure counted again."""
