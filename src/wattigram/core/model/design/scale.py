"""Volts to codes and back, one definition for the whole program."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from numpy.typing import ArrayLike, NDArray

from wattigram.core.model.design.project import Chain, Signal
from wattigram.core.model.design.stage import Code, Threshold
from wattigram.core.model.design.workspace import Workspace, cached


class Scale(msgspec.Struct, frozen=True):
    """A converter's transfer at one resolution; ``steps`` counts make full scale.

    ``signed`` is the transfer of a differential pair, from −Vref to +Vref. ``gain`` is what a code
    is
    multiplied by before it lies in memory, ``shift`` by how many places it is then moved up.
    """

    bits: int
    reference_v: float
    steps: int
    shift: int = 0
    signed: bool = False
    gain: float = 1.0
    item_bits: int = 16

    @property
    def lsb_v(self) -> float:
        """Volts per count."""
        return self.reference_v / self.steps * (2 if self.signed else 1)

    @property
    def dropped_lsb(self) -> int:
        """By how many counts a reading may be too low because its item has no room for the lower
        bits."""
        return (1 << max(0, -self.shift)) - 1

    @property
    def step_v(self) -> float:
        """Volts from one item to the next: more than a count where an item has no room for the
        lower bits."""
        return self.lsb_v * (self.dropped_lsb + 1)

    @property
    def lowest_code(self) -> int:
        """Code at the lower end."""
        return -(1 << (self.bits - 1)) if self.signed else 0

    @property
    def highest_code(self) -> int:
        """Full-scale code."""
        return (1 << (self.bits - 1 if self.signed else self.bits)) - 1

    @property
    def low_v(self) -> float:
        """Lowest voltage that can be told from others."""
        return -self.reference_v if self.signed else 0.0

    def codes(self, volts: ArrayLike) -> NDArray[np.int64]:
        """clip(round-half-up(V / LSB)) to the range of codes, the same shape as ``volts``.

        The result is int64; any shape will do.
        """
        scaled = np.floor(np.asarray(volts, dtype=np.float64) / self.lsb_v + 0.5)
        return np.clip(scaled, self.lowest_code, self.highest_code).astype(np.int64)

    def volts(self, codes: ArrayLike) -> NDArray[np.float64]:
        """Code × LSB, in volts at the pin.

        Any shape will do.
        """
        return np.asarray(codes, dtype=np.float64) * self.lsb_v

    def item_volts(self, items: NDArray[Any]) -> NDArray[np.float64]:
        """Volts of items as they lie in memory, sign, alignment and gain undone.

        Any shape will do.
        """
        codes = items
        if self.signed:
            half = 1 << (self.item_bits - 1)
            codes = (items.astype(np.int64) + half) % (2 * half) - half
        if self.shift > 0:
            codes = codes >> self.shift
        elif self.shift < 0:
            codes = codes.astype(np.int64) << -self.shift
        return self.volts(codes) / self.gain if self.gain != 1 else self.volts(codes)


def aligned_shift(alignment: str, width_bits: int, bits: int) -> int:
    """Places by which a code is moved up in its item: W − N where it is left-aligned, down when
    that is below 0."""
    return width_bits - bits if alignment == "left" else 0


@cached
def chain_scale(workspace: Workspace, chain: Chain) -> Scale:
    """The transfer of a chain's single-ended slots, as the program reads it."""
    return _scale(workspace, chain, None)


@cached
def signal_scale(workspace: Workspace, chain: Chain, signal: str) -> Scale:
    """The transfer of one signal's items, as the program reads them."""
    return _scale(workspace, chain, workspace.project.signal(signal))


def _scale(workspace: Workspace, chain: Chain, signal: Signal | None) -> Scale:
    reader = chain.read_as
    full_scale = reader.full_scale or workspace.converter(chain).full_scale
    width = reader.element_bits or chain.buffer.element_bits
    stage = signal.slot_filter if signal is not None else None
    shift = (
        0
        if stage is not None
        else aligned_shift(reader.alignment or chain.alignment, width, chain.bits)
    )
    return Scale(
        bits=chain.bits,
        reference_v=workspace.reference_v,
        steps=(1 << chain.bits) - (1 if full_scale == "2^N-1" else 0),
        shift=shift,
        signed=signal is not None and signal.negative is not None,
        gain=stage.assumed_gain if stage is not None else 1.0,
        item_bits=width,
    )


def limits_v(workspace: Workspace, signal: Signal, window: Threshold) -> tuple[float, float]:
    """A window's limits in the signal's own volts; codes are those of the stream that is
    compared."""
    chain = workspace.project.chain_of(signal.name)

    def volts(limit: float) -> float:
        if not isinstance(limit, Code) or chain is None:
            return float(limit)
        return signal.at_source(
            limit * signal_scale(workspace, chain, signal.name).lsb_v / stream_gain(signal, window)
        )

    return volts(window.low), volts(window.high)


class WatchedLevel(msgspec.Struct, frozen=True):
    """A voltage that a signal is compared with, in its own volts; ``window`` counts its thresholds from 0, and is
    −1 of a comparator, which ``name`` then names."""

    volts: float
    name: str
    window: int = -1
    is_high: bool = False


def watched_levels(workspace: Workspace, signal: Signal) -> tuple[WatchedLevel, ...]:
    """Every fixed level that windows and comparators compare a signal with; limits of a deviation stand about a
    fixed target, those about another signal stand nowhere."""
    levels = []
    for number, window in enumerate(signal.thresholds):
        if window.minus_signal is not None:
            continue
        name, about_v = window.name or "threshold", window.minus_v or 0.0
        limits = zip(limits_v(workspace, signal, window), window.compares, strict=True)
        levels += [
            WatchedLevel(about_v + limit, name, number, is_high)
            for is_high, (limit, counts) in zip((False, True), limits, strict=True)
            if counts
        ]
    levels += [
        WatchedLevel(signal.at_source(comparator.threshold_v), comparator.name)
        for comparator in workspace.project.comparators
        if comparator.signal == signal.name and comparator.against != "pin"
    ]
    return tuple(levels)


def stream_gain(signal: Signal, window: Threshold) -> float:
    """What a code is multiplied by in the stream that a window compares."""
    if signal.slot_filter is not None:
        return signal.slot_filter.assumed_gain
    if window.input == "filtered" and signal.filter is not None:
        return signal.filter.assumed_gain
    return 1.0


def later_gain(signal: Signal) -> float:
    """What the program takes the stage after memory to multiply an item by."""
    return signal.later_filter.assumed_gain if signal.later_filter is not None else 1.0


def reduced_volts(
    workspace: Workspace, chain: Chain, signal: Signal, values: NDArray[Any]
) -> NDArray[np.float64]:
    """The signal's own volts of values of its stage after memory.

    Parameters
    ----------
    values : (n,) uint32, of a difference in two's complement
    """
    scale = signal_scale(workspace, chain, signal.name)
    codes = values.astype(np.uint32).astype(np.int32) if scale.signed else values
    return scale.volts(codes) / 2.0**scale.shift / later_gain(signal) / float(signal.scaling)


def limit_like(
    workspace: Workspace, signal: Signal, window: Threshold, old: float, volts: float
) -> float:
    """A limit at ``volts`` of the signal, in codes where the old one was."""
    chain = workspace.project.chain_of(signal.name)
    if not isinstance(old, Code) or chain is None:
        return volts
    lsb_v = signal_scale(workspace, chain, signal.name).lsb_v
    return Code(round(signal.at_pin(volts) / lsb_v * stream_gain(signal, window)))
