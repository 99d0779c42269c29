"""One customer: found by any part of a name, and shown with the whole thread."""
