"""Painted widgets and panels that the pages are made of."""
