"""Kinds of measurement, each a function here and its line in the registry."""

from __future__ import annotations

import math
from collections.abc import Callable

import msgspec
import numpy as np
from msgspec import structs

from wattigram.core.analysis import (
    Dynamic,
    Estimate,
    FoldGatherer,
    SpectrumGatherer,
    StatisticsGatherer,
    Stream,
    bits_at_full_scale,
    bits_at_level,
    dynamic,
    intervals,
    statistics,
    step_response,
)
from wattigram.core.base.errors import TakeError
from wattigram.core.base.quantity import value_text
from wattigram.core.capture.recording import Channel, Recording
from wattigram.core.capture.recording.from_take import TakeChannel
from wattigram.core.judge.measured.beside_expected import beside_expected
from wattigram.core.judge.measured.events import MOST as MOST_EVENTS
from wattigram.core.judge.measured.events import event_figures
from wattigram.core.judge.measured.figures import Figure, Measured
from wattigram.core.judge.measured.of_codes import histogram_of
from wattigram.core.judge.measured.of_two import (
    against_of,
    difference_of,
    gain_of,
    lag_of,
    latency_of,
    response_of,
)
from wattigram.core.judge.measured.predicted import Predicted, predicted
from wattigram.core.judge.measured.wanted import (
    GONE_BACK,
    Wanted,
    crossing_instants,
    measured_of,
    middle,
    stretch_of,
)

SEGMENT, FEWEST_SEGMENT, AVERAGES = 1 << 14, 256, 8
"""Samples in a segment of a spectrum, where nobody says: at most, at least, and into how many parts the stretch is
cut between them."""


class Kind(msgspec.Struct, frozen=True):
    """How a kind is called, how many channels it takes, and what measures it."""

    name: str
    title: str
    channels: int
    measure: Callable[[tuple[Channel, ...], Wanted], Measured]


def _with_sensors(measured: Measured, channels: tuple[Channel, ...]) -> Measured:
    """Said beside the figures, by how much sensors may be off: it is the same for all readings, so that no figure's
    own uncertainty can tell it."""
    notes = [
        f"The sensor of “{channel.name}” may be off by {value_text(channel.within, channel.unit)} (k = 2), the same "
        "for all of it."
        for channel in channels
        if channel.within
    ]
    return structs.replace(measured, notes=(*measured.notes, *notes)) if notes else measured


def measure(
    recording: Recording, wanted: Wanted, progress: Callable[[float], None] | None = None
) -> Measured:
    """Measure a stretch of a recording; ``progress`` is told how much of a channel was read, 0 to 1, and may raise to
    end it.

    Raises
    ------
    TakeError
        Where there is nothing to measure, or not enough of it.
    """
    kind = next((kind for kind in KINDS if kind.name == wanted.kind), None)
    if kind is None:
        known = ", ".join(kind.name for kind in KINDS)
        raise TakeError(
            f"“{wanted.kind}” is nothing that is measured.", cure=f"Choose one of {known}."
        )
    if len(wanted.channels) != kind.channels:
        raise TakeError(
            f"{kind.title} takes {kind.channels} channel{'s' if kind.channels > 1 else ''}, and "
            f"{len(wanted.channels)} were named."
        )
    channels = tuple(recording.channel(name) for name in wanted.channels)
    if progress is not None:
        channels = tuple(channel.watched(progress) for channel in channels)
    try:
        return _with_sensors(kind.measure(channels, wanted), channels)
    except ValueError as fault:
        raise TakeError(
            f"{kind.title} cannot be told of {' and '.join(f'“{name}”' for name in wanted.channels)}: {fault}.",
            where=recording.title,
            cure="Choose another stretch.",
        ) from fault


