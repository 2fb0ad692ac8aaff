"""Recordings: store, overview for drawing, reading by signal."""

from __future__ import annotations

from typing import TYPE_CHECKING

from wattigram.core.base.lazy_imports import load_from

if TYPE_CHECKING:
    from wattigram.core.capture.take.overview import Overview
    from wattigram.core.capture.take.reader import Take, open_take
    from wattigram.core.capture.take.signal_samples import OutputSamples, SignalSamples
    from wattigram.core.capture.take.writer import TakeWriter

__all__ = [
    "OutputSamples",
    "Overview",
    "SignalSamples",
    "Take",
    "TakeWriter",
    "open_take",
]

_HOMES = {
    "Overview": "overview",
    "OutputSamples": "signal_samples",
    "SignalSamples": "signal_samples",
    "Take": "reader",
    "open_take": "reader",
    "TakeWriter": "writer",
}

__getattr__ = load_from(__name__, _HOMES)
