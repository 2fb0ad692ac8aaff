"""A reading that leans towards the slot before it, or that nothing drives at all."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis import fit_line, line_share, longest_stretch
from wattigram.core.base.quantity import format_percent, format_si, format_volts
from wattigram.core.capture.take import Take
from wattigram.core.judge.causes.base import (
    FEWEST_SAMPLES,
    MOST_SAMPLES,
    WEAKEST_FIT,
    FailingSignal,
    LikelyCause,
    register_cause,
)
from wattigram.core.model.bench import SineSource
from wattigram.core.model.bench.wiring import FLOATING_OHM
from wattigram.core.model.design import Chain, signal_scale
from wattigram.core.predict.accuracy import slot_settling
from wattigram.core.predict.expected import expected_settled
from wattigram.core.predict.pins import input_source

FloatArray = NDArray[np.float64]
OWN_LEVEL_RATIO = 2.0
LOOSE_OHM = FLOATING_OHM / 10
"""A source that charges the capacitor this slowly is taken for no source at all."""
AT_MOST_LOOSE = 0.97
"""Of a pin that floats: what an exchanged wire accounts for wholly is that rather."""
MAINS_HZ = (50.0, 60.0)


def neighbour_points(take: Take, chain: Chain, name: str) -> tuple[FloatArray, FloatArray] | None:
    """Difference to the slot before, and what the reading is off, both in volts at the pin.

    Taken from what was captured in the slot before and from what the pin should have. None where
    the slot follows itself, or the loop is out of step.

    Both are (points,) float64; None where there are too few.
    """
    workspace = take.workspace
    place = chain.places_of(name)[0]
    before = chain.slots[place - 1].signal
    slots = len(chain.slots)
    if before == name or chain.buffer.samples % slots:
        return None
    stream = workspace.project.chains.index(chain)
    first = take.first_cycle(chain)
    items = take.items(stream, first * slots, (first + MOST_SAMPLES) * slots)
    cycles = min(len(items) // slots, MOST_SAMPLES)
    if cycles < FEWEST_SAMPLES:
        return None
    scales = [signal_scale(workspace, chain, chain.slots[at].signal) for at in (place, place - 1)]
    rows = items[: cycles * slots].reshape(cycles, slots)
    numbers = np.arange(first * slots, (first + cycles) * slots)
    valid = take.valid(stream, numbers).reshape(cycles, slots)
    mine, other = scales[0].item_volts(rows[:, place]), scales[1].item_volts(rows[:, place - 1])
    good = valid[:, place] & valid[:, place - 1]
    if place == 0:
        other = np.concatenate(([0.0], other[:-1]))
        good = good & np.concatenate(([False], valid[:-1, -1]))
    gain = float(workspace.project.signal(name).scaling)
    expected_v = expected_settled(
        take.history,
        chain.converter,
        name,
        first,
        first + cycles,
        take.instants(chain, first, first + cycles),
    )
    settled = expected_v.reshape(cycles, -1)[:, 0] * gain
    return (other - settled)[good], (mine - settled)[good]


@register_cause("sampling-too-short")
def sampling_too_short(case: FailingSignal) -> LikelyCause | None:
    """The reading is off by a fixed share of the difference to the slot before."""
    points = neighbour_points(case.take, case.chain, case.signal.name)
    if points is None or not case.is_off or case.floats:
        return None
    line = fit_line(*points)
    by_level = fit_line(case.settled_v, case.measured_v - case.settled_v)
    if 1 - line.share > OWN_LEVEL_RATIO * (1 - by_level.share):
        return None  # the error follows the signal's own level far better than its neighbour
    place = case.chain.places_of(case.signal.name)[0]
    settling = slot_settling(case.take.workspace, case.chain, place)
    if not 1e-4 < line.slope < 1 or (
        not settling.external_f and _implied_ohm(case, line.slope) >= LOOSE_OHM
    ):
        return None
    agreement = min(line.slope, settling.carry) / max(line.slope, settling.carry)
    # A bench that is wired otherwise than described still shows the symptom, only with another
    # slope.
    fit = line.share * (0.6 + 0.4 * agreement)
    predicted = case.expected.predicted_v
    remedy = case.remedy("sampling-too-short")
    return case.cause(
        "sampling-too-short",
        f"Sampling too short for {format_si(settling.source_ohm, 'Ω')}",
        fit,
        f"the error follows slot {(place - 1) % len(case.chain.slots) + 1} "
        f"({settling.neighbour}), r = {line.r:.2f}; "
        f"{format_percent(line.slope)} of the difference is left, {format_percent(settling.carry)} "
        "predicted from "
        f"{format_si(settling.sampling_s, 's', 3)}; reading predicted up to "
        f"{format_volts(float(predicted.max()))}",
        remedy,
    )


def _implied_ohm(case: FailingSignal, carry: float) -> float:
    """Source resistance that would leave this share after the slot's sampling time."""
    workspace = case.take.workspace
    converter = workspace.converter(case.chain)
    place = case.chain.places_of(case.signal.name)[0]
    sampling_s = slot_settling(workspace, case.chain, place).sampling_s
    if not 0 < carry < 1:
        return math.inf if carry >= 1 else 0.0
    return (
        sampling_s / (converter.sampling_capacitor_f * -math.log(carry))
        - converter.switch_resistance_ohm
    )


