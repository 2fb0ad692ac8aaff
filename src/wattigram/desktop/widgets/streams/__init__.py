"""Widgets of the Streams page."""
