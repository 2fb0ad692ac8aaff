"""Expectations that follow from what is wired to a signal's pin: a start for the engineer's own."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np

from wattigram.core.analysis import phase_count, quantised_amplitude_bias
from wattigram.core.judge.missing_data import may_pause
from wattigram.core.judge.rate_judge import wanted_rate_hz
from wattigram.core.model.bench import (
    DcSource,
    FloatingInput,
    ShapeSource,
    SineSource,
    SquareSource,
    SweptSource,
    TriangleSource,
)
from wattigram.core.model.design import (
    BytesAction,
    Chain,
    EdgesExpectation,
    Expectation,
    LevelExpectation,
    NoiseExpectation,
    RateExpectation,
    ReactionExpectation,
    RedundantPairExpectation,
    Signal,
    SineExpectation,
    SquareExpectation,
    TextAction,
    TextExpectation,
    ThresholdExpectation,
    WaveformExpectation,
    Workspace,
    limits_v,
    output_of,
    signal_scale,
)
from wattigram.core.predict.expected import band_half_width_v
from wattigram.core.predict.pins import input_extent_v, input_source
from wattigram.core.predict.program import reaction_timing
from wattigram.core.predict.timing import scan_timing, signal_rate_hz
from wattigram.core.predict.timing.isr_cost import software_step, starts_each

SINE_WITHIN = 0.01
PHASE_CYCLES = 256
"""Cycles of a short take, by which it is told how many places of a sine's period are sampled."""
RATE_WITHIN = 50e-6
EVENT_SAMPLES = 6
LEAST_WITHIN_S, LEAST_WITHIN_V = 20e-6, 0.01
"""Of a reaction that is due at once, and of a text without values."""
SOFTWARE_WITHIN = 0.005
SOFTWARE_SPREAD = Fraction(1, 5)


def _rounded_hz(hertz: float) -> Fraction:
    """A rate as a fraction with a small denominator, so that it is written as an engineer would."""
    return Fraction(hertz).limit_denominator(1_000_000)


def suggest_expectations(workspace: Workspace, name: str) -> tuple[Expectation, ...]:
    """What should hold of a signal as wired, with limits that its expected band gives; those there
    already left out."""
    project = workspace.project
    signal = project.signal(name)
    chain = project.chain_of(name)
    if chain is None:
        return ()
    half_v = _round_up(band_half_width_v(workspace, chain, name, reduced=False))
    expectations = [
        *_of_source(workspace, chain, signal, half_v),
        *_of_stages(workspace, chain, signal, half_v),
        RateExpectation(
            signal=name,
            within=_rate_within(workspace, chain),
            rate_hz=_rounded_hz(wanted_rate_hz(workspace, chain)),
            pauses=may_pause(workspace, chain),
        ),
    ]
    there = {(item.signal, item.kind) for item in project.expectations}
    return tuple(item for item in expectations if (item.signal, item.kind) not in there)


def _rate_within(workspace: Workspace, chain: Chain) -> float:
    """A crystal's, or the tolerance of whatever else sets the rate: the converter's own oscillator,
    or software.

    Software takes as many clocks as its compiler makes of it; of the time that it has in a cycle a
    fifth may be
    otherwise than the design says, and its waits vary besides.
    """
    cycle = scan_timing(workspace, chain)
    oscillator = workspace.converter(chain).oscillator
    is_own = (
        chain.clock == "internal" and oscillator is not None and cycle.trigger.pace != "pattern"
    )
    within = (
        max(RATE_WITHIN, oscillator.tolerance) if is_own and oscillator is not None else RATE_WITHIN
    )
    if cycle.trigger.by_software or starts_each(workspace, chain):
        step = software_step(workspace, chain)
        own_s = step.service_s + step.restart_s
        of_software = max(SOFTWARE_WITHIN, float(SOFTWARE_SPREAD * own_s * cycle.cycle_rate_hz))
        within = min(0.5, of_software + (within if is_own else 0.0))
    return within


