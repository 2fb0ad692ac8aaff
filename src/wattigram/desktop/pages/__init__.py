"""One module for each page of the window."""
