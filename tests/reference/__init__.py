"""Every figure once more: plain Python, written from ``docs/definitions.md``, and held against the program."""
