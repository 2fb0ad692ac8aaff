"""How a take lies in its HDF5 file; ``docs/take-format.md`` describes it for people."""

from __future__ import annotations

from typing import Any

import numpy as np

FORMAT = "wattigram-take"
VERSION = 5
FORMER_WORDS = {
    "samples": "items",
    "build_id": "build_mark",
    "scans_lost": "lost_cycles",
    "source": "window",
}
"""Names of data sets, attributes and columns, and what they were in versions 1 to 3."""
FRAME_DTYPE = np.dtype([("first", "<u8"), ("count", "<u4"), ("ticks", "<u8")])
EVENT_DTYPE = np.dtype([("source", "<u2"), ("entered", "u1"), ("value", "<i4"), ("ticks", "<u8")])
GAP_DTYPE = np.dtype([("stream", "<u2"), ("first", "<u8"), ("count", "<u8")])
FORMER_EVENT_DTYPE = np.dtype(
    [("window", "<u2"), ("entered", "u1"), ("value", "<i4"), ("ticks", "<u8")]
)
"""Of versions 1 to 3."""


def word_in(place: Any, name: str) -> str:
    """What a group's members, an object's attributes or a table's columns have for a name: the name
    itself, or its former word."""
    former = FORMER_WORDS.get(name, name)
    return former if former in place and name not in place else name
