"""Expectations as sentences."""

from __future__ import annotations

from wattigram.core.base.quantity import brief, show_volts
from wattigram.core.model.design import (
    CourseExpectation,
    EdgesExpectation,
    Expectation,
    LevelExpectation,
    NoiseExpectation,
    PairExpectation,
    RateExpectation,
    RouteExpectation,
    SineExpectation,
    StepsExpectation,
    TripExpectation,
    TwinExpectation,
    WindowExpectation,
)


def expectation_text(expectation: Expectation) -> str:
    """The expectation as a sentence that starts with its signal."""
    name = expectation.signal
    match expectation:
        case LevelExpectation():
            return f"{name} is {show_volts(expectation.level_v)} ± {show_volts(expectation.within_v)}"
        case StepsExpectation():
            return f"{name} steps {expectation.low_v:g} ↔ {expectation.high_v:g} V ± {show_volts(expectation.within_v)}"
        case SineExpectation():
            within = brief(expectation.within, "%")
            if expectation.frequency_hz is not None:
                return f"{name} is {brief(expectation.frequency_hz, 'Hz')} ± {within}"
            if expectation.rms_v is not None:
                return f"{name} rms {expectation.rms_v:g} V ± {within}"
            if expectation.amplitude_v is not None:
                return f"{name} amplitude {expectation.amplitude_v:g} V ± {within}"
            return f"{name} is a sine"
        case NoiseExpectation():
            return f"{name} scatters at most {show_volts(expectation.rms_v)} rms"
        case TwinExpectation():
            return f"{name} agrees within {show_volts(expectation.within_v)}"
        case WindowExpectation():
            limits = ""
            if expectation.low_v is not None and expectation.high_v is not None:
                limits = f" of {expectation.low_v:g} to {expectation.high_v:g} V"
            return f"{name} crosses its window{limits} as expected, within {brief(expectation.within_s, 's')}"
        case EdgesExpectation():
            return f"{name} gives at most {expectation.most} comparator edge{'s' if expectation.most > 1 else ''} a crossing"
        case RateExpectation():
            rate = f" {brief(expectation.rate_hz, 'Hz')}" if expectation.rate_hz is not None else ""
            every = "comes without a loss between its pauses" if expectation.pauses else "comes at every cycle"
            return f"{name} {every}, rate{rate} ± {brief(expectation.within, '%')}"
        case CourseExpectation():
            return f"{name} follows its course within {show_volts(expectation.within_v)}"
        case PairExpectation():
            return f"{name} and its DAC stay within INL {expectation.inl_lsb:g} LSB, DNL {expectation.dnl_lsb:g} LSB"
        case TripExpectation():
            return f"{name} trips its comparator where it is set, within {show_volts(expectation.within_v)}"
        case RouteExpectation():
            allowed = f", {brief(expectation.lost, '%')} may be lost" if expectation.lost else ""
            return f"{name} brings every value whole{allowed}"
