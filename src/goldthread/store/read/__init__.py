"""What is read of the record: orders in bulk, details by id, what is known of customers."""
