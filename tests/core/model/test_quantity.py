"""What a signal's volts stand for: said, kept, worked out, and never run."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import QuantityError, WattigramError
from wattigram.core.base.expression import Formula
from wattigram.core.capture.recording.from_take import QuantityChannel, recording_of_take
from wattigram.core.capture.take import Take
from wattigram.core.judge.measured import Wanted, measure
from wattigram.core.model.design import (
    Workspace,
    open_workspace,
    project_text,
    read_quantity,
)
from wattigram.core.model.design.edits import SetQuantity


@pytest.mark.parametrize(
    ("text", "volts", "value"),
    [
        ("°C: 0.5 V = 0, 2.5 V = 200", 1.5, 100.0),
        ("°C: 500 mV = 0, 1 V = 10, 2 V = 100 ± 1.5", 1.5, 55.0),
        ("°C: 0.5 V = 0, 2.5 V = 200", 3.0, 250.0),  # on beyond the last point
        ("bar: 0 V = 16, 3 V = 1", -1.0, 21.0),
        ("A = 20 * (v - 1.65) ± 0.2", 1.9, 5.0),
        ("rpm = 1e3*v^2", 2.0, 4000.0),
        ("K = 1 / (1/298.15 + log(v / (3.3 - v)) / 3950)", 1.65, 298.15),
    ],
)
def test_a_quantity_is_read_and_written(text: str, volts: float, value: float) -> None:
    quantity = read_quantity(text)
    assert quantity is not None
    assert quantity.of(np.array([volts]))[0] == pytest.approx(value)
    assert read_quantity(quantity.text) == quantity


@pytest.mark.parametrize(
    "text",
    [
        "°C",
        "°C: 1 V = 0",
        "°C: 1 V = 0, 1 V = 5",
        "°C: 1 V = 0, 2 V = 5, 3 V = 4",
        "°C: 1 A = 0, 2 V = 5",
        "°C: 1 V, 2 V",
        "°C: 1 V = warm, 2 V = 3",
        "°C: 1 V = 0, 2 V = 5 ± some",
        "°C: 1 V = 0, 2 V = 5 ± -1",
        "A = 20 *",
        "A = v.real",
        "A = __import__('os')",
        "A = exp(v, 2)",
        "A = [v for v in (1, 2)]",
        "A = (lambda: 1)()",
        "A = 'v'",
        "A = 1e999",
        "A = " + "(" * 200 + "v" + ")" * 200,
        "A = " + "+".join(["v"] * 80),
        "far too long a unit = v",
    ],
)
def test_what_is_no_quantity_says_why(text: str) -> None:
    with pytest.raises(QuantityError) as refused:
        read_quantity(text)
    assert "Write “°C:" in refused.value.cure


def test_nothing_is_no_quantity() -> None:
    assert read_quantity(" ") is None
    assert read_quantity("none") is None


def test_a_formula_has_no_value_where_it_has_none() -> None:
    found = Formula("sqrt(v) + 9**(9**9)**-1", "v")(np.array([-1.0, 4.0]))
    assert np.isnan(found[0])
    assert found[1] == pytest.approx(3.0)
    assert np.isnan(Formula("9**9**9**9", "v")(np.array([1.0]))).all()  # and does not take for ever


def test_it_is_kept_in_the_file_and_changes_no_firmware(kiln: Workspace, tmp_path: Path) -> None:
    said = read_quantity("°C: 0.5 V = 0, 2.5 V = 200 ± 1.5")
    edited = kiln.with_project(SetQuantity("Upper zone", said).apply(kiln.project))
    assert edited.build_id == kiln.build_id
    path = tmp_path / "k.wattigram.toml"
    path.write_text(project_text(edited.project))
    assert 'unit = "°C"' in path.read_text()
    assert open_workspace(path).project.signal("Upper zone").quantity == said
    bad = path.read_text().replace("within = 1.5", "within = -1.5")
    path.write_text(bad)
    with pytest.raises(WattigramError, match="within"):
        open_workspace(path)


def test_extremes_and_bands_turn_with_a_falling_quantity() -> None:
    falling = read_quantity("bar: 0 V = 16, 3 V = 1")
    assert falling is not None
    low, high = falling.between(np.array([1.0]), np.array([2.0]))
    assert (low[0], high[0]) == (6.0, 11.0)
    assert falling.is_readable(0.0, 3.3)


def test_one_that_turns_round_is_told(kiln: Workspace) -> None:
    for text, told in (("A = (v - 1.65)^2", True), ("A = log(v + 1)", False), ("A = log(v)", True)):
        edited = kiln.with_project(
            SetQuantity("Coil current", read_quantity(text)).apply(kiln.project)
        )
        codes = {finding.code for finding in find_all(edited) if finding.signal == "Coil current"}
        assert ("quantity-ambiguous" in codes) == told


def test_a_take_is_measured_in_it(kiln: Workspace, take_of: Callable[..., Take]) -> None:
    said = read_quantity("°C: 0.5 V = 0, 2.5 V = 200 ± 1.5")
    edited = kiln.with_project(SetQuantity("Upper zone", said).apply(kiln.project))
    recording = recording_of_take(take_of(edited, 2.0))
    channel = recording.channel("Upper zone in °C")
    assert isinstance(channel, QuantityChannel)
    volts = recording.channel("Upper zone filtered")
    assert channel.count == volts.count
    np.testing.assert_allclose(channel.read(10, 20).values, (volts.read(10, 20).values - 0.5) * 100)
    found = measure(recording, Wanted("statistics", ("Upper zone in °C",)))
    figures = {figure.key: figure for figure in found.figures}
    mean_v = {
        figure.key: figure
        for figure in measure(recording, Wanted("statistics", ("Upper zone filtered",))).figures
    }["mean"]
    assert figures["mean"].unit == "°C"
    assert figures["mean"].value == pytest.approx((mean_v.value - 0.5) * 100)
    assert "may be off by 1.5 °C" in " ".join(found.notes)
