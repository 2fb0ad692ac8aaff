"""Expectations as sentences with facts in them, to be filled in by people."""

from __future__ import annotations

import re
from typing import Any

from wattigram.core.base.errors import EditError, QuantityError
from wattigram.core.base.facts import annotation_at, choices_of, default_at, fact_text, read_fact
from wattigram.core.base.models import model_of, plain_values
from wattigram.core.base.validation import ModelError
from wattigram.core.contract.figure_names import FIGURES, OF_A_STIMULUS, OF_TWO
from wattigram.core.model.design.expectation import (
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
from wattigram.core.model.design.mask import parse_mask
from wattigram.core.model.design.project import Project

SENTENCES: dict[type[Any], str] = {
    LevelExpectation: "{signal} is {level} within {within}.",
    SquareExpectation: "{signal} goes between {low} and {high}, each within {within}.",
    SineExpectation: "{signal} is a sine of {frequency}, with an amplitude of {amplitude} and {rms} rms, each "
    "within {within}.",
    NoiseExpectation: "{signal} scatters by at most {rms} rms about its expected course.",
    RedundantPairExpectation: "{signal} and its twin differ by at most {within}.",
    ThresholdExpectation: "{signal} crosses its threshold when design and bench say, within {within}. The job's "
    "own limits: {low} and {high}.",
    RateExpectation: "{signal} comes at every scan, {rate} within {within}; stops {pauses}.",
    EdgesExpectation: "The comparator on {signal} gives at most {most} edges at each crossing.",
    WaveformExpectation: "{signal} follows its expected course within {within}.",
    MaskExpectation: "{share} of the samples of {signal} lie within the mask {points}. It begins with {begins}, level "
    "{at}, and again every {period}.",
    PairExpectation: "{signal} and the DAC that is swept into it: offset within {offset}, gain within {gain}, "
    "INL within {inl}, DNL within {dnl}.",
    TripExpectation: "The comparator on {signal} trips at its two points, each within {within}.",
    RouteExpectation: "Every value of {signal} arrives whole and in order; {lost} of them may be lost.",
    ReactionExpectation: "{signal} acts within {within} each time.",
    TextExpectation: "{signal} sends what it should, values within {within}.",
    FigureExpectation: "Of {input} values of {signal}, {measure}: {figure} is at least {at_least} and at most "
    "{at_most}. Second signal: {other}. Put in: {stimulus}. From {begin} to {end}.",
}
"""What is said of each kind, with its facts in braces."""

WORDS: dict[tuple[type[Any], str], dict[str, str]] = {
    (RateExpectation, "pauses"): {"yes": "are meant", "no": "are not meant"},
    (MaskExpectation, "begins"): {
        "start": "the take",
        "rising": "a rise through a level",
        "falling": "a fall through a level",
    },
}
UNSAID = {
    "frequency": "any frequency",
    "amplitude": "any amplitude",
    "rate": "the design's rate",
    "low": "the design's",
    "high": "the design's",
    "at_least": "anything",
    "at_most": "anything",
    "other": "none",
    "stimulus": "does not matter",
    "at": "none",
    "period": "crossing",
    "begin": "its start",
    "end": "its end",
}
"""What a fact that is left out means."""

_PLACE = re.compile(r"\{([a-z_]+)\}")


def pieces_of(expectation: Expectation) -> tuple[tuple[str, bool], ...]:
    """The sentence in pieces, in their order: words, or a fact's key (True)."""
    sentence = SENTENCES[type(expectation)]
    if isinstance(expectation, FigureExpectation) and expectation.unit:
        for key in ("{at_least}", "{at_most}"):
            sentence = sentence.replace(key, f"{key} {expectation.unit}")
    parts = _PLACE.split(sentence)
    return tuple((piece, number % 2 == 1) for number, piece in enumerate(parts) if piece)


def unsaid_text(expectation: Expectation, key: str) -> str:
    """What a fact that is left out means."""
    if key == "rms" and isinstance(expectation, SineExpectation):
        return "any"
    return UNSAID.get(key, "")


def fact_of(expectation: Expectation, key: str) -> str:
    """A fact as people read it; "" where it is left out."""
    model = type(expectation)
    value = plain_values(expectation).get(key)
    return fact_text(annotation_at(model, key), value, WORDS.get((model, key)))


def choices_for(project: Project, expectation: Expectation, key: str) -> tuple[str, ...]:
    """What can be chosen for a fact; none where anything can be written."""
    match key:
        case "signal":
            return names_for(project, type(expectation))
        case "other":
            return tuple(one.name for one in project.signals if one.name != expectation.signal)
        case "measure":
            return tuple(FIGURES)
        case "figure" if isinstance(expectation, FigureExpectation):
            return tuple(FIGURES[expectation.measure])
    model = type(expectation)
    words = WORDS.get((model, key), {})
    return tuple(words.get(one, one) for one in choices_of(annotation_at(model, key)))


def names_for(project: Project, kind: type[Any]) -> tuple[str, ...]:
    """What an expectation of a kind can be about: signals, routes, reactions, texts."""
    if kind is RouteExpectation:
        return tuple(one.name for one in project.routes)
    if kind is TextExpectation:
        return tuple(one.name for one in project.reactions if one.do.kind in {"text", "bytes"})
    if kind is ReactionExpectation:
        return tuple(one.name for one in project.reactions)
    if kind in (EdgesExpectation, TripExpectation):
        return tuple(dict.fromkeys(one.signal for one in project.comparators))
    if kind is RedundantPairExpectation:
        return tuple(one.name for one in project.signals if one.redundant_pair is not None)
    if kind is ThresholdExpectation:
        return tuple(one.name for one in project.signals if one.thresholds)
    return tuple(slot.signal for chain in project.chains for slot in chain.slots)


def with_fact(
    expectation: Expectation, key: str, text: str, others: tuple[str, ...] = ()
) -> Expectation:
    """The expectation with another fact, from what somebody wrote; ``others`` are signals that a measurement of
    two can take besides.

    Raises
    ------
    QuantityError
        When it is no such fact.
    EditError
        When the facts do not go together.
    """
    model = type(expectation)
    value = read_fact(annotation_at(model, key), text, WORDS.get((model, key)))
    if value is None and default_at(model, key) is not None:
        raise QuantityError("This cannot be left out.", cure="Write a value.")
    values = plain_values(expectation)
    if value is None:
        values.pop(key, None)
    else:
        values[key] = value
    if key == "measure" and isinstance(expectation, FigureExpectation) and value in FIGURES:
        # Another measurement has other figures, and takes one signal or two.
        if values["figure"] not in FIGURES[value]:
            values["figure"] = next(iter(FIGURES[value]))
        if values["figure"] in OF_A_STIMULUS:
            values.setdefault("stimulus", "sine")  # it stands in the sentence, to be changed
        if value not in OF_TWO:
            values.pop("other", None)
        elif "other" not in values and others:
            values["other"] = others[0]
    if isinstance(expectation, MaskExpectation):
        _begin_mask(values, key)
    try:
        made: Expectation = model_of(model, values)
    except ModelError as fault:
        raise EditError(fault.first.message, where=key) from fault
    return made


def _begin_mask(values: dict[str, Any], key: str) -> None:
    """A mask that begins at a crossing has a level, and one that begins with the take has none."""
    has_level, at_crossing = "at" in values, values.get("begins", "start") != "start"
    if has_level == at_crossing:
        return
    if key == "at":
        values["begins"] = "rising" if has_level else "start"
    elif has_level:
        values.pop("at")
    else:
        first = parse_mask(values["points"])
        values["at"] = f"{float(first.low_v[0] + first.high_v[0]) / 2:.9g} V"


FRESH: dict[type[Any], dict[str, Any]] = {
    LevelExpectation: {"level": "1 V", "within": "10 mV"},
    SquareExpectation: {"low": "0 V", "high": "3 V", "within": "10 mV"},
    SineExpectation: {"frequency": "1 kHz", "within": "1 %"},
    NoiseExpectation: {"rms": "1 mV"},
    RedundantPairExpectation: {"within": "10 mV"},
    ThresholdExpectation: {"within": "1 ms"},
    RateExpectation: {"within": "50 ppm"},
    EdgesExpectation: {"most": 1},
    WaveformExpectation: {"within": "10 mV"},
    MaskExpectation: {"points": "0 s: 0.9 V to 1.1 V; 10 ms: 0.9 V to 1.1 V", "period": "10 ms"},
    PairExpectation: {},
    TripExpectation: {"within": "10 mV"},
    RouteExpectation: {},
    ReactionExpectation: {"within": "1 ms"},
    TextExpectation: {"within": "10 mV"},
    FigureExpectation: {"measure": "statistics", "figure": "mean", "at_least": 0.0},
}
"""Facts of an expectation that is just being added, to be changed."""
TITLES: dict[type[Any], str] = {
    LevelExpectation: "a level",
    SquareExpectation: "two levels",
    SineExpectation: "a sine",
    NoiseExpectation: "noise",
    RedundantPairExpectation: "twins agree",
    ThresholdExpectation: "threshold crossings",
    RateExpectation: "the rate, nothing lost",
    EdgesExpectation: "clean edges of a comparator",
    WaveformExpectation: "the expected course",
    MaskExpectation: "a mask of one's own",
    PairExpectation: "converter and DAC together",
    TripExpectation: "trip points of a comparator",
    RouteExpectation: "a route",
    ReactionExpectation: "a reaction",
    TextExpectation: "a text",
    FigureExpectation: "any figure that is measured",
}
"""Kinds as a menu has them."""


def fresh_expectation(kind: type[Any], name: str) -> Expectation:
    """An expectation of a kind about something, with facts to be changed."""
    tag = kind.__struct_config__.tag
    made: Expectation = model_of(kind, {"kind": tag, "signal": name, **FRESH[kind]})
    return made
