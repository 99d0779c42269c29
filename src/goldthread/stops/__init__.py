"""What can be asked of a book: a folder for each stop, the same file names in each; nothing here changes a book."""
