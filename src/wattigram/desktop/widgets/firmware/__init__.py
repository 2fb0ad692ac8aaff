"""Widgets of the Firmware page."""
