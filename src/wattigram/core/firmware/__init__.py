"""Firmware of a design: C, written, built, and told apart from an engineer's own."""
