"""What a take shows of outputs, and the pictures that a verdict on them rests on."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.paths import EXAMPLES
from wattigram.core.analysis import linearity
from wattigram.core.capture.take import Take
from wattigram.core.judge import evidence_for, prove, write_html
from wattigram.core.judge.output_measurements import joined, measure_route
from wattigram.core.model.design import (
    Route,
    TableSource,
    UartDestination,
    Workspace,
    open_workspace,
)
from wattigram.core.predict.expected import expected_values

WHEEL = open_workspace(EXAMPLES / "pedal-to-wheel" / "wheel.wattigram.toml")


def test_linearity_of_a_known_transfer() -> None:
    codes = np.repeat(np.arange(64), 5)
    bend = 0.8 * np.sin(2 * np.pi * codes / 63)
    found = linearity(codes, 1.002 * codes + 3.0 + bend)
    assert found is not None
    line = np.polyfit(codes, 1.002 * codes + 3.0 + bend, 1)
    assert (found.gain_error, found.offset_lsb) == (
        pytest.approx(line[0] - 1),
        pytest.approx(line[1]),
    )
    wanted = (
        1.002 * np.arange(64)
        + 3.0
        + 0.8 * np.sin(2 * np.pi * np.arange(64) / 63)
        - np.polyval(line, np.arange(64))
    )
    assert found.inl_lsb == pytest.approx(wanted, abs=1e-9)
    assert found.dnl_lsb == pytest.approx(np.diff(found.readings) / line[0] - 1, abs=1e-9)


def test_too_few_codes_have_no_linearity() -> None:
    assert linearity(np.array([1, 2, 3]), np.array([1.0, 2.0, 3.0])) is None


@given(
    st.lists(st.integers(0, 65535), min_size=1, max_size=30),
    st.sampled_from(["little-endian", "big-endian"]),
)
@settings(max_examples=50, deadline=None)
def test_values_taken_apart_and_joined_are_the_same(values: list[int], order: str) -> None:
    route = Route(
        name="r",
        source=TableSource(table="t"),
        destination=UartDestination(uart="u"),
        channel="c",
        transfers=2,
    )
    pairs = [
        (value & 0xFF, value >> 8) if order == "little-endian" else (value >> 8, value & 0xFF)
        for value in values
    ]
    assert joined(route, np.array(pairs).ravel(), order).tolist() == values


def test_the_end_of_a_route_is_held_against_its_source(take_of: Callable[..., Take]) -> None:
    take = take_of(WHEEL, 1.2)
    for route in WHEEL.project.routes:
        seen = measure_route(take, route)
        assert (seen.overwritten, seen.torn, seen.matched) == (0, 0, 1.0)
        times = np.linspace(0.1, 1.0, 50)
        expected = expected_values(WHEEL, route, times)
        assert expected is not None
        assert np.all(expected.low <= expected.high)
        assert expected.full == 255


def test_verdicts_on_outputs_have_their_pictures(
    take_of: Callable[..., Take], tmp_path: Path
) -> None:
    for workspace, seconds, titles in (
        (WHEEL, 1.2, {"Pedal to motor: values that arrived, on what they should be"}),
        (
            open_workspace(EXAMPLES / "converter-checkup"),
            4.4,
            {"INL of each code", "DNL of each step"},
        ),
    ):
        take = take_of(workspace, seconds)
        proof = prove(workspace, take)
        evidence = tuple(evidence_for(take, verdict) for verdict in proof.verdicts)
        shown = {panel.title for one in evidence for panel in one.panels}
        assert titles <= shown
        write_html(workspace, take, proof, tmp_path / "report.html")
        assert "INL" in (tmp_path / "report.html").read_text() or workspace is WHEEL


def test_two_outputs_of_one_design_are_judged_each(take_of: Callable[..., Take]) -> None:
    ramp = open_workspace(EXAMPLES / "kiln-ramp")
    proof = prove(ramp, take_of(ramp, 4.4))
    assert isinstance(ramp, Workspace)
    assert {verdict.signal for verdict in proof.verdicts if verdict.kind == "waveform"} == {
        "Power command",
        "Heater drive",
    }
    assert proof.all_hold
