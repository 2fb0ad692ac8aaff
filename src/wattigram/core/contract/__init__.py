"""What board and host agree on: frames, the board's configuration, voltages as numbers, and what an
image holds."""
