from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from wattigram.core.model.bench import (
    DcSource,
    FloatingInput,
    PairedSource,
    SineSource,
    SquareSource,
    TriangleSource,
    Wiring,
    resolve_source,
)

TIMES = np.array([0.0, 0.25, 0.5, 0.75, 1.0, 1.25])
SOURCES = [
    (DcSource(voltage_v=1.2), [1.2] * 6),
    (
        SineSource(offset_v=1.0, amplitude_v=0.5, frequency_hz=Fraction(1)),
        [1.0, 1.5, 1.0, 0.5, 1.0, 1.5],
    ),
    (
        SineSource(offset_v=1.0, amplitude_v=0.5, frequency_hz=Fraction(1), phase=0.25),
        [1.5, 1.0, 0.5, 1.0, 1.5, 1.0],
    ),
    (TriangleSource(from_v=0.0, to_v=2.0, period_s=Fraction(1)), [0.0, 1.0, 2.0, 1.0, 0.0, 1.0]),
    (SquareSource(low_v=0.1, high_v=3.0, period_s=Fraction(1)), [0.1, 0.1, 3.0, 3.0, 0.1, 0.1]),
    (
        SquareSource(low_v=0.1, high_v=3.0, period_s=Fraction(1), duty=0.25),
        [0.1, 0.1, 0.1, 3.0, 0.1, 0.1],
    ),
]


@pytest.mark.parametrize(("source", "volts"), SOURCES)
def test_sources_have_their_shape(source: object, volts: list[float]) -> None:
    assert source.at(TIMES) == pytest.approx(volts, abs=1e-12)  # type: ignore[arg-type]


@pytest.mark.parametrize("source", [*(source for source, _volts in SOURCES), FloatingInput()])
def test_no_voltage_leaves_the_extent(source: object) -> None:
    volts = source.at(np.linspace(0, 30, 20_001))  # type: ignore[arg-type]
    low, high = source.extent_v  # type: ignore[arg-type]
    assert low - 1e-9 <= volts.min()
    assert volts.max() <= high + 1e-9
    assert source.span_s > 0  # type: ignore[arg-type]


def test_a_follower_has_the_other_pins_source_and_its_own_noise() -> None:
    lead = Wiring(
        pin="A3", source_resistance_ohm=4700.0, source=DcSource(voltage_v=1.5, noise_v=0.001)
    )
    twin = Wiring(pin="B1", source_resistance_ohm=1.0, source=PairedSource(pin="A3", noise_v=0.004))
    assert resolve_source(twin, (lead, twin)) == DcSource(voltage_v=1.5, noise_v=0.004)
    quiet = twin.replaced(source=PairedSource(pin="A3"))
    assert resolve_source(quiet, (lead, quiet)) == DcSource(voltage_v=1.5, noise_v=0.001)


def test_a_follower_of_nothing_floats() -> None:
    twin = Wiring(pin="B1", source_resistance_ohm=1.0, source=PairedSource(pin="A3"))
    assert isinstance(resolve_source(twin, (twin,)), FloatingInput)
    assert Wiring(pin="B1", source_resistance_ohm=1.0, source=FloatingInput()).source_ohm >= 1e6
