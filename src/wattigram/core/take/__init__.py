"""Recordings: store, overview for drawing, reading by signal, export."""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from wattigram.core.take.export import export_csv
    from wattigram.core.take.overview import Overview
    from wattigram.core.take.reader import SignalSamples, Take, open_take
    from wattigram.core.take.writer import TakeWriter

__all__ = ["Overview", "SignalSamples", "Take", "TakeWriter", "export_csv", "open_take"]

_HOMES = {
    "export_csv": "export",
    "Overview": "overview",
    "SignalSamples": "reader",
    "Take": "reader",
    "open_take": "reader",
    "TakeWriter": "writer",
}


def __getattr__(name: str) -> Any:
    """Load what is asked for when it is asked for: a window starts without it."""
    if name not in _HOMES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(import_module(f"{__name__}.{_HOMES[name]}"), name)
