"""The database: our private one or another, connections, bulk reads, its faults in our words."""
