"""Expectations as sentences: every fact is told, read again as it is shown, and refused where it is none."""

from __future__ import annotations

from pathlib import Path
from typing import get_args

import pytest

from tests.paths import EXAMPLE_FILES, KILN
from wattigram.core.base.errors import EditError, QuantityError
from wattigram.core.base.model_fields import fields_of
from wattigram.core.contract.figure_names import FIGURES, OF_TWO
from wattigram.core.model.design import FigureExpectation, open_workspace
from wattigram.core.model.design.edits import MoveExpectation, apply_edit
from wattigram.core.model.design.expectation import Expectation
from wattigram.core.model.design.expectation_sentences import (
    FRESH,
    SENTENCES,
    TITLES,
    choices_for,
    fact_of,
    fresh_expectation,
    names_for,
    pieces_of,
    unsaid_text,
    with_fact,
)

KINDS = get_args(Expectation)


def test_every_kind_has_a_sentence_with_all_its_facts() -> None:
    assert set(SENTENCES) == set(TITLES) == set(FRESH) == set(KINDS)
    for kind in KINDS:
        one = fresh_expectation(kind, "X")
        told = {piece for piece, is_key in pieces_of(one) if is_key}
        assert told == {field.key for field in fields_of(kind)} - {"kind"}, kind


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=lambda path: path.stem)
def test_facts_are_read_again_as_they_are_shown(path: Path) -> None:
    project = open_workspace(path).project
    for one in project.expectations:
        assert one.signal in names_for(project, type(one))
        for key, is_key in pieces_of(one):
            if not is_key:
                continue
            text = fact_of(one, key)
            assert with_fact(one, key, text) == one if text else unsaid_text(one, key)
            choices = choices_for(project, one, key)
            assert not text or not choices or text in choices, (one, key)


def test_another_fact_makes_another_expectation() -> None:
    level = fresh_expectation(KINDS[0], "X")
    assert fact_of(with_fact(level, "level", "2.5V"), "level") == "2.5 V"
    sine = fresh_expectation(KINDS[2], "X")
    assert fact_of(with_fact(sine, "frequency", ""), "frequency") == ""
    rate = next(
        fresh_expectation(kind, "X") for kind in KINDS if kind.__name__ == "RateExpectation"
    )
    assert with_fact(rate, "pauses", "are meant").pauses  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("key", "text", "words"),
    [
        ("level", "three", "“three”"),
        ("within", "5 Hz", "voltage"),
        ("within", "", "cannot be left out"),
    ],
)
def test_what_is_no_fact_is_said(key: str, text: str, words: str) -> None:
    with pytest.raises(QuantityError, match=words):
        with_fact(fresh_expectation(KINDS[0], "X"), key, text)


def test_another_measurement_has_figures_of_its_own() -> None:
    one = fresh_expectation(FigureExpectation, "X")
    changed = with_fact(one, "measure", "sine")
    assert isinstance(changed, FigureExpectation)
    assert changed.figure in FIGURES["sine"]
    pieces = [piece for piece, _ in pieces_of(one)]
    assert pieces[pieces.index("at_least") + 1].startswith(" V")
    histogram = with_fact(one, "measure", "histogram")
    assert isinstance(histogram, FigureExpectation)
    assert (histogram.figure, histogram.stimulus) == ("inl", "sine")
    with pytest.raises(EditError, match="what was put in"):
        with_fact(histogram, "stimulus", "")
    assert with_fact(histogram, "stimulus", "ramp").stimulus == "ramp"  # type: ignore[union-attr]
    for measure in OF_TWO:
        of_two = with_fact(one, "measure", measure, ("Y", "Z"))
        assert of_two.other == "Y"  # type: ignore[union-attr]
        assert with_fact(of_two, "measure", "statistics").other is None  # type: ignore[union-attr]
        with pytest.raises(EditError, match="takes a second signal"):
            with_fact(one, "measure", measure)
    with pytest.raises(EditError, match="nothing is expected"):
        with_fact(one, "at_least", "")
    with pytest.raises(EditError, match="above at_most"):
        with_fact(with_fact(one, "at_most", "2"), "at_least", "3")


def test_expectations_are_moved() -> None:
    workspace = open_workspace(KILN)
    before = workspace.project.expectations
    after = apply_edit(workspace, MoveExpectation(0, 2)).project.expectations
    assert after[2] == before[0]
    assert after[:2] == before[1:3]
    assert after[3:] == before[3:]
    with pytest.raises(EditError, match="There is no expectation"):
        apply_edit(workspace, MoveExpectation(0, len(before)))
