"""WAV and SigMF: channels of one rate, sample by sample."""

from __future__ import annotations

import json
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np
from numpy.typing import NDArray

from wattigram import __version__
from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording.channel import Channel, Recording
from wattigram.core.capture.recording.exporting import (
    Choice,
    Progress,
    Share,
    Written,
    common_rate,
    new_file,
)
from wattigram.core.capture.recording.sigmf import DATA, META

BLOCK = 1 << 16
LARGEST_RIFF = (1 << 32) - 1024
"""Bytes of samples; larger ones take the long form, RF64."""
MOST_CHANNELS = 65_535


def write_wav(recording: Recording, path: Path, choice: Choice, progress: Progress) -> Written:
    """32-bit floats in the channels' own units, at the nearest whole rate; zero for what never came.

    Raises
    ------
    TakeError
        When WAV cannot hold the rate, or the channels have several.
    """
    channels = choice.channels(recording)
    rate_hz = common_rate(channels, choice, "WAV")
    whole = round(rate_hz)
    if not 1 <= whole < 1 << 32 or len(channels) > MOST_CHANNELS:
        raise TakeError(
            f"WAV holds rates from 1 Hz to 4 GHz and {MOST_CHANNELS} channels, and this has {rate_hz:g} Hz.",
            where=str(path),
            cure="Choose another format.",
        )
    rows = min(end - begin for begin, end in map(choice.numbers, channels))
    missing = 0
    with new_file(path) as new, new.open("wb") as stream:
        _wav_head(stream, rows, len(channels), whole)
        for table in _rows(channels, choice, rows, progress):
            missing += int(np.isnan(table).sum())
            stream.write(np.nan_to_num(table).astype("<f4").tobytes())
    return Written(rows, tuple(_wav_notes(channels, rate_hz, whole, missing)))


def _wav_notes(
    channels: tuple[Channel, ...], rate_hz: float, whole: int, missing: int
) -> Iterator[str]:
    units = sorted({channel.unit for channel in channels if channel.unit})
    if units:
        yield f"Values are in {' and '.join(units)}, and may lie beyond ±1."
    if abs(rate_hz - whole) > 1e-9 * whole:
        yield f"The rate is {rate_hz:.9g} Hz, and WAV says {whole} Hz."
    if len(channels) > 1:
        yield "WAV takes all channels to be sampled at once."
    if missing:
        yield f"{missing} samples never came, and are zero."


def _wav_head(stream: BinaryIO, rows: int, channels: int, rate_hz: int) -> None:
    size = rows * channels * 4
    block = 4 * channels
    form = struct.pack(
        "<4sIHHIIHHH", b"fmt ", 18, 3, channels, rate_hz, rate_hz * block, block, 32, 0
    )
    fact = struct.pack("<4sII", b"fact", 4, min(rows, 0xFFFFFFFF))
    if size <= LARGEST_RIFF:
        stream.write(struct.pack("<4sI4s", b"RIFF", 4 + len(form) + len(fact) + 8 + size, b"WAVE"))
        stream.write(form + fact + struct.pack("<4sI", b"data", size))
        return
    whole = 4 + 36 + len(form) + len(fact) + 8 + size
    stream.write(struct.pack("<4sI4s", b"RF64", 0xFFFFFFFF, b"WAVE"))
    stream.write(struct.pack("<4sIQQQI", b"ds64", 28, whole, size, rows, 0))
    stream.write(form + fact + struct.pack("<4sI", b"data", 0xFFFFFFFF))


def _rows(
    channels: tuple[Channel, ...], choice: Choice, rows: int, progress: Progress
) -> Iterator[NDArray[np.float64]]:
    """(n, channels) at a time; NaN for what never came."""
    share = Share(progress, rows)
    firsts = [choice.numbers(channel)[0] for channel in channels]
    for at in range(0, rows, BLOCK):
        count = min(BLOCK, rows - at)
        blocks = [
            channel.read(first + at, first + at + count)
            for channel, first in zip(channels, firsts, strict=True)
        ]
        yield np.stack([np.where(one.valid, one.values, np.nan) for one in blocks], axis=1)
        share.add(count)


def write_sigmf(recording: Recording, path: Path, choice: Choice, progress: Progress) -> Written:
    """Real 32-bit floats; names and units of channels in an extension; NaN for what never came."""
    channels = choice.channels(recording)
    rate_hz = common_rate(channels, choice, "SigMF")
    rows = min(end - begin for begin, end in map(choice.numbers, channels))
    meta_path, data_path = path.with_suffix(META), path.with_suffix(DATA)
    missing = 0
    with new_file(data_path) as new, new.open("wb") as stream:
        for table in _rows(channels, choice, rows, progress):
            missing += int(np.isnan(table).sum())
            stream.write(table.astype("<f4").tobytes())
    begin_s = float(channels[0].read(*_one(choice.numbers(channels[0]))).times_s[0])
    described: dict[str, Any] = {
        "global": {
            "core:datatype": "rf32_le",
            "core:sample_rate": rate_hz,
            "core:version": "1.0.0",
            "core:num_channels": len(channels),
            "core:recorder": f"Wattigram {__version__}",
            "core:description": Path(recording.title).name,
            "core:extensions": [{"name": "wattigram", "version": "1.0.0", "optional": True}],
            "wattigram:channels": [
                {"name": channel.name, "unit": channel.unit} for channel in channels
            ],
            "wattigram:begin_s": begin_s,
        },
        "captures": [{"core:sample_start": 0}],
        "annotations": [],
    }
    with new_file(meta_path) as new:
        new.write_text(json.dumps(described, indent=2, ensure_ascii=False) + "\n", encoding="utf-8")
    notes = [f"Samples are in {data_path.name}, beside it."]
    if missing:
        notes.append(f"{missing} samples never came, and are NaN.")
    return Written(rows, tuple(notes))


def _one(numbers: tuple[int, int]) -> tuple[int, int]:
    return numbers[0], numbers[0] + 1
