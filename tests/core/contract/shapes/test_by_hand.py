"""Shapes against values that can be checked on paper."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np
import pytest

from wattigram.core.contract.shapes import (
    ChirpShape,
    ExpressionShape,
    MultitoneShape,
    NoiseShape,
    PointsShape,
    PulseShape,
    SawtoothShape,
    SegmentsShape,
    Shape,
    ShapeSegment,
    SineShape,
    Tone,
    TriangleShape,
    piecewise_linear,
    pulse_train,
    shape_volts,
    zero_order_hold,
)

ROOT = math.sqrt(0.5)


@pytest.mark.parametrize(
    ("shape", "expected"),
    [
        (SineShape(), [0, ROOT, 1, ROOT, 0, -ROOT, -1, -ROOT]),
        (TriangleShape(), [-1, -0.5, 0, 0.5, 1, 0.5, 0, -0.5]),
        (TriangleShape(symmetry=0.25), [-1, 0, 1, 2 / 3, 1 / 3, 0, -1 / 3, -2 / 3]),
        (SawtoothShape(), [-1, -0.75, -0.5, -0.25, 0, 0.25, 0.5, 0.75]),
        (SawtoothShape(direction="falling"), [1, 0.75, 0.5, 0.25, 0, -0.25, -0.5, -0.75]),
        (PulseShape(duty=0.375), [1, 1, 1, -1, -1, -1, -1, -1]),
        (
            MultitoneShape(
                tones=(Tone(number=1, level=0.5), Tone(number=2, level=0.25, phase=0.25))
            ),
            [
                0.25,
                0.5 * ROOT,
                0.5 - 0.25,
                0.5 * ROOT,
                0.25,
                -0.5 * ROOT,
                -0.5 - 0.25,
                -0.5 * ROOT,
            ],
        ),
        (
            ChirpShape(start=1, stop=3),
            [math.sin(2 * math.pi * (t + t * t)) for t in np.arange(8) / 8],
        ),
    ],
    ids=lambda value: getattr(value, "kind", ""),
)
def test_one_turn_in_eight_points(shape: Shape, expected: list[float]) -> None:
    volts = shape_volts(shape, 8, 1, 1.5, 0.25, 0.0)
    assert volts == pytest.approx(0.25 + 1.5 * np.array(expected), abs=1e-12)


def test_phase_and_turns_move_along_the_shape() -> None:
    plain = shape_volts(SawtoothShape(), 12, 1, 1.0, 0.0, 0.0)
    assert shape_volts(SawtoothShape(), 12, 1, 1.0, 0.0, 0.25) == pytest.approx(np.roll(plain, -3))
    assert shape_volts(SawtoothShape(), 12, 5, 1.0, 0.0, 0.0) == pytest.approx(
        [plain[5 * place % 12] for place in range(12)]
    )
    assert shape_volts(SineShape(), 4, 4, 1.0, 0.5, 0.25) == pytest.approx([1.5] * 4)
    assert shape_volts(SineShape(), 3, 0, 1.0, 0.5, 0.25) == pytest.approx([0.5])


def test_segments_go_straight_and_are_in_volts() -> None:
    shape = SegmentsShape(
        start_v=1.0,
        segments=(
            ShapeSegment(to_v=3.0, lasting=Fraction(1)),
            ShapeSegment(to_v=2.0, lasting=Fraction(3)),
        ),
    )
    volts = shape_volts(shape, 8, 1, 99.0, 99.0, 0.0)  # neither scaled nor shifted
    assert volts == pytest.approx([1, 2, 3, 3 - 1 / 6, 3 - 2 / 6, 3 - 3 / 6, 3 - 4 / 6, 3 - 5 / 6])
    assert shape.total_s == 4


def test_an_expression_is_of_the_share_of_a_turn() -> None:
    volts = shape_volts(ExpressionShape(volts="1 + 2*t"), 4, 1, 99.0, 99.0, 0.0)
    assert volts == pytest.approx([1, 1.5, 2, 2.5])


@pytest.mark.parametrize("count", [7, 8])
def test_points_between_are_straight_or_of_the_same_band(count: int) -> None:
    turn = 2 * np.pi * np.arange(count) / count
    given = 0.3 + np.cos(turn) + 0.5 * np.sin(2 * turn)
    finer = 2 * np.pi * np.arange(5 * count) / (5 * count)
    smooth = shape_volts(
        PointsShape(values=tuple(given), interpolation="band-limited"), 5 * count, 1, 9.0, 9.0, 0.0
    )
    assert smooth == pytest.approx(0.3 + np.cos(finer) + 0.5 * np.sin(2 * finer))
    straight = shape_volts(PointsShape(values=tuple(given)), 2 * count, 1, 1.0, 0.0, 0.0)
    assert straight[::2] == pytest.approx(given)
    assert straight[1::2] == pytest.approx((given + np.roll(given, -1)) / 2)


def test_noise_has_a_third_of_its_height_for_a_sigma_and_is_the_same_again() -> None:
    volts = shape_volts(NoiseShape(seed=5), 20_000, 1, 3.0, 1.0, 0.0)
    assert float(volts.mean()) == pytest.approx(1.0, abs=0.03)
    assert float(volts.std()) == pytest.approx(1.0, rel=0.02)
    assert float(np.abs(volts - 1.0).max()) == pytest.approx(3.0)
    assert np.array_equal(volts, shape_volts(NoiseShape(seed=5), 20_000, 1, 3.0, 1.0, 0.0))
    assert not np.array_equal(volts, shape_volts(NoiseShape(seed=6), 20_000, 1, 3.0, 1.0, 0.0))


def test_a_held_step_settles_to_its_level() -> None:
    """Between 1 V and 2 V every millisecond with τ = 0.5 ms: at the end of each the known limits of
    a first-order circuit driven by a square."""
    wave = zero_order_hold(np.array([1.0, 2.0]), 1e-3, tau_s=0.5e-3)
    kept = math.exp(-2)
    far = np.array([40e-3 - 1e-12, 41e-3 - 1e-12])
    assert wave.at(far) == pytest.approx([1 + 1 / (1 + kept), 1 + kept / (1 + kept)], rel=1e-6)
    assert wave.extent_v == pytest.approx((1 + kept / (1 + kept), 1 + 1 / (1 + kept)), rel=1e-6)


def test_a_slewing_step_goes_straight_and_then_settles() -> None:
    """4 V at 1 V/ms with τ = 1 ms: straight for 3 ms, until what is left is slew · τ = 1 V."""
    wave = zero_order_hold(
        np.array([4.0]), 20e-3, tau_s=1e-3, slew_v_s=1e3, repeat=False, before_v=0.0
    )
    assert wave.at(np.array([1e-3, 3e-3, 4e-3, 6e-3])) == pytest.approx(
        [1.0, 3.0, 4 - math.exp(-1), 4 - math.exp(-3)], rel=1e-6
    )


def test_straight_lines_keep_their_slope_behind_a_pole() -> None:
    """A ramp behind RC lags by τ once its jump has died away."""
    wave = piecewise_linear(np.array([0.0, 10.0, 10.0]), np.array([0.0, 10.0, 0.0]), 10.0)
    assert wave.at(np.array([2.5, 12.5])) == pytest.approx([2.5, 2.5])
    assert wave.filtered(0.01).at(np.array([5.0])) == pytest.approx([4.99])


def test_corners_of_pulses_are_their_edges() -> None:
    wave = pulse_train(0.0, 3.0, 0.25, 1.0)
    assert wave.corners_s(0.0, 2.5) == pytest.approx([0, 0.25, 1, 1.25, 2, 2.25])
    assert wave.corners_s(0.9, 1.1) == pytest.approx([1.0])
    assert wave.at(np.array([0.1, 0.3, 1.2, 1.26])) == pytest.approx([3, 0, 3, 0])
    assert len(wave.corners_s(0.0, 1e6, most=100)) == 100
