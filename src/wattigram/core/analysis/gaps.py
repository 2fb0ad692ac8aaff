"""Stretches of samples without a gap."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

TOO_LONG = 1.5
"""Of the usual time between samples; a longer one is a gap."""


def longest_stretch(times_s: NDArray[np.float64]) -> slice:
    """The longest stretch in which samples follow each other without a gap.

    Parameters
    ----------
    times_s : (n,) float64, ascending instants of samples that came
    """
    if len(times_s) < 3:
        return slice(0, len(times_s))
    steps = np.diff(times_s)
    breaks = np.flatnonzero(steps > TOO_LONG * float(np.median(steps))) + 1
    edges = np.concatenate(([0], breaks, [len(times_s)]))
    longest = int(np.argmax(np.diff(edges)))
    return slice(int(edges[longest]), int(edges[longest + 1]))
