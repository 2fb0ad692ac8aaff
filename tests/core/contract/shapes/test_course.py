"""Voltages in pieces, against the same circuit stepped through time."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wattigram.core.contract.shapes import piecewise_linear, pulse_train, zero_order_hold

STEP_S = 2e-9


def stepped(
    levels: np.ndarray,
    update_s: float,
    end_s: float,
    tau_s: float,
    slew: float,
    poles: tuple[float, ...],
    begin_s: float,
) -> tuple[np.ndarray, np.ndarray]:
    """A DAC that settles and slews, and low-passes behind it, in small steps of time; it
    repeats."""
    times = np.arange(0, end_s, STEP_S)
    output = 0.4
    behind = [0.4] * len(poles)
    found = []
    for at in times:
        target = (
            levels[int((at - begin_s) / update_s + 1e-9) % len(levels)] if at >= begin_s else 0.4
        )
        slope = (target - output) / tau_s
        output += (max(-slew, min(slew, slope)) if slew else slope) * STEP_S
        value = output
        for place, pole in enumerate(poles):
            behind[place] += (value - behind[place]) / pole * STEP_S
            value = behind[place]
        found.append(value)
    return times + STEP_S, np.array(found)


@pytest.mark.parametrize(
    ("tau_s", "slew", "poles", "tolerance"),
    [
        (2e-6, 0.0, (), 1e-3),
        (2e-6, 0.3e6, (), 1e-3),
        (2e-6, 0.0, (5e-6, 20e-6), 1e-3),
        (2e-6, 0.0, (2e-6,), 2e-3),  # a pole where the settling has its own
        (2e-6, 0.5e6, (5e-6,), 4e-3),
    ],
)
def test_held_steps_are_what_a_circuit_gives(
    tau_s: float, slew: float, poles: tuple[float, ...], tolerance: float
) -> None:
    levels = np.random.default_rng(1).uniform(0, 3, 8)
    course = zero_order_hold(
        levels, 10e-6, tau_s=tau_s, slew_v_s=slew, begin_s=7e-6, before_v=0.4
    ).filtered(*poles)
    times, volts = stepped(levels, 10e-6, 250e-6, tau_s, slew, poles, 7e-6)
    known = times > (
        40e-6 if slew else 0
    )  # the first step from where it stood may slew otherwise than later ones
    assert np.abs(course.at(times) - volts)[known].max() < tolerance


def test_what_is_played_once_stays_at_its_end() -> None:
    course = zero_order_hold(np.array([1.0, 2.0, 3.0]), 1e-3, tau_s=1e-5, repeat=False)
    assert course.at(np.array([0.5e-3, 1.5e-3, 2.5e-3, 9.0])) == pytest.approx([1.0, 2.0, 3.0, 3.0])


def test_ripple_of_filtered_pulses_is_the_textbooks() -> None:
    """Peak to peak behind RC: V · (1 − a)(1 − b) / (1 − ab), a and b what each part of the period
    leaves."""
    period, duty, pole = 50e-6, 0.4, 200e-6
    low, high = pulse_train(0.0, 3.3, duty * period, period).filtered(pole).extent_v
    a, b = np.exp(-duty * period / pole), np.exp(-(1 - duty) * period / pole)
    assert high - low == pytest.approx(3.3 * (1 - a) * (1 - b) / (1 - a * b), rel=1e-6)


@given(
    st.lists(st.floats(-5, 5), min_size=2, max_size=9), st.floats(1e-6, 1e-2), st.floats(1e-7, 1e-2)
)
@settings(max_examples=60, deadline=None)
def test_a_filter_keeps_the_mean_and_never_widens(
    volts: list[float], period_s: float, pole_s: float
) -> None:
    corners = np.array([*volts, volts[0]])
    course = piecewise_linear(np.linspace(0, period_s, len(corners)), corners, period_s)
    behind = course.filtered(pole_s)
    looks = np.linspace(0, period_s, 4001)[:-1]
    assert behind.at(looks).mean() == pytest.approx(course.at(looks).mean(), abs=2e-2)
    assert behind.extent_v[0] >= course.extent_v[0] - 1e-6
    assert behind.extent_v[1] <= course.extent_v[1] + 1e-6
    assert behind.at(looks + 3 * period_s) == pytest.approx(behind.at(looks), abs=1e-6)
