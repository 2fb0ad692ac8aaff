"""What came of a signal beside what was expected of it, stretch by stretch."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from wattigram.core.analysis import Moments
from wattigram.core.capture.take import SignalSamples, Take
from wattigram.core.model.design import (
    Chain,
    MovingAverage,
    rate_divisor,
    reduced_volts,
    signal_scale,
)
from wattigram.core.predict.expected import ExpectedStream, expected_filtered, expected_raw

FloatArray = NDArray[np.float64]


class Compared(msgspec.Struct, frozen=True):
    """Samples and what was expected of them, value for value; both in the signal's own volts."""

    samples: SignalSamples
    expected: ExpectedStream

    @property
    def error_v(self) -> FloatArray:
        """Captured less what a settled reading would be, of those that came, (n,) float64."""
        return np.asarray((self.samples.volts - self.expected.settled_v)[self.samples.valid])

    @property
    def beyond_v(self) -> FloatArray:
        """How far each sample lies outside the expected band, (n,) float64: 0 or less inside, NaN where none came."""
        apart = np.abs(self.samples.volts - self.expected.settled_v)
        return np.where(self.samples.valid, apart - self.expected.half_width_v, np.nan)


def compared(
    take: Take, chain: Chain, name: str, begin: int, end: int, reduced: bool = False
) -> Compared | None:
    """Samples ``begin`` to ``end`` of a signal, or values of its stage; None where it has none."""
    samples = take.reduced(name, begin, end) if reduced else take.raw(name, begin, end)
    if samples is None:
        return None
    end = begin + len(samples.items)
    stage = samples.signal.later_filter
    each, places = (
        rate_divisor(stage) if reduced and stage is not None else 1,
        len(chain.places_of(name)),
    )
    first, last = begin * each // places, -(-end * each // places)
    instants = take.instants(chain, first, last)
    if reduced:
        return Compared(
            samples, expected_filtered(take.history, chain.converter, name, begin, end, instants)
        )
    stream = expected_raw(take.history, chain.converter, name, first, last, instants)
    part = slice(begin - first * places, end - first * places)
    own = {field: getattr(stream, field)[part] for field in ("settled_v", "error_v", "times_s")}
    return Compared(samples, replace(stream, **own))


def compared_blocks(take: Take, name: str, reduced: bool = False) -> Iterator[Compared]:
    """All of a signal, in blocks of a few megabytes."""
    chain = take.workspace.project.chain_of(name)
    if chain is None:
        return
    for begin, end in take.stretches(name, reduced):
        block = compared(take, chain, name, begin, end, reduced)
        if block is not None:
            yield block


def is_judged_reduced(take: Take, name: str) -> bool:
    """Whether a signal is judged by the values of its stage: where any came."""
    return take.reduced_count(name) > 0


def best_blocks(take: Take, name: str) -> Iterator[SignalSamples]:
    """Values of a signal's stage where there are any, else its samples; those of a running mean
    once it is full."""
    stage = take.workspace.project.signal(name).later_filter
    reduced = is_judged_reduced(take, name)
    return take.blocks(
        name, reduced, stage.count - 1 if reduced and isinstance(stage, MovingAverage) else 0
    )


def value_step_v(take: Take, name: str) -> float:
    """Volts from one value to the next, as the signal is judged."""
    workspace = take.workspace
    chain, signal = workspace.project.chain_of(name), workspace.project.signal(name)
    assert chain is not None
    if is_judged_reduced(take, name):
        return float(np.diff(reduced_volts(workspace, chain, signal, np.arange(2)))[0])
    return signal_scale(workspace, chain, name).step_v / float(signal.scaling)


def moments_of(take: Take, name: str) -> Moments:
    """Mean and spread of all that came, as it is judged, volts."""
    moments = Moments()
    for block in best_blocks(take, name):
        moments.add(block.volts[block.valid])
    return moments


def code_counts(take: Take, name: str) -> tuple[NDArray[np.int64], NDArray[np.int64], FloatArray]:
    """Items of a signal that came, in order of size: (item, how often, volts)."""
    items, often, volts = np.empty(0, dtype=np.int64), np.empty(0, dtype=np.int64), np.empty(0)
    for block in take.blocks(name):
        mine, at, times = np.unique(
            block.items[block.valid].astype(np.int64), return_index=True, return_counts=True
        )
        own = block.volts[block.valid][at]
        both, places = np.unique(np.concatenate((items, mine)), return_inverse=True)
        counts = np.zeros(len(both), dtype=np.int64)
        np.add.at(counts, places, np.concatenate((often, times)))
        worth = np.empty(len(both))
        worth[places] = np.concatenate((volts, own))
        items, often, volts = both, counts, worth
    return items, often, volts
