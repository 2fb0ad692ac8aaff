"""The virtual board with compiled firmware: a processor, registers of the made-up part, and the
silicon around them."""
