"""Gold Thread: order history, read customer by customer."""

__version__ = "0.1.0"
