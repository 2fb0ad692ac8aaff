"""A recording of another tool as a take of a design, so that it is proved like any other."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording.channel import BLOCK_SAMPLES, Block, Channel, Recording
from wattigram.core.capture.recording.exporting import Progress, Share
from wattigram.core.capture.take.self_description import stream_descriptions
from wattigram.core.capture.take.writer import TakeWriter
from wattigram.core.capture.transport import SampleRun
from wattigram.core.contract.link import IMPORTED, STAMP_STREAM
from wattigram.core.model.design import Chain, Workspace, signal_scale
from wattigram.core.model.design.project_file import project_text
from wattigram.core.model.design.workspace_files import boards_as_json

ITEM_TYPES: dict[int, np.dtype[Any]] = {8: np.dtype("u1"), 16: np.dtype("<u2"), 32: np.dtype("<u4")}
SAME_INSTANT = 0.5
"""Of the spacing of samples: by less than that channels of one scan may lie apart."""


class Brought(msgspec.Struct, frozen=True):
    """What became of a recording: scans of all converters, and what is to be known, in sentences."""

    scans: int
    notes: tuple[str, ...]


class _Source(msgspec.Struct, frozen=True):
    """A slot's signal, and the channel that it comes from."""

    signal: str
    channel: Channel
    place: int
    """Among the slots of the signal in a scan."""
    each: int
    """Slots of the signal in a scan."""


def bring_in(
    recording: Recording,
    workspace: Workspace,
    channels: Mapping[str, str],
    path: Path,
    *,
    overwrite: bool = False,
    progress: Progress | None = None,
) -> Brought:
    """Write a take of a recording; ``channels`` names the channel of each signal, in the signal's own volts.

    Values become codes of the design, rounded to the nearest; instants are those of the recording. Signals of a
    converter come together.

    Raises
    ------
    TakeError
        Where signals and channels do not fit, or the take cannot be written.
    """
    project = workspace.project
    for name in channels:
        if project.chain_of(name) is None:
            raise TakeError(
                f"No converter of the design converts “{name}”.",
                where=recording.title,
                cure=f"Its signals are: {', '.join(signal.name for signal in project.signals)}.",
            )
    sources = {
        number: _sources(recording, chain, channels)
        for number, chain in enumerate(project.chains)
        if any(slot.signal in channels for slot in chain.slots)
    }
    if not sources:
        raise TakeError("Nothing says which channel is which signal.", where=recording.title)
    writer = TakeWriter(
        path,
        project_text(project),
        workspace.build_id,
        workspace.bus_clock_hz.numerator,
        f"recording {Path(recording.title).name}",
        part_text=workspace.part.text,
        boards_text=boards_as_json(workspace),
        overwrite=overwrite,
        described=stream_descriptions(workspace),
    )
    writer.add_log(f"{IMPORTED} {Path(recording.title).name} ({recording.format})")
    for note in recording.notes:
        writer.add_log(note)
    share = Share(
        progress or (lambda done: None),
        sum(source.channel.count for parts in sources.values() for source in parts),
    )
    notes: list[str] = []
    scans = 0
    end_ticks = 0
    try:
        for number, parts in sources.items():
            chain = project.chains[number]
            done, ticks = _write_chain(writer, workspace, chain, number, parts, share, notes)
            scans, end_ticks = scans + done, max(end_ticks, ticks)
    except BaseException:
        writer.close(ended="bringing it in was stopped")
        raise
    writer.close(totals={"ticks": end_ticks})
    notes.append(
        "Events, filtered values and counts of losses are not in a recording, and are not judged."
    )
    return Brought(scans, tuple(notes))


