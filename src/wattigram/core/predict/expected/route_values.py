"""What should come out at the end of a route."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import EffectiveSerial
from wattigram.core.contract.serial_bytes import serial_codes
from wattigram.core.model.bench import BoardSource
from wattigram.core.model.design import (
    BytesAction,
    ReceivedSource,
    ResultSource,
    Route,
    TableSource,
    aligned_shift,
    chain_scale,
)
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.expected.reading_band import ReadingBand
from wattigram.core.predict.expected.stream import band_half_width_v, expected_settled_at
from wattigram.core.predict.pins import set_while_running
from wattigram.core.predict.program import volts_per_code
from wattigram.core.predict.timing import other_end, route_timing, sending_source
from wattigram.core.predict.waveform import codes_in_memory, table_dac

FloatArray = NDArray[np.float64]
_LOOKS_BACK = 9


class ExpectedValues(msgspec.Struct, frozen=True):
    """Lowest and highest value that may have taken effect at each of given instants, (n,) float64
    each."""

    low: FloatArray
    high: FloatArray
    full: float
    """What the largest value is."""


def carried_mask(workspace: Workspace, route: Route) -> int:
    """Bits of a value that are meant to get through."""
    return (1 << route_timing(workspace, route).value_bits) - 1


def expected_values(
    workspace: Workspace, route: Route, times_s: FloatArray
) -> ExpectedValues | None:
    """Values of the source as they should be when they take effect; None where nobody can say.

    A value may be as old as the time between two of the source's, and the route's own latency.

    Parameters
    ----------
    times_s : (n,) float64, seconds after the start
    """
    timing = route_timing(workspace, route)
    rates = [float(rate) for rate in (timing.source_hz, timing.sink_hz) if rate]
    oldest_s = timing.latency_s + sum(route.transfers / rate for rate in rates)
    # Any age up to the oldest may be true; between so few of them no source moves further than its band is wide.
    looked_at_s = [
        np.maximum(times_s - age, 0.0) for age in np.linspace(0.0, oldest_s, _LOOKS_BACK)
    ]
    match route.source:
        case ResultSource() as result:
            return _of_converter(workspace, result, looked_at_s)
        case ReceivedSource(uart=uart):
            return _of_wire(workspace, uart, looked_at_s)
        case TableSource(table=name):
            rate_hz = float(timing.source_hz) if route.timer is not None else None
            return _of_table(workspace, name, rate_hz, looked_at_s)


def _of_converter(
    workspace: Workspace, source: ResultSource, looked_at_s: list[FloatArray]
) -> ExpectedValues | None:
    """Codes of the one signal that it can be, within the band of a reading."""
    chain = workspace.project.chain(source.converter)
    assert chain is not None
    names = {slot.signal for slot in chain.slots}
    name = source.signal
    if name is None and len(names) == 1:
        name = next(iter(names))
    if name is None or workspace.project.signal(name).negative is not None:
        return None
    signal, scale = workspace.project.signal(name), chain_scale(workspace, chain)
    up = 2.0 ** aligned_shift(chain.alignment, chain.buffer.element_bits, chain.bits)
    counts_per_volt = up * float(signal.scaling) / scale.lsb_v
    half = band_half_width_v(workspace, chain, name, reduced=False) * counts_per_volt + up
    volts = np.stack([expected_settled_at(workspace, name, times_s) for times_s in looked_at_s])
    highest = scale.highest_code * up
    low = volts.min(axis=0) * counts_per_volt - half
    high = volts.max(axis=0) * counts_per_volt + half
    return ExpectedValues(np.clip(low, 0, highest), np.clip(high, 0, highest), highest)


def _of_wire(
    workspace: Workspace, uart: str, looked_at_s: list[FloatArray]
) -> ExpectedValues | None:
    """What the board at the other end of a wire had sent."""
    source = sending_source(workspace, uart)
    if isinstance(source, BoardSource):
        return _of_board(workspace, source, uart, looked_at_s)
    if source is None:
        return None
    serial = EffectiveSerial(
        every_ticks=float(source.interval_s),
        bits=source.bits,
        words_each=source.words_each,
        low_first=True,
        from_share=source.from_level,
        to_share=source.to_level,
        period_ticks=float(source.period_s),
    )
    interval_s = float(source.interval_s)
    numbers = [np.floor(times_s / interval_s).astype(np.int64) for times_s in looked_at_s]
    codes = np.stack([serial_codes(serial, sent) for sent in numbers])
    full = float((1 << source.bits) - 1)
    return ExpectedValues(codes.min(axis=0) * 1.0, codes.max(axis=0) * 1.0, full)


def _of_board(
    workspace: Workspace, source: BoardSource, uart: str, looked_at_s: list[FloatArray]
) -> ExpectedValues | None:
    """What another project's board had sent: the values of its route, or the newest that its program
    had of the one signal that it sends."""
    other, end = workspace.others.get(source.project), other_end(workspace, uart)
    if other is None or end is None or end.interval_s is None:
        return None
    times_s = looked_at_s[0]
    older_s = float(np.max(times_s - looked_at_s[-1], initial=0.0))
    # A word is on the wire before it is there, and stays the newest until the next.
    older_s += float(end.interval_s + end.words_each * end.word_s)
    route = end.route
    if route is not None:
        ages_s = np.linspace(0.0, older_s, _LOOKS_BACK)
        looks = [
            expected_values(other, route, np.maximum(times_s - age_s, 0.0)) for age_s in ages_s
        ]
        known = [look for look in looks if look is not None]
        if len(known) < len(looks):
            return None
        return ExpectedValues(
            np.min([look.low for look in known], axis=0),
            np.max([look.high for look in known], axis=0),
            known[0].full,
        )
    reaction = end.reaction
    if reaction is None or not isinstance(reaction.do, BytesAction) or len(reaction.do.signals) > 1:
        return None
    return _of_bytes(other, reaction.do, times_s, older_s)


def _of_bytes(
    workspace: Workspace, sent: BytesAction, times_s: FloatArray, older_s: float
) -> ExpectedValues | None:
    """The upper eight bits of a signal's newest value, or sixteen."""
    name = sent.signals[0]
    chain = workspace.project.chain_of(name)
    if chain is None or set_while_running(workspace, workspace.project.signal(name)):
        return None
    count_v = volts_per_code(workspace, name, sent.input)
    shift = max(0, chain.bits - 8) if sent.bits == 8 else 0
    most = (1 << sent.bits) - 1
    low_v, high_v = ReadingBand(workspace, name, sent.input).at(times_s, older_s)
    low, high = (
        np.clip(np.floor(codes) // (1 << shift), 0, most)
        for codes in (low_v / count_v - 1, high_v / count_v + 1)
    )
    return ExpectedValues(low, high, float(most))


def _of_table(
    workspace: Workspace, name: str, rate_hz: float | None, looked_at_s: list[FloatArray]
) -> ExpectedValues | None:
    """Points of a table that a timer sends on, one after the other."""
    table = workspace.project.table(name)
    if table is None or rate_hz is None or table_dac(workspace, table) is None:
        return None
    codes = codes_in_memory(workspace, table)
    numbers = [np.floor(times_s * rate_hz + 1e-9).astype(np.int64) for times_s in looked_at_s]
    points = codes[np.stack(numbers) % len(codes)]
    full = float(codes.max(initial=1))
    return ExpectedValues(points.min(axis=0) * 1.0, points.max(axis=0) * 1.0, full)
