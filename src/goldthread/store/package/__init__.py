"""A whole book as a Frictionless Data Package, and back."""
