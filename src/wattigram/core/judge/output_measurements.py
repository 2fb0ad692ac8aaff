"""What a take shows of outputs: a course that comes back, a DAC and a converter as a pair, the end
of a route."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis import Largest, Linearity, Moments, Readings, linearity_of
from wattigram.core.capture.take import Take
from wattigram.core.judge.compared_streams import compared_blocks
from wattigram.core.model.bench import Jumper, resolve_source
from wattigram.core.model.design import (
    MovingAverage,
    ReceivedSource,
    Route,
    TableSource,
    UartDestination,
    Watch,
    Workspace,
    signal_scale,
)
from wattigram.core.predict.expected import ExpectedValues, expected_values
from wattigram.core.predict.pins import comparator_inputs, generator_on
from wattigram.core.predict.timing import other_end, route_timing
from wattigram.core.predict.waveform import dac_playback

FloatArray = NDArray[np.float64]
SETTLED_TAUS = 12
NEARLY_ALL = 99.5
"""Per cent of the samples that a course must hold for."""


class WaveformError(msgspec.Struct, frozen=True):
    """By how much a signal is off its course, volts: nearly all within, and the mean."""

    count: int
    nearly_all_v: float
    mean_v: float


def waveform_error(take: Take, name: str, reduced: bool = False) -> WaveformError | None:
    """Captured less what was meant, of all samples or of all values of the stage; None where too
    little came."""
    total = take.reduced_count(name) if reduced else take.came(name)
    stage = take.workspace.project.signal(name).later_filter
    filled = stage.count - 1 if reduced and isinstance(stage, MovingAverage) else 0
    if total - filled < FEWEST_READINGS:
        return None
    off, largest = Moments(), Largest(total, NEARLY_ALL)
    for block in compared_blocks(take, name, reduced):
        error_v = block.error_v
        skipped, filled = min(filled, len(error_v)), max(0, filled - len(error_v))
        off.add(error_v[skipped:])
        largest.add(np.abs(error_v[skipped:]))
    return WaveformError(off.count, largest.percentile, off.mean) if off.count else None


FEWEST_READINGS = 16


class Swept(msgspec.Struct, frozen=True):
    """What came back of a DAC that is swept: how many codes were played, and the transfer where
    enough came."""

    played: int
    transfer: Linearity | None


def pair_linearity(take: Take, name: str) -> Swept | None:
    """Transfer from the DAC's codes to the converter's readings, in LSB of the DAC; None where none
    is wired there.

    Readings count once the output has settled on a code, and within what the output reaches.
    """
    workspace = take.workspace
    signal = workspace.project.signal(name)
    wiring = workspace.wiring(signal.pin)
    source = resolve_source(wiring, workspace.project.bench) if wiring is not None else None
    generator = generator_on(workspace, source.pin) if isinstance(source, Jumper) else None
    chain = workspace.project.chain_of(name)
    if generator is None or chain is None or wiring is None:
        return None
    made = dac_playback(workspace, generator)
    held = made.codes
    update_s = float(made.update_s)
    scale = signal_scale(workspace, chain, name)
    slot = chain.places_of(name)[0]
    sampling_s = float(chain.slots[slot].sampling * chain.divider / workspace.bus_clock_hz)
    wait_s = SETTLED_TAUS * max(made.tau_s, *wiring.poles_s, 0.0) + sampling_s
    # Where the converter stands at its end nobody knows how far beyond the output is.
    top_v = (scale.highest_code - 0.5) * scale.lsb_v / float(signal.scaling)
    reached = np.abs(made.levels_v - held * made.lsb_v) < 0.01 * made.lsb_v
    readings, is_ended = Readings(), np.zeros(0, dtype=np.int64)
    played = np.zeros(0, dtype=np.int64)
    for samples in take.blocks(name):
        since_s = samples.times_s - float(made.begin_s + made.late_s)
        steps = np.floor(since_s / update_s + 1e-9).astype(np.int64)
        good = (
            samples.valid
            & (since_s >= 0)
            & (since_s - steps * update_s > min(wait_s, 0.8 * update_s))
        )
        if not made.repeat:
            good &= steps < len(held)
        codes = held[steps % len(held)]
        good &= reached[steps % len(held)] & (codes * made.lsb_v <= scale.reference_v - scale.lsb_v)
        played = np.union1d(played, codes[good])
        is_ended = np.union1d(
            is_ended, codes[good & ((samples.volts >= top_v) | (samples.volts <= 0))]
        )
        readings.add(codes[good], samples.volts[good] * float(signal.scaling) / made.lsb_v)
    return Swept(len(played), linearity_of(readings.without(is_ended)))


class Trips(msgspec.Struct, frozen=True):
    """Mean voltage at a comparator's input when its output rose and fell, and how often each."""

    rising_v: float
    falling_v: float
    rising: int
    falling: int


