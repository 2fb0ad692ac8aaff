"""The command line: one thin command a file; prints text or JSON."""
