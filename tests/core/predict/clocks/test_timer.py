from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wattigram.core.predict.clocks import solve_timer

BUS = Fraction(96_000_000)


@pytest.mark.parametrize(
    ("rate", "prescaler", "count", "ppm"),
    [
        (Fraction(10_000), 1, 9600, 0.0),
        (Fraction(50), 30, 64_000, 0.0),
        (Fraction(44_100), 1, 2177, -59.37),
        (Fraction(7), 505, 27_157, 0.05208),
        (Fraction(1), 1500, 64_000, 0.0),
        (Fraction(96_000_000), 1, 1, 0.0),
    ],
)
def test_worked_values(rate: Fraction, prescaler: int, count: int, ppm: float) -> None:
    found = solve_timer(BUS, 1 / rate, 1 << 16, 16)
    assert (found.prescaler, found.period_counts) == (prescaler, count)
    assert float(found.rate_error) * 1e6 == pytest.approx(ppm, abs=0.01)


def test_seven_hertz_to_the_last_digit() -> None:
    assert float(1 / solve_timer(BUS, Fraction(1, 7), 1 << 16, 16).period_s) == pytest.approx(
        7.000_000_364_58, abs=1e-11
    )


def exhaustive(
    timer_hz: Fraction, wanted_s: Fraction, prescaler_bits: int, counter_bits: int
) -> tuple[int, int]:
    """The definition itself: every pair, smallest error, then smallest prescaler."""
    best: tuple[Fraction, int, int] | None = None
    for prescaler in range(1, (1 << prescaler_bits) + 1):
        for count in range(1, (1 << counter_bits) + 1):
            error = abs(timer_hz * wanted_s / (prescaler * count) - 1)
            if best is None or (error, prescaler) < best[:2]:
                best = (error, prescaler, count)
    assert best is not None
    return best[1], best[2]


@settings(max_examples=60, deadline=None)
@given(st.integers(1, 6000), st.integers(1, 40))
def test_the_solver_agrees_with_trying_everything(numerator: int, denominator: int) -> None:
    wanted_s = Fraction(numerator, denominator * 1000)
    found = solve_timer(Fraction(1000), wanted_s, 16, 5)
    assert (found.prescaler, found.period_counts) == exhaustive(Fraction(1000), wanted_s, 4, 5)


def test_a_period_out_of_reach_gives_the_longest_or_one_tick() -> None:
    assert solve_timer(BUS, Fraction(10**6), 1 << 16, 16).ticks == 1 << 32
    assert solve_timer(BUS, Fraction(1, 10**12), 1 << 16, 16).ticks == 1


def test_a_timer_without_prescaler_is_solved_too() -> None:
    assert solve_timer(Fraction(1000), Fraction(1, 10), 1, 8).ticks == 100


@pytest.mark.parametrize(
    "wanted", [Fraction(1, 3), Fraction(1, 100), Fraction(1, 7919), Fraction(2)]
)
def test_only_prescalers_that_there_are_are_chosen(wanted: Fraction) -> None:
    """Against every pair: a timer that divides by 1, 4, 16 or 64 and counts up to 1024."""
    prescalers, clock = (1, 4, 16, 64), Fraction(100_000)
    found = solve_timer(clock, wanted, prescalers, 10)
    best = min(
        (abs(clock * wanted / (prescaler * count) - 1), prescaler)
        for prescaler in prescalers
        for count in range(1, 1025)
    )
    assert found.prescaler in prescalers
    assert (abs(clock * wanted / found.ticks - 1), found.prescaler) == best
