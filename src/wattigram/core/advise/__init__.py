"""What is wrong with a design, what mends it, and how two designs differ."""
