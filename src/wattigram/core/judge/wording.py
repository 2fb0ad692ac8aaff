"""Expectations as sentences."""

from __future__ import annotations

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.judge.measured.figures import shown as figure_value
from wattigram.core.model.design import (
    EdgesExpectation,
    Expectation,
    FigureExpectation,
    LevelExpectation,
    MaskExpectation,
    NoiseExpectation,
    PairExpectation,
    RateExpectation,
    ReactionExpectation,
    RedundantPairExpectation,
    RouteExpectation,
    SineExpectation,
    SquareExpectation,
    TextExpectation,
    ThresholdExpectation,
    TripExpectation,
    WaveformExpectation,
)


def expectation_text(expectation: Expectation) -> str:
    """The expectation as a sentence that starts with its signal."""
    name = expectation.signal
    match expectation:
        case LevelExpectation():
            return f"{name} is {format_volts(expectation.level_v)} ± {format_volts(expectation.within_v)}"
        case SquareExpectation():
            return f"{name} steps {expectation.low_v:g} ↔ {expectation.high_v:g} V ± {format_volts(expectation.within_v)}"
        case SineExpectation():
            within = format_si(expectation.within, "%")
            if expectation.frequency_hz is not None:
                return f"{name} is {format_si(expectation.frequency_hz, 'Hz')} ± {within}"
            if expectation.rms_v is not None:
                return f"{name} rms {expectation.rms_v:g} V ± {within}"
            if expectation.amplitude_v is not None:
                return f"{name} amplitude {expectation.amplitude_v:g} V ± {within}"
            return f"{name} is a sine"
        case NoiseExpectation():
            return f"{name} noise is at most {format_volts(expectation.rms_v)} rms"
        case RedundantPairExpectation():
            return f"{name} agrees within {format_volts(expectation.within_v)}"
        case ThresholdExpectation():
            limits = ""
            if expectation.low_v is not None and expectation.high_v is not None:
                limits = f" of {expectation.low_v:g} to {expectation.high_v:g} V"
            return f"{name} crosses its threshold{limits} as expected, within {format_si(expectation.within_s, 's')}"
        case ReactionExpectation():
            return f"{name} acts within {format_si(expectation.within_s, 's')} each time"
        case TextExpectation():
            return (
                f"{name} sends what it should, values within {format_volts(expectation.within_v)}"
            )
        case EdgesExpectation():
            return f"{name} gives at most {expectation.most} comparator edge{'s' if expectation.most > 1 else ''} a crossing"
        case RateExpectation():
            rate = (
                f" {format_si(expectation.rate_hz, 'Hz')}"
                if expectation.rate_hz is not None
                else ""
            )
            every = (
                "comes without a loss between its pauses"
                if expectation.pauses
                else "comes at every scan"
            )
            return f"{name} {every}, rate{rate} ± {format_si(expectation.within, '%')}"
        case WaveformExpectation():
            return f"{name} follows its course within {format_volts(expectation.within_v)}"
        case MaskExpectation():
            share = format_si(expectation.share, "%", 5)
            return f"{name} stays within its mask, {share} of its samples"
        case PairExpectation():
            return f"{name} and its DAC stay within INL {expectation.inl_lsb:g} LSB, DNL {expectation.dnl_lsb:g} LSB"
        case TripExpectation():
            return f"{name} trips its comparator where it is set, within {format_volts(expectation.within_v)}"
        case FigureExpectation():
            return _figure_text(expectation)
        case RouteExpectation():
            allowed = (
                f", {format_si(expectation.lost, '%')} may be lost" if expectation.lost else ""
            )
            return f"{name} brings every value whole{allowed}"


def _figure_text(expectation: FigureExpectation) -> str:
    low, high = (
        None if limit is None else figure_value(limit, expectation.unit, 5)
        for limit in (expectation.at_least, expectation.at_most)
    )
    if low is not None and high is not None:
        limits = f"from {low} to {high}"
    else:
        limits = f"at least {low}" if low is not None else f"at most {high}"
    filtered = " filtered" if expectation.input == "filtered" else ""
    other = f" against {expectation.other}" if expectation.other is not None else ""
    return f"{expectation.signal}{filtered}{other}: {expectation.title} {limits}"
