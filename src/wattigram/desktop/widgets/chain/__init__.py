"""Widgets of the Chain page."""
