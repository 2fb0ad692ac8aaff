"""Pins that change while the board runs, against the same made beforehand and against small steps."""

from __future__ import annotations

import numpy as np
import pytest

from wattigram.core.board.live_output import LiveDac, LivePulses
from wattigram.core.board.output_waveforms import dac_waveform, pwm_waveform
from wattigram.core.contract.board_config import EffectiveDac, EffectivePwm

TICK_HZ = 1_000_000
PWM = EffectivePwm(name="P", pin="C5", count_ticks=1.0, counts=100, high_counts=30, high_v=3.0)


def dac(codes: tuple[int, ...], **more: float) -> EffectiveDac:
    return EffectiveDac(
        name="D",
        pin="B5",
        codes=codes,
        update_ticks=50.0,
        bits=12,
        lsb_v=1e-3,
        low_v=0.0,
        high_v=4.0,
        **more,
    )


def put(live: LivePulses, ticks: float, **change: int) -> None:
    live.put(np.array([ticks]), **{name: np.array([value]) for name, value in change.items()})


@pytest.mark.parametrize("poles_s", [(), (80e-6,), (80e-6, 300e-6)])
@pytest.mark.parametrize("slew_v_s", [0.0, 5e4])
def test_codes_put_one_by_one_are_a_table(poles_s: tuple[float, ...], slew_v_s: float) -> None:
    codes = (1000, 3000, 2500, 400, 3900, 3900, 10)
    table = dac(codes, tau_s=7e-6, slew_v_s=slew_v_s)
    known = dac_waveform(table.unchecked(repeat=False), TICK_HZ).filtered(*poles_s)
    live = LiveDac(table.unchecked(codes=(0,)), TICK_HZ)
    wire = live.voltage.wire(poles_s)
    times_s = np.linspace(0, 349e-6, 500)
    for number, code in enumerate(codes):
        live.put(np.array([50.0 * number]), np.array([code]))
        if number % 3 == 0:
            wire.at(times_s[times_s < number * 50e-6])  # asked in between, it goes on as it was
    assert wire.at(times_s) == pytest.approx(known.at(times_s), abs=2e-5)


@pytest.mark.parametrize("poles_s", [(), (250e-6,), (250e-6, 40e-6)])
def test_pulses_that_stay_are_the_pulses_of_a_design(poles_s: tuple[float, ...]) -> None:
    times_s = np.linspace(1e-7, 5e-3, 3001)
    live = LivePulses(PWM, TICK_HZ).voltage.wire(poles_s)
    known = pwm_waveform(PWM, TICK_HZ).filtered(*poles_s)
    assert live.at(times_s) == pytest.approx(known.at(times_s), abs=1e-9)


def test_duty_and_period_change_where_they_take_effect() -> None:
    live = LivePulses(PWM, TICK_HZ)
    put(live, 200.0, high_counts=60)
    put(live, 320.0, high_counts=10)  # no second register: in the middle of a high part
    put(live, 400.0, counts=50)
    put(live, 430.0, counts=20)  # the counter stands beyond: a new period at once
    ticks = np.array([25, 35, 225, 255, 265, 305, 315, 325, 405, 415, 429, 431, 439, 441, 451, 461])
    high = [1, 0, 1, 1, 0, 1, 1, 0, 1, 0, 0, 1, 1, 0, 1, 0]
    assert (live.voltage.at(ticks / TICK_HZ) > 1).tolist() == [bool(value) for value in high]
    assert live.next_period(431.0) == pytest.approx(450.0)


def test_a_low_pass_follows_a_duty_that_is_written_again_and_again() -> None:
    """Against a circuit in steps of 0.1 µs."""
    rng = np.random.default_rng(3)
    live, tau_s = LivePulses(PWM, TICK_HZ), 400e-6
    wire = live.voltage.wire((tau_s,))
    step_s, value, found, times = 1e-7, 0.0, [], []
    high_counts = 30
    for period in range(60):
        if period % 3 == 0:
            high_counts = int(rng.integers(0, 101))
            put(live, 100.0 * period, high_counts=high_counts)
        for number in range(1000):
            target = 3.0 if number < 10 * high_counts else 0.0
            value += (target - value) * (1 - np.exp(-step_s / tau_s))
        times.append((period + 1) * 100e-6 - 1e-12)
        found.append(value)
        assert wire.at(np.array(times[-1:])) == pytest.approx(found[-1:], abs=1e-6)
    assert wire.at(np.array(times)) == pytest.approx(found, abs=1e-6)


def test_what_is_long_over_is_let_go() -> None:
    live = LiveDac(dac((5,), tau_s=1e-6), TICK_HZ)
    wire = live.voltage.wire((1e-3,))
    for number in range(6000):
        live.put(np.array([1000.0 * number]), np.array([1000 + number % 2]))
        if number % 100 == 0:
            assert 0 <= float(wire.at(np.array([number * 1e-3]))[0]) <= 1.1
    assert len(live.voltage.waves) < 4500
    assert float(wire.at(np.array([5.9995]))[0]) == pytest.approx(1.0006, abs=5e-4)


@pytest.mark.parametrize("slew_v_s", [0.0, 3e4])
@pytest.mark.parametrize("poles_s", [(), (80e-6,)])
def test_codes_at_once_are_codes_one_by_one(poles_s: tuple[float, ...], slew_v_s: float) -> None:
    rng = np.random.default_rng(5)
    ticks, codes = np.cumsum(rng.integers(3, 90, 200)).astype(float), rng.integers(0, 4000, 200)
    one, many = (LiveDac(dac((7,), tau_s=9e-6, slew_v_s=slew_v_s), TICK_HZ) for _ in range(2))
    for at, code in zip(ticks, codes, strict=True):
        one.put(np.array([at]), np.array([code]))
    for begin in range(0, 200, 40):
        many.put(ticks[begin : begin + 40], codes[begin : begin + 40])
    times_s = np.linspace(0, ticks[-1] / TICK_HZ * 1.1, 4000)
    wires = [live.voltage.wire(poles_s).at(times_s) for live in (one, many)]
    assert wires[0] == pytest.approx(wires[1], abs=1e-9)


@pytest.mark.parametrize("poles_s", [(), (400e-6,)])
@pytest.mark.parametrize("what", ["high_counts", "counts"])
def test_duties_at_once_are_duties_one_by_one(what: str, poles_s: tuple[float, ...]) -> None:
    rng = np.random.default_rng(6)
    ticks, values = np.cumsum(rng.integers(3, 400, 90)).astype(float), rng.integers(1, 120, 90)
    one, many = LivePulses(PWM, TICK_HZ), LivePulses(PWM, TICK_HZ)
    for at, value in zip(ticks, values, strict=True):
        put(one, at, **{what: int(value)})
    for begin in range(0, 90, 30):
        many.put(ticks[begin : begin + 30], **{what: values[begin : begin + 30]})
    times_s = (np.arange(1, 2 * int(ticks[-1])) + 0.25) / 2 / TICK_HZ
    wires = [live.voltage.wire(poles_s).at(times_s) for live in (one, many)]
    assert wires[0] == pytest.approx(wires[1], abs=1e-9)
