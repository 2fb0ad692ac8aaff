"""Likely causes: mistakes whose symptoms fit what a take shows, ranked by how well they fit.

A cause is looked for only in signals of which something fails. Each tester returns nothing rather
than a guess.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wattigram.core.accuracy import chain_scale, slot_settling
from wattigram.core.analysis import explained_share, fit_line, line_share
from wattigram.core.bench.model import FLOATING_OHM
from wattigram.core.design import Chain, Signal
from wattigram.core.design.edits import Edit, SetAlignment
from wattigram.core.expected import ExpectedStream, expected_raw
from wattigram.core.findings import find_all
from wattigram.core.quantity import brief, show_volts
from wattigram.core.take import SignalSamples, Take

FloatArray = NDArray[np.float64]
WEAKEST_FIT = 0.5
MOST_SAMPLES = 200_000
PINNED_SHARE = 0.02
OWN_LEVEL_RATIO = 2.0
LOOSE_OHM = FLOATING_OHM / 10
"""A source that charges the capacitor this slowly is taken for no source at all."""
MAINS_HZ = (50.0, 60.0)


@dataclass(frozen=True)
class LikelyCause:
    """A mistake that would look like this.

    Attributes
    ----------
    fit : float, 0 to 1
        Share of what is wrong that the cause accounts for.
    """

    signal: str
    cause: str
    title: str
    fit: float
    evidence: str
    remedy: Edit | None = None


@dataclass(frozen=True)
class _Case:
    """One failing signal with its captured and expected samples, all in volts at the pin."""

    take: Take
    chain: Chain
    signal: Signal
    captured: SignalSamples
    measured_v: FloatArray
    expected: ExpectedStream
    settled_v: FloatArray
    times_s: FloatArray


def likely_causes(take: Take, signal: str) -> list[LikelyCause]:
    """Causes for one signal that fails, the best fit first; empty where nothing fits."""
    case = _case(take, signal)
    if case is None:
        return []
    found = [cause for test in TESTERS if (cause := test(case)) is not None and cause.fit >= WEAKEST_FIT]
    return sorted(found, key=lambda cause: -cause.fit)


def _case(take: Take, name: str) -> _Case | None:
    chain = take.workspace.project.chain_of(name)
    captured = take.raw(name)
    if chain is None or captured is None or captured.count < 64:
        return None
    cycles = min(int(captured.cycles[-1]) + 1, MOST_SAMPLES)
    expected = expected_raw(take.history, chain.converter, name, 0, cycles)
    count = min(len(expected.settled_v), len(captured.volts))
    valid = captured.valid[:count]
    signal = captured.signal
    gain = float(signal.front_end)
    return _Case(
        take,
        chain,
        signal,
        captured,
        captured.volts[:count][valid] * gain,
        expected,
        expected.settled_v[:count][valid] * gain,
        captured.times_s[:count][valid],
    )


def _is_off(case: _Case) -> bool:
    """Something is wrong that noise does not explain."""
    gain = float(case.signal.front_end)
    off = np.abs(case.measured_v - case.settled_v)
    return float(np.mean(off > case.expected.half_width_v * gain)) > 0.01


def neighbour_points(take: Take, chain: Chain, name: str) -> tuple[FloatArray, FloatArray] | None:
    """Difference to the slot before, and what the reading is off, both in volts at the pin.

    Taken from what was captured in the slot before and from what the pin should have. None where
    the slot follows itself, or the loop is out of step.
    """
    workspace = take.workspace
    place = chain.places_of(name)[0]
    before = chain.slots[place - 1].signal
    slots = len(chain.slots)
    if before == name or chain.loop.items % slots:
        return None
    stream = workspace.project.chains.index(chain)
    scale = chain_scale(workspace, chain)
    items = take.items(stream)
    cycles = min(len(items) // slots, MOST_SAMPLES)
    volts = scale.item_volts(items[: cycles * slots].reshape(cycles, slots))
    valid = take.valid(stream, np.arange(cycles * slots)).reshape(cycles, slots)
    mine, other = volts[:, place], volts[:, place - 1]
    good = valid[:, place] & valid[:, place - 1]
    if place == 0:
        other = np.concatenate(([0.0], other[:-1]))
        good = good & np.concatenate(([False], valid[:-1, -1]))
    gain = float(workspace.project.signal(name).front_end)
    expected = expected_raw(take.history, chain.converter, name, 0, cycles)
    settled = expected.settled_v.reshape(cycles, -1)[:, 0] * gain
    return (other - settled)[good], (mine - settled)[good]


def _sampling_too_short(case: _Case) -> LikelyCause | None:
    """The reading is off by a fixed share of the difference to the slot before."""
    points = neighbour_points(case.take, case.chain, case.signal.name)
    if points is None or not _is_off(case):
        return None
    line = fit_line(*points)
    by_level = fit_line(case.settled_v, case.measured_v - case.settled_v)
    if 1 - line.share > OWN_LEVEL_RATIO * (1 - by_level.share):
        return None  # the error follows the signal's own level far better than its neighbour
    place = case.chain.places_of(case.signal.name)[0]
    settling = slot_settling(case.take.workspace, case.chain, place)
    if settling.needed_s is None or not 1e-4 < line.slope < 1 or _implied_ohm(case, line.slope) >= LOOSE_OHM:
        return None
    agreement = min(line.slope, settling.carry) / max(line.slope, settling.carry)
    # A bench that is wired otherwise than described still shows the symptom, only with another slope.
    fit = line.share * (0.6 + 0.4 * agreement)
    predicted = case.expected.predicted_v
    remedy = _remedy(case, "sampling-too-short")
    return LikelyCause(
        case.signal.name,
        "sampling-too-short",
        f"Sampling too short for {brief(settling.source_ohm, 'Ω')}",
        fit,
        f"the error follows slot {(place - 1) % len(case.chain.slots) + 1} ({settling.neighbour}), r = {line.r:.2f}; "
        f"{line.slope * 100:.3g} % of the difference is left, {settling.carry * 100:.3g} % predicted from "
        f"{brief(settling.sampling_s, 's', 3)}; reading predicted up to {show_volts(float(predicted.max()))}",
        remedy,
    )


def _implied_ohm(case: _Case, carry: float) -> float:
    """Source resistance that would leave this share after the slot's sampling time."""
    workspace = case.take.workspace
    converter = workspace.converter(case.chain)
    place = case.chain.places_of(case.signal.name)[0]
    sampling_s = slot_settling(workspace, case.chain, place).sampling_s
    if not 0 < carry < 1:
        return math.inf if carry >= 1 else 0.0
    return sampling_s / (converter.sampling_capacitor_f * -math.log(carry)) - converter.switch_resistance_ohm


