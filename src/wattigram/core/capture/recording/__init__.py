"""Streams as channels of values over time, whoever recorded them: read from takes and from files of other tools,
and written for other tools."""

from __future__ import annotations

from typing import TYPE_CHECKING

from wattigram.core.base.lazy_imports import load_from

if TYPE_CHECKING:
    from wattigram.core.capture.recording.channel import Block, Channel, EvenChannel, Recording
    from wattigram.core.capture.recording.exporting import (
        EXPORT_FORMATS,
        Choice,
        ExportFormat,
        Written,
        export_format,
        export_recording,
    )
    from wattigram.core.capture.recording.from_take import recording_of_take
    from wattigram.core.capture.recording.opening import READERS, Reading, open_recording

__all__ = [
    "EXPORT_FORMATS",
    "READERS",
    "Block",
    "Channel",
    "Choice",
    "EvenChannel",
    "ExportFormat",
    "Reading",
    "Recording",
    "Written",
    "export_format",
    "export_recording",
    "open_recording",
    "recording_of_take",
]

_HOMES = {
    "Block": "channel",
    "Channel": "channel",
    "EvenChannel": "channel",
    "Recording": "channel",
    "recording_of_take": "from_take",
    "EXPORT_FORMATS": "exporting",
    "Choice": "exporting",
    "ExportFormat": "exporting",
    "Written": "exporting",
    "export_format": "exporting",
    "export_recording": "exporting",
    "READERS": "opening",
    "Reading": "opening",
    "open_recording": "opening",
}

__getattr__ = load_from(__name__, _HOMES)
