"""Widgets of the Pins page."""
