"""The stop Overview: how a book stands, as a short letter whose figures lead to their stops."""
