"""Wattigram: analog acquisition chains, designed, run and proved."""

__version__ = "0.2.0"
