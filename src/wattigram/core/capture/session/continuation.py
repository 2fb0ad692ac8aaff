"""A recording that goes on after its board was away: where the new run stands in the take."""

from __future__ import annotations

import math
from collections.abc import Mapping
from fractions import Fraction
from pathlib import Path

import msgspec
import numpy as np

from wattigram.core.capture.take import TakeWriter
from wattigram.core.capture.take.self_description import stream_descriptions
from wattigram.core.capture.take.take_numbers import write_numbered
from wattigram.core.capture.transport import SampleRun
from wattigram.core.contract.link import OUTPUT_STREAM, REDUCED_STREAM, STAMP_STREAM, Identity
from wattigram.core.model.design import Chain, Workspace, project_text, rate_divisor, tapped_signals
from wattigram.core.model.design.workspace_files import boards_as_json
from wattigram.core.predict.timing import scan_timing

LONGEST_ALIGNMENT_S = 10
"""Where the buffers of all chains begin together less often than this, each goes on at a wrap of
its own."""


class SuspendedTake(msgspec.Struct):
    """A take whose board has gone: nothing is written to it until the board is back, or nobody
    waits any more."""

    writer: TakeWriter
    next_items: dict[int, int]
    ticks: int
    lost_cycles: int
    since_s: float
    """On the host's own clock; nothing else runs while the board is away."""


def new_take(
    workspace: Workspace,
    identity: Identity,
    path: Path,
    overwrite: bool = False,
    numbered: bool = False,
    begins_ticks: int = 0,
) -> TakeWriter:
    """A take of a board that has said who it is; raises :class:`TakeError` when none can be written
    there.

    Where it is ``numbered`` and another program took its name by now, it has the next one. ``begins_ticks``
    is when it begins, where that is later than the run.
    """

    def write(there: Path) -> TakeWriter:
        return TakeWriter(
            there,
            project_text(workspace.project),
            identity.build_id,
            identity.tick_hz,
            identity.board,
            part_text=workspace.part.text,
            boards_text=boards_as_json(workspace),
            overwrite=overwrite,
            described=stream_descriptions(workspace),
            begins_ticks=begins_ticks,
        )

    return write_numbered(path, write) if numbered else write(path)


def finish_suspended(suspended: SuspendedTake) -> None:
    """The board did not come back, or nobody waits for it: its take ends with what it has."""
    suspended.writer.close(suspended.lost_cycles, ended="The connection to the board was lost.")


class Origin(msgspec.Struct, frozen=True):
    """What is added to the numbers and ticks of a run that begins at zero, so that they follow
    those of the take."""

    ticks: int = 0
    items: Mapping[int, int] = msgspec.field(default_factory=dict)

    def shifted(self, run: SampleRun) -> SampleRun:
        """The run where it stands in the take; instants of its samples move with it."""
        if not self.ticks:
            return run
        items = run.items
        if STAMP_STREAM <= run.stream < REDUCED_STREAM:
            items = (items.astype(np.uint64) + np.uint64(self.ticks)).astype(items.dtype)
        elif run.stream >= OUTPUT_STREAM:
            items = items.copy()
            items[(run.first % 2) :: 2] += np.asarray(self.ticks & 0xFFFFFFFF, dtype=items.dtype)
        ticks = run.frame_ticks + self.ticks
        return run._replace(
            first=run.first + self.items.get(run.stream, 0), items=items, frame_ticks=ticks
        )


def origin_after(
    workspace: Workspace, suspended: SuspendedTake, pause_s: float, tick_hz: int
) -> Origin:
    """Where a run goes on that starts ``pause_s`` after the last sample of a suspended take.

    Every stream goes on at a wrap of its circular buffer and at the beginning of a block of its
    stage, for there it
    begins after a start. Where the chains' wraps have a common period below 10 s all go on at the
    same instant,
    otherwise each up to one wrap later. The pause itself is as long as the host's clock says,
    rounded up.
    """
    project = workspace.project
    wraps = [wrap_scans(workspace, chain) for chain in project.chains]
    periods_s = [
        count * scan_timing(workspace, chain).handed_s
        for count, chain in zip(wraps, project.chains, strict=True)
    ]
    reached_s = Fraction(suspended.ticks, tick_hz) + Fraction(max(0.0, pause_s)).limit_denominator(
        10**6
    )
    for chain, stream in zip(project.chains, range(len(project.chains)), strict=True):
        done = (
            Fraction(suspended.next_items.get(stream, 0), len(chain.slots))
            * scan_timing(workspace, chain).handed_s
        )
        reached_s = max(reached_s, done)
    common_s = _common_period(periods_s)
    if common_s is not None:
        reached_s = math.ceil(reached_s / common_s) * common_s
    items: dict[int, int] = {}
    for stream, (chain, wrap, period_s) in enumerate(
        zip(project.chains, wraps, periods_s, strict=True)
    ):
        scans = math.ceil(reached_s / period_s) * wrap
        least = -(-suspended.next_items.get(stream, 0) // (wrap * len(chain.slots))) * wrap
        scans = max(scans, least)
        items[stream] = items[STAMP_STREAM + stream] = scans * len(chain.slots)
        for index, signal in enumerate(tapped_signals(project)):
            stage = signal.later_filter
            places = len(chain.places_of(signal.name))
            if stage is not None and places:
                items[REDUCED_STREAM + index] = scans * places // rate_divisor(stage)
    for stream, count in suspended.next_items.items():
        if stream >= OUTPUT_STREAM:
            items[stream] = count
    return Origin(math.ceil(reached_s * tick_hz), items)


def wrap_scans(workspace: Workspace, chain: Chain) -> int:
    """Scans after which buffer and stages of a chain stand as at its start."""
    slots = len(chain.slots)
    scans = 1 if chain.read_period_s is not None else math.lcm(chain.buffer.samples, slots) // slots
    for signal in tapped_signals(workspace.project):
        places = len(chain.places_of(signal.name))
        if signal.later_filter is not None and places:
            divisor = rate_divisor(signal.later_filter)
            scans = math.lcm(scans, divisor // math.gcd(divisor, places))
    return scans


def _common_period(periods_s: list[Fraction]) -> Fraction | None:
    """Smallest time that is a whole number of each period; None where it is too long to wait
    for."""
    common = periods_s[0]
    for period in periods_s[1:]:
        denominator = math.lcm(common.denominator, period.denominator)
        common = Fraction(
            math.lcm(int(common * denominator), int(period * denominator)),
            denominator,
        )
        if common > LONGEST_ALIGNMENT_S:
            return None
    return common
