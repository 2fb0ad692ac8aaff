"""What the window knows: document, selection, settings, jobs, recovery."""
