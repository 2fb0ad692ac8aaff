"""Widgets of the Routes page."""
