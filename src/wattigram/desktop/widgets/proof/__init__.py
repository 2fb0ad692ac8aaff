"""Widgets of the Proof page."""