def _of_source(
    workspace: Workspace, chain: Chain, signal: Signal, half_v: float
) -> list[Expectation]:
    if workspace.wiring(signal.pin) is None:
        return []
    if signal.negative is not None:
        return _of_pair(workspace, signal, half_v)
    source = input_source(workspace, signal.pin)
    if isinstance(source, DcSource):
        level_v = signal.at_source(source.voltage_v)
        noise_v = _round_up(half_v / 2)
        return [
            LevelExpectation(signal=signal.name, level_v=level_v, within_v=half_v),
            NoiseExpectation(signal=signal.name, rms_v=noise_v),
        ]
    if isinstance(source, SineSource) and source.amplitude_v > 0:
        amplitude_v = signal.at_source(source.amplitude_v)
        step_v = signal_scale(workspace, chain, signal.name).step_v / float(signal.scaling)
        cycle = scan_timing(workspace, chain)
        held_s = np.array(
            [float(cycle.slots[place].held_s) for place in chain.places_of(signal.name)]
        )
        times_s = (np.arange(PHASE_CYCLES)[:, None] * float(cycle.cycle_s) + held_s).ravel()
        phases = phase_count(times_s, float(source.frequency_hz))
        bias_v = quantised_amplitude_bias(amplitude_v, step_v, phases=phases)
        within = max(SINE_WITHIN, _round_up(bias_v / amplitude_v))
        return [
            SineExpectation(
                signal=signal.name,
                frequency_hz=source.frequency_hz,
                amplitude_v=amplitude_v,
                within=within,
            )
        ]
    if isinstance(source, SquareSource):
        low_v, high_v = sorted((signal.at_source(source.low_v), signal.at_source(source.high_v)))
        return [SquareExpectation(signal=signal.name, low_v=low_v, high_v=high_v, within_v=half_v)]
    if isinstance(source, (ShapeSource, SweptSource, TriangleSource)):
        return [WaveformExpectation(signal=signal.name, within_v=half_v)]
    return []


def _of_pair(workspace: Workspace, signal: Signal, half_v: float) -> list[Expectation]:
    """The difference of two levels, or its course."""
    assert signal.negative is not None
    sources = [input_source(workspace, pin) for pin in (signal.pin, signal.negative)]
    if any(isinstance(source, FloatingInput) for source in sources):
        return []
    if all(isinstance(source, DcSource) for source in sources):
        low_v, _high_v = input_extent_v(workspace, signal)
        return [
            LevelExpectation(signal=signal.name, level_v=signal.at_source(low_v), within_v=half_v)
        ]
    return [WaveformExpectation(signal=signal.name, within_v=half_v)]


def _of_stages(
    workspace: Workspace, chain: Chain, signal: Signal, half_v: float
) -> list[Expectation]:
    expectations: list[Expectation] = []
    if signal.partner is not None:
        expectations.append(RedundantPairExpectation(signal=signal.name, within_v=2 * half_v))
    if any(comparator.signal == signal.name for comparator in workspace.project.comparators):
        expectations.append(EdgesExpectation(signal=signal.name))
    if signal.thresholds:
        slowest_hz = min(
            signal_rate_hz(workspace, chain, signal.name, filtered=window.input == "filtered")
            for window in signal.thresholds
        )
        within_s = Fraction(math.ceil(EVENT_SAMPLES / slowest_hz * 1000), 1000)
        low_v = high_v = None
        (window, *more) = signal.thresholds
        limits = limits_v(workspace, signal, window)
        # Of a one-sided condition the other limit may be anything, and is not to take its place.
        if not more and not window.on_deviation and (all(window.compares) or limits[0] < limits[1]):
            low_v, high_v = (round(volts, 9) for volts in sorted(limits))
        expectations.append(
            ThresholdExpectation(signal=signal.name, within_s=within_s, low_v=low_v, high_v=high_v)
        )
    return expectations


def _round_up(volts: float) -> float:
    """To two figures, upwards."""
    power = 10.0 ** (math.floor(math.log10(volts)) - 1)
    return round(math.ceil(volts / power - 1e-9) * power, 12)


def suggest_for_reaction(workspace: Workspace, name: str) -> tuple[Expectation, ...]:
    """What should hold of a reaction: its time as predicted with a tenth to spare, and its text;
    those there already left out."""
    reaction = workspace.project.reaction(name)
    if reaction is None:
        return ()
    there = {item.kind for item in workspace.project.expectations if item.signal == name}
    timing = reaction_timing(workspace, reaction)
    fresh: list[Expectation] = []
    if "reaction" not in there and output_of(reaction) is not None:
        latest_s = max(float(timing.latest_s) * 1.1, LEAST_WITHIN_S)
        within_s = Fraction(_two_digits(latest_s)).limit_denominator(10**9)
        fresh.append(ReactionExpectation(signal=name, within_s=within_s))
    if "text" not in there and isinstance(reaction.do, (TextAction, BytesAction)):
        widths = []
        for signal, stream in reaction.readings:
            chain = workspace.project.chain_of(signal)
            if chain is not None:
                has_stage = workspace.project.signal(signal).later_filter is not None
                is_reduced = stream == "filtered" and has_stage
                widths.append(2 * band_half_width_v(workspace, chain, signal, is_reduced))
        within_v = _two_digits(max(widths, default=LEAST_WITHIN_V))
        fresh.append(TextExpectation(signal=name, within_v=within_v))
    return tuple(fresh)


def _two_digits(value: float) -> float:
    """Rounded up to two digits, as an engineer would write it."""
    step = 10.0 ** (math.floor(math.log10(value)) - 1)
    return round(math.ceil(value / step - 1e-9) * step, 12)
