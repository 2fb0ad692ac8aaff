"""Readings that stand at an end, are off by a constant or a factor, or scatter too much."""

from __future__ import annotations

import math

import numpy as np

from wattigram.core.analysis import explained_share, fit_line
from wattigram.core.base.quantity import format_percent, format_si
from wattigram.core.judge.causes.base import (
    MOST_SAMPLES,
    FailingSignal,
    LikelyCause,
    first_values,
    register_cause,
)
from wattigram.core.judge.causes.expectations_and_costs import offset_v
from wattigram.core.judge.causes.loopback import EXCHANGED, exchanged_with
from wattigram.core.predict.accuracy import converter_noise_lsb, signal_noise

PINNED_SHARE = 0.02
CLEAR_SIGMAS = 4


@register_cause("input-beyond-reference")
def input_beyond_reference(case: FailingSignal) -> LikelyCause | None:
    """Readings stand still at full scale, or at zero."""
    if case.captured is None or not case.is_reading:
        return None
    scale = case.scale
    count = len(case.measured_v)
    top = (scale.highest_code - 1) * scale.lsb_v
    full_v = (scale.highest_code + 0.5) * scale.lsb_v  # codes beyond are no codes of this converter
    at_top = float(np.count_nonzero((case.measured_v >= top) & (case.measured_v <= full_v))) / count
    at_zero = float(np.count_nonzero(case.measured_v <= 0)) / count
    share, end, edge = max((at_top, "full scale", top), (at_zero, "zero", 0.0))
    if share < PINNED_SHARE:
        return None
    values = case.measured_v[(case.measured_v < top) & (case.measured_v > 0)]
    # A level that rests near the end by design is no symptom: it must be expected elsewhere, or
    # meet the end abruptly.
    near = np.abs(values - edge) < 8 * scale.lsb_v
    crowded = float(np.count_nonzero(near)) / count
    if crowded > share:
        return None
    gain = float(case.signal.scaling)
    calm = float(
        np.mean(np.abs(case.settled_v - edge) < 2 * scale.lsb_v + case.expected.half_width_v * gain)
    )
    wiring_finding = case.finding("input-beyond-reference")
    if wiring_finding is None and (calm >= share or exchanged_with(case)[0] > EXCHANGED):
        return None
    return case.cause(
        "input-beyond-reference",
        f"The input goes beyond {'the reference' if end == 'full scale' else '0 V'}",
        (1.0 if wiring_finding is not None else 0.85) * min(1.0, 0.7 + 0.3 * (1 - crowded / share)),
        f"{share * 100:.1f} % of the samples stand at {end}, only {format_percent(crowded, 2)} just "
        "beside it",
        case.remedy("input-beyond-reference"),
    )


@register_cause("not-calibrated", "startup-calibrate")
def not_calibrated(case: FailingSignal) -> LikelyCause | None:
    """Every reading is off by the same few counts."""
    if case.captured is None:
        return None
    converter = case.take.workspace.converter(case.chain)
    error = (case.measured_v - case.settled_v) / case.scale.lsb_v
    finer = 2 ** (max(converter.bits) - case.chain.bits)
    known_lsb = converter.offset_uncalibrated_lsb / finer
    offset_lsb = float(np.median(error))
    if not converter.needs_calibration or abs(offset_lsb) < 1.5 or abs(known_lsb) < 1.5:
        return None
    # The median of n readings is good to 1.25 σ / √n; what noise alone could make is no offset.
    error_lsb = 1.2533 * float(error.std()) / math.sqrt(len(error))
    if (
        abs(offset_lsb) < CLEAR_SIGMAS * error_lsb
        or offset_lsb * known_lsb < 0
        or _others_disagree(case, offset_lsb)
    ):
        return None
    noise_lsb = signal_noise_lsb(case)
    spread = float(np.mean(np.square(error - offset_lsb))) - noise_lsb**2
    spread = max(spread, noise_lsb**2 * math.sqrt(2 / len(error)))
    constant = offset_lsb**2 / (offset_lsb**2 + max(0.0, spread))
    agreement = 1 - abs(offset_lsb - known_lsb) / max(abs(offset_lsb), abs(known_lsb))
    finding = case.of_chain("not-calibrated") or case.of_chain("startup-calibrate")
    return case.cause(
        "not-calibrated",
        f"{case.chain.converter} is not calibrated",
        constant * min(1.0, 0.3 + agreement),
        f"readings are off by {offset_lsb:+.1f} LSB throughout, and an uncalibrated "
        f"{case.chain.converter} is off by "
        f"{known_lsb:+.1f} LSB",
        finding.remedy if finding is not None else None,
        whole=True,
    )


def _others_disagree(case: FailingSignal, offset_lsb: float) -> bool:
    """Whether another signal of the same converter is off by something else: an offset is that of
    all of them."""
    for name in dict.fromkeys(slot.signal for slot in case.chain.slots):
        offset = offset_v(case.take, name) if name != case.signal.name else None
        if offset is None or case.take.workspace.project.signal(name).negative is not None:
            continue
        other_lsb, error_lsb = (one / case.scale.lsb_v for one in offset)
        if abs(other_lsb - offset_lsb) > CLEAR_SIGMAS * error_lsb + max(1.5, 0.3 * abs(offset_lsb)):
            return True
    return False


