"""What changes the record: deliveries, staging, withdrawals, who is who."""
