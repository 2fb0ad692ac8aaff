"""Wattigram: analog acquisition chains, designed, run and proved."""

__version__ = "0.3.0"
