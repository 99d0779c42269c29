"""The stop Worth: what customers bring, what winning one may cost, and when that is paid back."""