def signal_noise_lsb(case: FailingSignal) -> float:
    """Noise to be expected of a sample."""
    return signal_noise(case.take.workspace, case.chain, case.signal).raw_lsb


@register_cause("clock-too-fast")
def clock_too_fast(case: FailingSignal) -> LikelyCause | None:
    """Readings scatter more than they should, as much as such a clock makes them."""
    finding = case.of_chain("clock-too-fast")
    if finding is None or case.captured is None:
        return None
    workspace = case.take.workspace
    converter = workspace.converter(case.chain)
    error = (case.measured_v - case.settled_v) / case.scale.lsb_v
    measured_lsb = float(np.std(error - np.median(error)))
    calm_lsb = converter.noise_lsb / 2 ** (max(converter.bits) - case.chain.bits)
    predicted_lsb = signal_noise_lsb(case)
    if measured_lsb < 1.5 * calm_lsb:
        return None
    return case.cause(
        "clock-too-fast",
        f"{case.chain.converter} is clocked too fast",
        1 - abs(measured_lsb - predicted_lsb) / max(measured_lsb, predicted_lsb),
        f"readings scatter by {measured_lsb:.2f} LSB rms; {predicted_lsb:.2f} LSB are to be "
        "expected of "
        f"{format_si(case.cycle.clock_hz, 'Hz')}, of which the converter makes "
        f"{converter_noise_lsb(workspace, case.chain):.2f}",
        finding.remedy,
        whole=True,
    )


@register_cause("full-scale-read")
def factor_off(case: FailingSignal) -> LikelyCause | None:
    """Readings are too small or too big by a fixed share: a slow clock's leakage, or another full
    scale."""
    if case.captured is None:
        return None
    line = fit_line(case.settled_v, case.measured_v)
    base = float(case.settled_v @ case.settled_v)
    if base <= 0:
        return None
    factor = line.slope if line.share > 0.999 else float(case.measured_v @ case.settled_v) / base
    converter = case.take.workspace.converter(case.chain)
    slow = max(0.0, 1 - float(case.cycle.clock_hz / converter.clock_low_hz))
    choices = []
    if slow:
        choices.append(
            (
                "clock-too-slow",
                f"{case.chain.converter} is clocked too slowly",
                -2 * slow * converter.leakage_share,
            )
        )
    if case.of_chain("full-scale-read") is not None:
        steps = (1 << case.chain.bits) - 1
        sign = 1 if case.chain.read_as.full_scale == "2^N-1" else -1
        choices.append(
            ("full-scale-read", "Volts are computed with another full scale", sign / steps)
        )
    for code, title, share in choices:
        total = share + converter.gain_error
        off = factor - 1
        if abs(off) < 0.3 * abs(total):
            continue
        finding = case.of_chain(code)
        return case.cause(
            code,
            title,
            1 - abs(off - total) / max(abs(off), abs(total)),
            f"readings are {off * 100:+.3g} % off, {total * 100:+.3g} % predicted",
            finding.remedy if finding is not None else None,
            whole=True,
        )
    return None


@register_cause("mean-shift-mismatch", "sum-too-wide")
def mean_is_scaled(case: FailingSignal) -> LikelyCause | None:
    """The reduced stream is the right one times count / 2^shift, or folds over where its sum
    overflows."""
    reduced = first_values(case.take, case.signal.name)
    stage = case.signal.filter
    if stage is None:
        return None
    captured = reduced if reduced is not None else case.take.head(case.signal.name, MOST_SAMPLES)
    if captured is None or captured.count < 16:
        return None
    settled = case.due_after_stage(len(captured.volts))
    measured = captured.volts[: len(settled)][captured.valid[: len(settled)]] * case.gain
    settled = settled[captured.valid[: len(settled)]]
    factor = float(stage.gain_ratio) / stage.assumed_gain
    if factor != 1:
        fit = explained_share(measured, settled, settled * factor)
        return case.cause(
            "mean-shift-mismatch",
            f"The mean of {case.signal.name} is scaled by {factor:.4g}",
            fit,
            f"a sum of {stage.count} is shifted by {stage.shift}: {factor:.4g} times the mean "
            f"explains {fit * 100:.1f} %",
            case.remedy("mean-shift-mismatch"),
        )
    if case.finding("sum-too-wide") is None:
        return None
    span_v = (
        (1 << stage.accumulator_bits)
        * case.scale.lsb_v
        / float(stage.gain_ratio)
        / (1 << stage.shift)
    )
    folded = np.mod(settled, span_v)
    near = np.abs((measured - folded + span_v / 2) % span_v - span_v / 2)
    fit = float(np.mean(near < 0.02 * span_v + 4 * case.scale.lsb_v)) * float(
        np.mean(settled > span_v) > 0.01
    )
    return case.cause(
        "sum-too-wide",
        f"The sum of {case.signal.name} overflows",
        fit,
        f"{fit * 100:.1f} % of the values are what is expected less a multiple of what "
        f"{stage.accumulator_bits} bits hold",
        case.remedy("sum-too-wide"),
    )
