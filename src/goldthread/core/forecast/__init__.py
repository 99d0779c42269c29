"""What customers on record will bring, with its error, and how the same method would have fared in the past."""
