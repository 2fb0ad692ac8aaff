"""Figures in the quantity that a design states, beside what it predicts of them."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from tests.paths import EXAMPLES
from wattigram.core.capture.recording import recording_of_take
from wattigram.core.capture.take import Take
from wattigram.core.judge.measured import Wanted, measure
from wattigram.core.model.design import open_workspace

LAMP = EXAMPLES / "kiln-lamp" / "kiln-lamp.wattigram.toml"


def test_degrees_are_predicted_as_volts_are(take_of: Callable[..., Take]) -> None:
    """0.2 V to 2.2 V are 0 to 1200 °C: a straight line, so that both say the same."""
    recording = recording_of_take(take_of(open_workspace(LAMP)))
    volts, degrees = (
        {
            one.key: one
            for one in measure(recording, Wanted("statistics", (name,), 0.1, 0.6)).figures
        }
        for name in ("Upper zone filtered", "Upper zone in °C")
    )
    for key in ("mean", "std"):
        assert degrees[key].predicted is not None
        slope, offset = 600.0, (-120.0 if key == "mean" else 0.0)
        for what in ("value", "predicted"):
            expected = getattr(volts[key], what) * slope + offset
            assert getattr(degrees[key], what) == pytest.approx(expected, rel=1e-3)
        assert degrees[key].value == pytest.approx(degrees[key].predicted, rel=0.02)