def _statistics(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    (channel,) = channels
    gatherer = StatisticsGatherer()
    begin_s = end_s = None
    samples = missing = 0
    for block in channel.blocks(wanted.begin_s, wanted.end_s):
        came = block.came
        gatherer.add(came.values, came.times_s)
        samples, missing = samples + len(came), missing + len(block) - len(came)
        begin_s = float(block.times_s[0]) if begin_s is None else begin_s
        end_s = float(block.times_s[-1])
    found = gatherer.result
    if found is None:
        raise ValueError("nothing came in that stretch")
    unit = channel.unit
    due = predicted(channel, wanted.begin_s, wanted.end_s)
    mean = None if due is None else float(due.values.mean())
    figures = [
        Figure.of("mean", "Mean", found.mean, unit, mean),
        Figure.of("std", "Standard deviation", found.std, unit, None if due is None else due.std),
        Figure.of(
            "rms",
            "Rms",
            found.rms,
            unit,
            None if due is None or mean is None else math.hypot(mean, due.std),
        ),
        Figure("minimum", "Least", found.low, 0.0, unit),
        Figure("maximum", "Greatest", found.high, 0.0, unit),
        Figure("peak-to-peak", "Peak to peak", found.peak_to_peak, 0.0, unit),
    ]
    if found.drift_per_s is not None:
        slope = None
        if due is not None and (course := statistics(due.values, due.times_s)) is not None:
            slope = None if course.drift_per_s is None else course.drift_per_s.value
        figures.append(
            Figure.of("drift", "Drift", found.drift_per_s, f"{unit}/s" if unit else "/s", slope)
        )
    if channel.lsb is not None:
        figures.append(Figure("lsb", "One count", channel.lsb, 0.0, unit))
        noise = found.std.scaled(1 / channel.lsb)
        figures.append(Figure.of("std-lsb", "Standard deviation in counts", noise, "LSB"))
    notes = [
        "Uncertainties are k = 2; where neighbouring samples depend on each other, batches tell how much."
    ]
    return Measured(
        wanted.kind,
        wanted.channels,
        begin_s or 0.0,
        end_s or 0.0,
        samples,
        missing,
        tuple(figures),
        tuple(notes),
    )


def _expected(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    (channel,) = channels
    if not isinstance(channel, TakeChannel):
        raise ValueError("no design says what is expected of it")
    found = beside_expected(channel, wanted.begin_s, wanted.end_s)
    return Measured(wanted.kind, wanted.channels, **structs.asdict(found))


def _sine(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    (channel,) = channels
    block = stretch_of(channel, wanted)
    came = block.came
    found = dynamic(came.values, came.times_s, channel.full_scale)
    due = _due_sine(predicted(channel, wanted.begin_s, wanted.end_s), found, channel.full_scale)
    unit = channel.unit
    thd: tuple[Figure, ...] = (
        Figure.of("thd", "THD", found.thd_db, "dB", bound="at most" if found.thd_is_bound else ""),
    )
    figures = [
        Figure.of("frequency", "Frequency", found.frequency_hz, "Hz", due.get("frequency")),
        Figure.of("amplitude", "Amplitude", found.amplitude, unit, due.get("amplitude")),
        Figure.of("offset", "Offset", found.offset, unit, due.get("offset")),
        Figure.of("sinad", "SINAD", found.sinad_db, "dB", due.get("sinad")),
        Figure.of("snr", "SNR", found.snr_db, "dB", due.get("snr")),
        *thd,
        Figure.of(
            "sfdr",
            "SFDR",
            found.sfdr_db,
            "dB",
            bound="at least" if found.sfdr_is_bound else "",
            note=f"largest line at {found.spur_hz:.6g} Hz",
        ),
        Figure.of("enob", "ENOB at its level", found.enob, "bit", due.get("enob")),
    ]
    if found.enob_at_full_scale is not None and found.level_db is not None:
        figures += [
            Figure.of(
                "enob-full-scale",
                "ENOB at full scale",
                found.enob_at_full_scale,
                "bit",
                due.get("enob-full-scale"),
            ),
            Figure.of("level", "Level", found.level_db, "dBFS"),
        ]
    figures.append(Figure.of("noise", "Noise", found.noise, unit, due.get("noise")))
    figures += [
        Figure.of(
            f"harmonic-{one.order}",
            f"Harmonic {one.order}",
            one.amplitude,
            unit,
            note=f"seen at {one.folded_hz:.6g} Hz",
        )
        for one in found.harmonics
    ]
    notes = [
        "By least squares at the sample instants, after IEEE 1241; no window, coherent or not."
    ]
    if found.left_out:
        orders = ", ".join(map(str, found.left_out))
        notes.append(f"Harmonics {orders} fall where others are, and cannot be told from them.")
    if found.samples < len(came):
        notes.append(f"Only the first {found.samples} samples were looked at.")
    return measured_of(wanted, block, figures, notes)


def _due_sine(due: Predicted | None, found: Dynamic, full_scale: float | None) -> dict[str, float]:
    """The same of what is predicted, where that is a sine."""
    if due is None:
        return {}
    try:
        course = dynamic(due.values, due.times_s, full_scale, found.frequency_hz.value)
    except ValueError:
        return {}
    rest = course.noise_and_distortion.value**2 + due.noise**2
    tone = course.amplitude.value**2 / 2
    sinad = 10 * math.log10(tone / rest) if rest > 0 else math.inf
    full = (
        {"enob-full-scale": bits_at_full_scale(full_scale, math.sqrt(rest))}
        if full_scale and rest > 0
        else {}
    )
    return {
        "frequency": course.frequency_hz.value,
        "amplitude": course.amplitude.value,
        "offset": course.offset.value,
        "sinad": sinad,
        "snr": 10 * math.log10(tone / due.noise**2) if due.noise > 0 else math.inf,
        "enob": bits_at_level(sinad),
        "noise": math.hypot(due.noise, course.noise.value),
    } | full


def _spectrum(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    (channel,) = channels
    if channel.rate_hz is None:
        raise ValueError("a spectrum needs even samples, and these have instants of their own")
    begin, end = channel.numbers(wanted.begin_s, wanted.end_s)
    segment = wanted.segment or min(SEGMENT, max(FEWEST_SEGMENT, (end - begin) // AVERAGES))
    segment = min(segment, max(1, end - begin))
    gatherer = SpectrumGatherer(channel.rate_hz, segment, wanted.window)
    missing, blocks = 0, 0
    first_s = last_s = 0.0
    for block in channel.blocks(wanted.begin_s, wanted.end_s):
        first_s = float(block.times_s[0]) if not blocks else first_s
        last_s, blocks = float(block.times_s[-1]), blocks + 1
        missing += int(np.count_nonzero(~block.valid))
        edges = np.flatnonzero(np.diff(block.valid.astype(np.int8))) + 1
        for part in np.split(np.arange(len(block)), edges):
            if len(part) and block.valid[part[0]]:
                gatherer.add(block.values[part])
            else:
                gatherer.gap()
    found = gatherer.result
    if found is None:
        raise ValueError(f"no {segment} samples came without a gap")
    unit = channel.unit
    frequency, amplitude = found.highest_line()
    figures = [
        Figure.of("peak-frequency", "Highest line", frequency, "Hz"),
        Figure.of("peak-amplitude", "Its amplitude", amplitude, unit),
    ]
    density = found.noise_density(3 * found.bin_hz, channel.rate_hz / 2)
    if density is not None:
        due = predicted(channel, wanted.begin_s, wanted.end_s)
        flat = None if due is None else due.noise / math.sqrt(channel.rate_hz / 2)
        figures.append(Figure.of("density", "Noise density", density, f"{unit}/√Hz", flat))
    figures += [
        Figure("bin", "Between bins", found.bin_hz, 0.0, "Hz"),
        Figure("noise-bandwidth", "Noise bandwidth of a bin", found.noise_bandwidth_hz, 0.0, "Hz"),
    ]
    notes = [
        f"{found.window.capitalize()} window, {segment} samples, {found.averages} "
        f"segment{'s, each over half of the next' if found.averages > 1 else ''}; k = 2 of a bin is "
        f"{200 / math.sqrt(found.freedom):.0f} % of its mean square."
    ]
    curve = {"frequency_hz": found.frequencies_hz.tolist(), "mean_square": found.power.tolist()}
    if channel.full_scale:
        levels = found.decibels(channel.full_scale)
        curve["dbfs"] = np.where(np.isfinite(levels), levels, -400.0).tolist()
    return Measured(
        wanted.kind,
        wanted.channels,
        first_s,
        last_s,
        end - begin - missing,
        missing,
        tuple(figures),
        tuple(notes),
        curve,
    )


def _intervals(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    (channel,) = channels
    block = stretch_of(channel, wanted)
    came = block.came
    level = wanted.level
    if level is None:
        level = middle(came.values)
    instants = crossing_instants(Stream(came.values, came.times_s), wanted.rising, level)
    found = intervals(instants)
    if found is None:
        raise ValueError(f"it crosses {level:.4g} fewer than three times")
    frequency = Estimate(1 / found.mean_s.value, found.mean_s.sigma / found.mean_s.value**2)
    figures = [
        Figure("count", "Intervals", float(found.count), 0.0, ""),
        Figure.of("mean", "Mean", found.mean_s, "s"),
        Figure.of("frequency", "Frequency", frequency, "Hz"),
        Figure.of("jitter", "Jitter of intervals", found.jitter_s, "s"),
        Figure("shortest", "Shortest", found.low_s, 0.0, "s"),
        Figure("longest", "Longest", found.high_s, 0.0, "s"),
        Figure("accumulated", "Instants about even ones", found.accumulated_s, math.nan, "s"),
    ]
    if found.neighbour_jitter_s is not None:
        figures.insert(
            4, Figure.of("neighbour-jitter", "From one to the next", found.neighbour_jitter_s, "s")
        )
    way = "rising" if wanted.rising else "falling"
    notes = [
        f"Between {way} crossings of {level:.6g} {channel.unit}, on straight lines between samples; it must have gone "
        f"back by {GONE_BACK * float(np.ptp(came.values)):.3g} {channel.unit} before one counts again."
    ]
    return measured_of(wanted, block, figures, notes, {"instants_s": instants.tolist()})


def _folded(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    (channel,) = channels
    block = stretch_of(channel, wanted)
    came = block.came
    period_s, notes = wanted.period_s, []
    if period_s is None:
        fit = dynamic(came.values, came.times_s)
        period_s = 1 / fit.frequency_hz.value
        notes.append("The period is that of the sine that fits.")
    gatherer = FoldGatherer(period_s, 128, float(came.times_s[0]))
    gatherer.add(came.values, came.times_s)
    found = gatherer.result
    assert found is not None
    kept = found.counts > 1
    figures = [
        Figure("period", "Period", period_s, math.nan, "s"),
        Figure("periods", "Periods", found.periods, 0.0, ""),
        Figure("spread", "Spread, rms over the period", float(np.sqrt(np.mean(found.spread[kept] ** 2))), math.nan, channel.unit)
        if kept.any()
        else Figure("spread", "Spread", math.nan, math.nan, channel.unit),
        Figure("span", "Mean course, peak to peak", float(np.nanmax(found.mean) - np.nanmin(found.mean)), math.nan, channel.unit),
    ]  # fmt: skip
    curve = {
        "at_s": found.at_s.tolist(),
        "mean": np.nan_to_num(found.mean).tolist(),
        "spread": np.nan_to_num(found.spread).tolist(),
        "count": found.counts.tolist(),
    }
    return measured_of(wanted, block, figures, notes, curve)


def _step(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    (channel,) = channels
    block = stretch_of(channel, wanted)
    came = block.came
    found = step_response(came.values, came.times_s, wanted.band)
    unit = channel.unit
    figures = [
        Figure.of("before", "Level before", found.before, unit),
        Figure.of("after", "Level after", found.after, unit),
        Figure.of("height", "Height", found.height, unit),
        Figure.of("at", "Half way at", found.at_s, "s"),
        Figure.of("overshoot", "Overshoot", found.overshoot.scaled(100), "%"),
    ]
    if found.rise_s is not None:
        figures.append(Figure.of("rise", "From 10 to 90 %", found.rise_s, "s"))
    if found.settling_s is not None:
        figures.append(
            Figure.of("settling", f"Settled within {100 * found.band:g} %", found.settling_s, "s")
        )
    return measured_of(
        wanted,
        block,
        figures,
        ["Levels are means of the first eighth and the last quarter of the stretch."],
    )


def _events(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    (channel,) = channels
    if not isinstance(channel, TakeChannel):
        raise ValueError("only a take has events")
    figures = event_figures(channel, wanted.begin_s, wanted.end_s)
    if not figures:
        raise ValueError("no event came in that stretch, and none was due")
    begin, end = channel.numbers(wanted.begin_s, wanted.end_s)
    times = (
        wanted.begin_s or 0.0,
        wanted.end_s if wanted.end_s is not None else channel.take.seconds,
    )
    came = sum(not math.isnan(figure.value) for figure in figures)
    late = [
        one.value - one.predicted
        for one in figures
        if one.predicted is not None and not math.isnan(one.value)
    ]
    notes = [f"{came} came, {sum(one.predicted is not None for one in figures)} were due."]
    if late:
        notes.append(f"Latest by {max(late) * 1e3:.4g} ms, earliest by {min(late) * 1e3:.4g} ms.")
    if len(figures) == MOST_EVENTS:
        notes.append(f"Only the first {MOST_EVENTS} are listed.")
    return Measured(wanted.kind, wanted.channels, *times, end - begin, 0, figures, tuple(notes))


KINDS = (
    Kind("statistics", "Statistics", 1, _statistics),
    Kind("expected", "Expected", 1, _expected),
    Kind("sine", "Sine", 1, _sine),
    Kind("spectrum", "Spectrum", 1, _spectrum),
    Kind("histogram", "Histogram", 1, histogram_of),
    Kind("intervals", "Intervals", 1, _intervals),
    Kind("folded", "Folded", 1, _folded),
    Kind("step", "Step", 1, _step),
    Kind("events", "Events", 1, _events),
    Kind("gain", "Gain and phase", 2, gain_of),
    Kind("response", "Response", 2, response_of),
    Kind("against", "X–Y", 2, against_of),
    Kind("difference", "Difference", 2, difference_of),
    Kind("lag", "Lag", 2, lag_of),
    Kind("latency", "Latency", 2, latency_of),
)
