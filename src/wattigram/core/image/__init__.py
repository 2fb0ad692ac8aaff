"""Compiled firmware as a file: what is loaded where, names of things in it, lines of its source."""

from wattigram.core.image.elf import Image, Segment, Variable, load_image

__all__ = ["Image", "Segment", "Variable", "load_image"]
