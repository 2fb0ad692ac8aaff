"""Arrays for NumPy and MAT files."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import h5py
import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.recording.channel import Block, Channel, Recording
from wattigram.core.capture.recording.exporting import Choice, Progress, Share, Written, new_file

LARGEST_OLD_MAT = 1 << 30
"""Bytes of all variables; a variable of version 5 holds 2 GiB at most, and is made in memory."""
_MISSING = "Samples that never came are NaN."


def write_npz(recording: Recording, path: Path, choice: Choice, progress: Progress) -> Written:
    """For each channel its values under its name, its instants under ``NAME/time_s``, and codes under
    ``NAME/code`` where they are known; NaN, and code −1, for what never came."""
    channels = choice.channels(recording)
    share = Share(progress, 3 * sum(end - begin for begin, end in map(choice.numbers, channels)))
    with (
        new_file(path) as new,
        zipfile.ZipFile(new, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive,
    ):
        for channel in channels:
            begin, end = choice.numbers(channel)
            for name, dtype, part in _arrays(channel):
                with archive.open(f"{name}.npy", "w", force_zip64=True) as stream:
                    header = {"descr": np.lib.format.dtype_to_descr(dtype), "fortran_order": False}
                    np.lib.format.write_array_header_2_0(stream, header | {"shape": (end - begin,)})
                    for block in channel.blocks(choice.begin_s, choice.end_s):
                        stream.write(np.ascontiguousarray(part(block), dtype=dtype).tobytes())
                        share.add(len(block))
    return Written(_most(channels, choice), (_MISSING,))


def _arrays(
    channel: Channel,
) -> Iterator[tuple[str, np.dtype[Any], Callable[[Block], NDArray[Any]]]]:
    """Names, kinds and contents of the arrays of a channel."""
    yield channel.name, np.dtype("<f8"), lambda block: np.where(block.valid, block.values, np.nan)
    yield f"{channel.name}/time_s", np.dtype("<f8"), lambda block: block.times_s
    if channel.lsb is not None:
        yield f"{channel.name}/code", np.dtype("<i8"), _codes


def _codes(block: Block) -> NDArray[np.int64]:
    codes = np.zeros(len(block), dtype=np.int64) if block.codes is None else block.codes
    return np.where(block.valid, codes, -1)


def _most(channels: tuple[Channel, ...], choice: Choice) -> int:
    return max(end - begin for begin, end in map(choice.numbers, channels))


def identifiers(names: list[str]) -> list[str]:
    """Names as variables are called: letters, digits and underscores, no two alike, 63 at most."""
    found: list[str] = []
    for name in names:
        plain = re.sub(r"\W", "_", name, flags=re.ASCII).strip("_")[:50] or "channel"
        plain = plain if plain[0].isalpha() else f"x{plain}"
        again, number = plain, 2
        while again in found:
            again, number = f"{plain}_{number}", number + 1
        found.append(again)
    return found


def write_mat(recording: Recording, path: Path, choice: Choice, progress: Progress) -> Written:
    """Column vectors ``NAME`` and ``NAME_time_s`` for each channel: version 5, and version 7.3 of more than a
    gigabyte."""
    channels = choice.channels(recording)
    names = identifiers([channel.name for channel in channels])
    samples = sum(end - begin for begin, end in map(choice.numbers, channels))
    share = Share(progress, samples)
    notes = [_MISSING]
    renamed = [
        f"“{channel.name}” is called {name}."
        for channel, name in zip(channels, names, strict=True)
        if channel.name != name
    ]
    notes += renamed
    with new_file(path) as new:
        if 16 * samples <= LARGEST_OLD_MAT:
            from scipy.io import savemat  # late: a third of a second that only this format costs

            variables: dict[str, NDArray[np.float64]] = {}
            for channel, name in zip(channels, names, strict=True):
                block = Block.joined(list(channel.blocks(choice.begin_s, choice.end_s)))
                variables[name] = np.where(block.valid, block.values, np.nan)[:, None]
                variables[f"{name}_time_s"] = block.times_s[:, None]
                share.add(len(block))
            with new.open("wb") as stream:
                savemat(stream, variables, do_compression=True, oned_as="column")
        else:
            notes.append("It is of version 7.3, for version 5 does not hold as much.")
            _write_new_mat(new, channels, names, choice, share)
    return Written(_most(channels, choice), tuple(notes))


def _write_new_mat(
    new: Path, channels: tuple[Channel, ...], names: list[str], choice: Choice, share: Share
) -> None:
    """HDF5 behind a block of 512 bytes that says what it is; vectors lie across, as columns do there."""
    with h5py.File(new, "w", userblock_size=512) as file:
        for channel, name in zip(channels, names, strict=True):
            begin, end = choice.numbers(channel)
            sets = []
            for called in (name, f"{name}_time_s"):
                data = file.create_dataset(called, (1, end - begin), "<f8")
                data.attrs["MATLAB_class"] = np.bytes_("double")
                sets.append(data)
            at = 0
            for block in channel.blocks(choice.begin_s, choice.end_s):
                sets[0][0, at : at + len(block)] = np.where(block.valid, block.values, np.nan)
                sets[1][0, at : at + len(block)] = block.times_s
                at += len(block)
                share.add(len(block))
    text = b"MATLAB 7.3 MAT-file, Platform: Linux, Created by: Wattigram HDF5 schema 1.00 ."
    with new.open("r+b") as stream:
        stream.write(text.ljust(116) + bytes(8) + b"\x00\x02" + b"IM")
