"""What goes over the wire about books and what is done with them."""