def _is_misread(case: FailingSignal) -> bool:
    """Items are known to be cut or put together otherwise: whatever is read then wanders."""
    codes = (
        "item-width-read",
        "item-too-narrow",
        "loop-out-of-step",
        "slot-order",
        "byte-order-read",
        "alignment-read",
    )
    return (
        any(case.of_chain(code) is not None for code in codes)
        or case.finding("input-beyond-reference") is not None
    )


def _has_source_at(case: FailingSignal, hertz: float) -> bool:
    """Another pin is fed with that frequency: an exchanged wire brings it as well as the mains
    do."""
    workspace = case.take.workspace
    sources = [
        input_source(workspace, wiring.pin)
        for wiring in workspace.project.bench
        if wiring.pin != case.signal.pin
    ]
    return any(
        isinstance(source, SineSource) and abs(float(source.frequency_hz) - hertz) < 1
        for source in sources
    )


@register_cause("floating-pin", "input-beyond-reference")
def floating_pin(case: FailingSignal) -> LikelyCause | None:
    """The reading wanders, carries mains, and copies the slot before."""
    if not case.is_off or _is_misread(case) or not case.is_reading:
        return None
    line_fit, ohm = 0.0, 0.0
    points = neighbour_points(case.take, case.chain, case.signal.name)
    if points is not None:
        line = fit_line(*points)
        ohm = _implied_ohm(case, line.slope)
        if ohm >= LOOSE_OHM:
            line_fit = line.share
    whole = longest_stretch(
        case.times_s
    )  # lines of a spectrum are those of a stretch without a gap
    times_s, settled_v = case.times_s[whole], case.settled_v[whole]
    residual = case.measured_v[whole] - settled_v
    span_s = float(times_s[-1] - times_s[0]) if len(times_s) else 0.0
    rate_hz = (len(times_s) - 1) / span_s if span_s > 0 else 1.0
    mains = [
        (line_share(residual, rate_hz, hertz), hertz) for hertz in MAINS_HZ if hertz < rate_hz / 2
    ]
    share, hertz = max(mains, default=(0.0, 0.0))
    # A source that is a sine at mains frequency itself would leave such a line too, when it is
    # merely scaled.
    own_share = line_share(settled_v, rate_hz, hertz) if hertz else 0.0
    if own_share > 0.5 or _has_source_at(case, hertz):
        share = 0.0
    fit = min(max(line_fit, share), AT_MOST_LOOSE)
    if fit < WEAKEST_FIT:
        return None
    parts = []
    if line_fit:
        shown = "more than 100 MΩ" if not ohm < 1e8 else f"about {format_si(ohm, 'Ω', 2)}"
        parts.append(f"it copies the slot before as if fed through {shown} (R² = {line_fit:.2f})")
    if share > 0.1:
        parts.append(f"{share * 100:.0f} % of the error is a line at {hertz:.0f} Hz")
    return case.cause(
        "floating-pin",
        f"Nothing drives pin {case.signal.pin}",
        fit,
        "; ".join(parts) or "the reading wanders",
        None,
    )
