"""Parts of a book on Dask's distributed scheduler. Loaded where the setting ``compute`` asks for it alone."""