def trip_points(take: Take, watch: Watch) -> Trips | None:
    """Where a comparator trips: the voltage of what moves at each edge; None where one way never
    came."""
    events = take.events[take.events["source"] == take.workspace.watches.index(watch)]
    times_s = events["ticks"] / take.tick_hz
    comparator = take.workspace.project.comparator(watch.comparator)
    assert comparator is not None
    volts = comparator_inputs(take.workspace, comparator).source.at(times_s)
    rises = events["entered"].astype(bool)
    if not rises.any() or rises.all():
        return None
    count = int(np.count_nonzero(rises))
    return Trips(float(volts[rises].mean()), float(volts[~rises].mean()), count, len(rises) - count)


class RouteMeasurement(msgspec.Struct, frozen=True):
    """The end of a route in a take.

    Attributes
    ----------
    written, overwritten, torn : int
        Values of it; bytes where it is a UART.
    times_s : (n,) float64, values : (n,) int64
        Values as the other end reads them, whole ones only.
    expected : ExpectedValues or None
    matched : float
        Share of the values that are what they should be; 1 where nobody can say.
    values_hz : float
        Values a second that came.
    """

    written: int
    overwritten: int
    torn: int
    times_s: FloatArray
    values: NDArray[np.int64]
    expected: ExpectedValues | None
    matched: float
    values_hz: float


def joined(route: Route, values: NDArray[np.int64], order: str) -> NDArray[np.int64]:
    """Values of a wire's bytes, as an end that takes them in this order reads them.

    ``values`` is (pieces,), the result (values,) int64.
    """
    whole = len(values) // route.transfers * route.transfers
    rows = values[:whole].reshape(-1, route.transfers)
    places = (
        np.arange(route.transfers) if order == "little-endian" else np.arange(route.transfers)[::-1]
    )
    return np.asarray((rows << (8 * places)).sum(axis=1))


def measure_route(take: Take, route: Route, order: str | None = None) -> RouteMeasurement:
    """Everything at the end of a route, held against its source; bytes joined in ``order`` or as
    the other end does."""
    workspace = take.workspace
    samples = take.output(workspace.project.routes.index(route))
    sent = ~samples.overwritten
    torn = int(np.count_nonzero(samples.torn))
    times, values = samples.times_s[sent], samples.values[sent]
    if isinstance(route.destination, UartDestination) and route.transfers > 1:
        count = len(values) // route.transfers
        times = times[: count * route.transfers : route.transfers]
        values = joined(route, values, order or route.expected_endianness)
    expected = expected_values(workspace, route, times) if len(times) else None
    matched = 1.0
    if expected is not None and len(times):
        begun = times > 4 * route_timing(workspace, route).latency_s
        good = (values >= expected.low - 0.5) & (values <= expected.high + 0.5)
        matched = float(np.mean(good[begun])) if begun.any() else 1.0
    span_s = float(times[-1] - times[0]) if len(times) > 1 else 0.0
    rate_hz = (len(times) - 1) / span_s if span_s else 0.0
    overwritten = int(np.count_nonzero(samples.overwritten))
    return RouteMeasurement(
        len(samples.marked), overwritten, torn, times, values, expected, matched, rate_hz
    )


def wanted_values_hz(workspace: Workspace, route: Route) -> float:
    """Values a second that the source makes, as far as they are to arrive."""
    source_hz = float(route_timing(workspace, route).source_hz)
    if isinstance(route.source, ReceivedSource):
        other = other_end(workspace, route.source.uart)
        return source_hz / (other.words_each if other is not None else 1)
    if route.request == "timer" and not isinstance(route.source, TableSource):
        return float(route_timing(workspace, route).transfers_hz) / route.transfers
    return source_hz