def _sources(
    recording: Recording, chain: Chain, channels: Mapping[str, str]
) -> tuple[_Source, ...]:
    """Where each slot's samples come from.

    Raises
    ------
    TakeError
        Where one comes from nowhere, or a scan's samples do not lie where the design has them.
    """
    missing = [slot.signal for slot in chain.slots if slot.signal not in channels]
    if missing:
        raise TakeError(
            f"{chain.converter} converts {', '.join(f'“{name}”' for name in dict.fromkeys(missing))} too.",
            where=recording.title,
            cure="Say which channels those are, or take a design without them.",
        )
    if chain.buffer.samples % len(chain.slots):
        raise TakeError(
            f"The buffer of {chain.converter} holds {chain.buffer.samples} samples, which is no whole number of scans.",
            where=recording.title,
            cure="Choose a whole number of scans in the design.",
        )
    found = []
    seen: dict[str, int] = {}
    for slot in chain.slots:
        place = seen[slot.signal] = seen.get(slot.signal, -1) + 1
        channel = recording.channel(channels[slot.signal])
        each = len(chain.places_of(slot.signal))
        found.append(_Source(slot.signal, channel, place, each))
    counts = {source.channel.count // source.each for source in found}
    if len(counts) > 1 and max(counts) - min(counts) > 1:
        raise TakeError(
            f"Channels of {chain.converter} have different numbers of samples: "
            f"{', '.join(map(str, sorted(counts)))}.",
            where=recording.title,
            cure="Signals of one converter are sampled together.",
        )
    return tuple(found)


def _write_chain(
    writer: TakeWriter,
    workspace: Workspace,
    chain: Chain,
    stream: int,
    sources: tuple[_Source, ...],
    share: Share,
    notes: list[str],
) -> tuple[int, int]:
    """Scans that were written, and the ticks at their end."""
    total = min(source.channel.count // source.each for source in sources)
    slots, size = len(sources), max(1, BLOCK_SAMPLES // len(sources))
    dtype = ITEM_TYPES[chain.read_as.element_bits or chain.buffer.element_bits]
    clipped = missing = 0
    begin_s = min(float(source.channel.read(0, 1).times_s[0]) for source in sources)
    end_ticks = 0
    for at in range(0, total, size):
        end = min(total, at + size)
        items = np.empty((end - at, slots), dtype=dtype)
        ticks = np.empty((end - at, slots), dtype=np.int64)
        came = np.ones(end - at, dtype=bool)
        for column, source in enumerate(sources):
            block = _every(source, at, end)
            own_v = np.where(block.valid, block.values, 0.0)
            own, beyond = items_of(workspace, chain, source.signal, own_v, dtype)
            items[:, column], clipped = own, clipped + beyond
            ticks[:, column] = np.rint((block.times_s - begin_s) * writer.tick_hz)
            came &= block.valid
            share.add(len(block) * source.each)
        if at == 0:
            _check_together(ticks, chain)
        missing += int(np.count_nonzero(~came))
        _write(writer, stream, items, ticks, came, at)
        end_ticks = int(ticks[-1].max()) + 1
        writer.flush_if_due()
    if clipped:
        notes.append(
            f"{clipped} samples of {chain.converter} lie beyond its range, and have its last code."
        )
    if missing:
        notes.append(f"{missing} scans of {chain.converter} lack a sample, and count as missing.")
    return total, end_ticks


def _every(source: _Source, begin: int, end: int) -> Block:
    """Samples of a slot, of those that its signal has in each scan."""
    block = source.channel.read(begin * source.each, end * source.each)
    if source.each == 1:
        return block
    part = slice(source.place, None, source.each)
    return Block(block.values[part], block.times_s[part], block.valid[part])


def _check_together(ticks: NDArray[np.int64], chain: Chain) -> None:
    """Raises :class:`TakeError` where channels of a scan are further apart than scans are."""
    if len(ticks) < 2:
        return
    spacing = float(np.median(np.diff(ticks[:, 0])))
    if (
        spacing <= 0
        or float(np.ptp(ticks, axis=1).max()) > max(SAME_INSTANT * spacing, 1.0) + spacing / 2
    ):
        raise TakeError(
            f"Channels of {chain.converter} were not sampled together, or more often than its clock has ticks.",
            cure="Choose channels that belong together.",
        )


def items_of(
    workspace: Workspace, chain: Chain, name: str, own_v: NDArray[np.float64], dtype: np.dtype[Any]
) -> tuple[NDArray[Any], int]:
    """Volts of a signal, (n,), as its results would lie in memory, and how many are beyond the converter's range."""
    signal, scale = workspace.project.signal(name), signal_scale(workspace, chain, name)
    volts = own_v * float(signal.scaling) * scale.gain
    codes = np.rint(volts / scale.lsb_v)
    most = scale.highest_code * scale.gain
    inside = np.clip(codes, scale.lowest_code * scale.gain, most)
    beyond = int(np.count_nonzero(inside != codes))
    whole = inside.astype(np.int64)
    whole = whole << scale.shift if scale.shift >= 0 else whole >> -scale.shift
    return (whole % (1 << (8 * dtype.itemsize))).astype(dtype), beyond


def _write(
    writer: TakeWriter,
    stream: int,
    items: NDArray[Any],
    ticks: NDArray[np.int64],
    came: NDArray[np.bool_],
    first: int,
) -> None:
    """Scans that came, in runs without a gap, with their stamps."""
    slots = items.shape[1]
    edges = np.flatnonzero(np.diff(came.astype(np.int8))) + 1
    for part in np.split(np.arange(len(items)), edges):
        if not len(part) or not came[part[0]]:
            continue
        own = slice(int(part[0]), int(part[-1]) + 1)
        stamps = (ticks[own].ravel() % (1 << 32)).astype("<u4")
        for number, data in ((stream, items[own].ravel()), (STAMP_STREAM + stream, stamps)):
            begin = (first + int(part[0])) * slots
            start = np.array([ticks[own][0, 0]], dtype=np.int64)
            writer.add_run(SampleRun(number, begin, data, start, np.array([len(data)]), False))
