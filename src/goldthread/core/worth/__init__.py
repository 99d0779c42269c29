"""What customers bring, what winning them may cost, and when that is paid back (``docs/definitions.md``, section 9)."""
