"""Widgets of the Wave page."""
