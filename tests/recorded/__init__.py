"""Figures of the examples as they were worked out and looked at: whoever changes a number sees which
ones move with it.

``WATTIGRAM_RECORD=1 python -m pytest tests/core -k recorded`` writes them anew after a change that is
meant; the difference of the files is then part of the change.
"""
