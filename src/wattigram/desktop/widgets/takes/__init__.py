"""Widgets of the Takes page."""
