"""How a take lies in its HDF5 file; ``docs/take-format.md`` describes it for people."""

from __future__ import annotations

import numpy as np

FORMAT = "wattigram-take"
VERSION = 3
FRAME_DTYPE = np.dtype([("first", "<u8"), ("count", "<u4"), ("ticks", "<u8")])
EVENT_DTYPE = np.dtype([("window", "<u2"), ("entered", "u1"), ("value", "<i4"), ("ticks", "<u8")])
GAP_DTYPE = np.dtype([("stream", "<u2"), ("first", "<u8"), ("count", "<u8")])
