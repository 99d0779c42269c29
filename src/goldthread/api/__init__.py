"""HTTP: one blueprint per stop, typed requests and responses, problem details for errors."""
