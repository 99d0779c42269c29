"""A file becomes typed rows and problems: its text, its columns' meanings, its values."""
