"""What a user can do, one function each, behind both the page and the command line."""
