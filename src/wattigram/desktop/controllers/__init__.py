"""What the window does: one controller for each kind of work."""
