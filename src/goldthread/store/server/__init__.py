"""The private database: the program, connections, bulk reads, its faults in our words."""