def _remedy(case: _Case, code: str) -> Edit | None:
    """The cure that the design's own findings offer."""
    for finding in find_all(case.take.workspace):
        is_own = finding.signal in {"", case.signal.name} and finding.converter in {"", case.chain.converter}
        if finding.code == code and is_own:
            return finding.remedy
    return None


def _loop_out_of_step(case: _Case) -> LikelyCause | None:
    """From lap to lap the signal's places hold other signals."""
    slots = len(case.chain.slots)
    items = case.chain.loop.items
    if items % slots == 0 or not _is_off(case):
        return None
    workspace = case.take.workspace
    scale = chain_scale(workspace, case.chain)
    samples = case.captured
    count = min(len(samples.items), MOST_SAMPLES)
    stream = workspace.project.chains.index(case.chain)
    data = case.take.items(stream)
    cycles = min(len(data) // slots, MOST_SAMPLES // slots)
    by_slot = np.empty((cycles, slots))
    for name in {slot.signal for slot in case.chain.slots}:
        gain = float(workspace.project.signal(name).front_end)
        course = expected_raw(case.take.history, case.chain.converter, name, 0, cycles).predicted_v * gain
        by_slot[:, list(case.chain.places_of(name))] = course.reshape(cycles, -1)
    numbers = np.arange(cycles * slots)
    believed = numbers % items % slots
    mine = np.isin(believed, case.chain.places_of(case.signal.name))
    measured = scale.item_volts(data[: cycles * slots])[mine]
    own = by_slot[numbers[mine] // slots, believed[mine]]
    true = by_slot.ravel()[mine]
    fit = explained_share(measured, own, true)
    return LikelyCause(
        case.signal.name,
        "loop-out-of-step",
        f"{case.chain.loop.name} is out of step",
        fit,
        f"{items} items are no multiple of {slots} slots: from the second lap on the places hold signals "
        f"{items % slots} along; taking that into account explains {fit * 100:.1f} % of the error ({count} samples)",
        _remedy(case, "loop-out-of-step"),
    )


def _wrong_alignment(case: _Case) -> LikelyCause | None:
    """All readings are 2^k times too big or too small."""
    base = float(case.settled_v @ case.settled_v)
    if base <= 0 or not _is_off(case):
        return None
    factor = float(case.measured_v @ case.settled_v) / base
    spare = case.chain.loop.width_bits - case.chain.bits
    if factor <= 0 or spare <= 0:
        return None
    power = round(math.log2(factor))
    if abs(power) != spare or abs(math.log2(factor) - power) > 0.1:
        return None
    fit = explained_share(case.measured_v, case.settled_v, case.settled_v * 2.0**power)
    found, other = ("left", "right") if power > 0 else ("right", "left")
    return LikelyCause(
        case.signal.name,
        "wrong-alignment",
        f"Codes are {found}-aligned, read as {other}-aligned",
        fit,
        f"readings are {factor:.3f} times what is expected, and {case.chain.bits} bits in {case.chain.loop.width_bits} "
        f"leave a factor of {2**spare}",
        SetAlignment(case.chain.converter, "left" if power > 0 else "right"),
    )


def _input_beyond_reference(case: _Case) -> LikelyCause | None:
    """Readings stand still at full scale, or at zero."""
    scale = chain_scale(case.take.workspace, case.chain)
    count = len(case.measured_v)
    top = (scale.highest_code - 1) * scale.lsb_v
    full_v = (scale.highest_code + 0.5) * scale.lsb_v  # codes beyond are no codes of this converter
    at_top = float(np.count_nonzero((case.measured_v >= top) & (case.measured_v <= full_v))) / count
    at_zero = float(np.count_nonzero(case.measured_v <= 0)) / count
    share, end, edge = max((at_top, "full scale", top), (at_zero, "zero", 0.0))
    if share < PINNED_SHARE:
        return None
    values = case.measured_v[(case.measured_v < top) & (case.measured_v > 0)]
    # A level that rests near the end by design is no symptom: it must be expected elsewhere, or meet the end abruptly.
    near = np.abs(values - edge) < 8 * scale.lsb_v
    crowded = float(np.count_nonzero(near)) / count
    if crowded > share:
        return None
    gain = float(case.signal.front_end)
    calm = float(np.mean(np.abs(case.settled_v - edge) < 2 * scale.lsb_v + case.expected.half_width_v * gain))
    wiring_finding = any(
        finding.code == "input-beyond-reference" and finding.signal == case.signal.name
        for finding in find_all(case.take.workspace)
    )
    if calm >= share and not wiring_finding:
        return None
    return LikelyCause(
        case.signal.name,
        "input-beyond-reference",
        f"The input goes beyond {'the reference' if end == 'full scale' else '0 V'}",
        min(1.0, 0.7 + 0.3 * (1 - crowded / share)),
        f"{share * 100:.1f} % of the samples stand at {end}, only {crowded * 100:.2g} % just beside it",
        _remedy(case, "input-beyond-reference"),
    )


def _floating_pin(case: _Case) -> LikelyCause | None:
    """The reading wanders, carries mains, and copies the slot before."""
    if not _is_off(case):
        return None
    line_fit, ohm = 0.0, 0.0
    points = neighbour_points(case.take, case.chain, case.signal.name)
    if points is not None:
        line = fit_line(*points)
        ohm = _implied_ohm(case, line.slope)
        if ohm >= LOOSE_OHM:
            line_fit = line.share
    residual = case.measured_v - case.settled_v
    steps = np.diff(case.times_s)
    rate_hz = 1 / float(np.median(steps)) if len(steps) else 1.0
    mains = [(line_share(residual, rate_hz, hertz), hertz) for hertz in MAINS_HZ if hertz < rate_hz / 2]
    share, hertz = max(mains, default=(0.0, 0.0))
    # A source that is a sine at mains frequency itself would leave such a line too, when it is merely scaled.
    own_share = line_share(case.settled_v, rate_hz, hertz) if hertz else 0.0
    if own_share > 0.5:
        share = 0.0
    fit = max(line_fit, share)
    if fit < WEAKEST_FIT:
        return None
    parts = []
    if line_fit:
        shown = "more than 100 MΩ" if not ohm < 1e8 else f"about {brief(ohm, 'Ω', 2)}"
        parts.append(f"it copies the slot before as if fed through {shown} (R² = {line_fit:.2f})")
    if share > 0.1:
        parts.append(f"{share * 100:.0f} % of the error is a line at {hertz:.0f} Hz")
    return LikelyCause(
        case.signal.name,
        "floating-pin",
        f"Nothing drives pin {case.signal.pin}",
        fit,
        "; ".join(parts) or "the reading wanders",
    )


TESTERS: tuple[Callable[[_Case], LikelyCause | None], ...] = (
    _sampling_too_short,
    _loop_out_of_step,
    _wrong_alignment,
    _input_beyond_reference,
    _floating_pin,
)
