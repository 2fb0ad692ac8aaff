"""Rates of routes, by values worked out by hand."""

from __future__ import annotations

from fractions import Fraction

import pytest

from tests.paths import EXAMPLES
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.route import Route, RouteTimer
from wattigram.core.predict.clocks import uart_timing
from wattigram.core.predict.timing import other_end, scan_timing
from wattigram.core.predict.timing.route_timing import (
    _first_write_s,
    _sent_hz,
    _torn_share,
    route_timing,
)


@pytest.fixture(scope="module")
def wheel() -> Workspace:
    return open_workspace(EXAMPLES / "pedal-to-wheel/wheel.wattigram.toml")


def route(workspace: Workspace, name: str, **changed: object) -> Route:
    found = workspace.project.route(name)
    assert found is not None
    return found.replaced(**changed)


def test_bytes_of_a_wire_set_a_duty(wheel: Workspace) -> None:
    """The pedal sends 200 bytes a second; the pulse begins anew 78 125 / 4 times."""
    timing = route_timing(wheel, route(wheel, "Pedal to motor"))
    assert timing.source_hz == timing.transfers_hz == 200
    assert timing.sink_hz == Fraction(78125, 4)
    assert (timing.effective_hz, timing.overwritten_hz, timing.repeated_hz) == (200.0, 0.0, 0.0)
    assert (timing.torn_hz, timing.value_bits, timing.carried_bits) == (0.0, 8, 8)
    assert timing.latency_s == pytest.approx(6 / 120e6 + 4 / 78125)


def test_results_go_out_as_bytes(wheel: Workspace) -> None:
    """Thirteen bit times a byte at 150 kbaud: what comes at 5 kHz finds the wire free."""
    timing = route_timing(wheel, route(wheel, "Current to wire"))
    assert timing.source_hz == 5000
    assert timing.sink_hz == Fraction(150_000, 13)
    assert (timing.effective_hz, timing.overwritten_hz) == (5000.0, 0.0)
    assert timing.latency_s == pytest.approx(6 / 120e6)


def test_a_wire_that_asks_gets_the_same_result_again(wheel: Workspace) -> None:
    asked = route_timing(wheel, route(wheel, "Current to wire", request="destination"))
    wire_hz = 150_000 / 13
    assert float(asked.transfers_hz) == pytest.approx(wire_hz)
    assert asked.repeated_hz == pytest.approx(wire_hz - 5000)
    assert asked.overwritten_hz == 0.0
    assert asked.torn_hz == 0.0
    assert asked.latency_s == pytest.approx(6 / 120e6 + 13 / 150_000)


def test_a_value_in_two_bytes_is_put_together_of_two(wheel: Workspace) -> None:
    """Half as many values; a result that comes between their bytes tears them."""
    asked = route_timing(wheel, route(wheel, "Current to wire", request="destination", transfers=2))
    values_hz = 150_000 / 13 / 2
    assert asked.repeated_hz == pytest.approx((values_hz - 5000) * 2)
    assert asked.torn_hz == pytest.approx(values_hz * 5000 / (150_000 / 13))


def test_more_bytes_than_the_wire_takes_are_overwritten(wheel: Workspace) -> None:
    """Four bytes at each of 5000 results are 20 000, and the wire takes 11 538."""
    full = route_timing(wheel, route(wheel, "Current to wire", transfers=4))
    assert full.transfers_hz == 20_000
    assert full.effective_hz + full.overwritten_hz == pytest.approx(20_000)
    assert full.effective_hz <= 150_000 / 13 + 1e-9


@pytest.mark.parametrize(
    ("changed", "bits"),
    [
        ({"source_bits": 16, "destination_bits": 8}, 8),
        ({"source_bits": 8, "destination_bits": 8, "transfers": 2}, 12),
        ({"source_bits": 8, "destination_bits": 8, "transfers": 2, "increment": False}, 8),
    ],
)
def test_bits_that_get_through(wheel: Workspace, changed: dict[str, object], bits: int) -> None:
    timing = route_timing(wheel, route(wheel, "Current to wire", **changed))
    chain = wheel.project.chains[0]
    assert timing.value_bits == chain.bits
    assert timing.carried_bits == min(bits, chain.bits)


def test_a_gap_about_the_beginning_of_a_period_tears() -> None:
    # Writes each 10 ticks, periods of 4: phases 1, 3, 1, 3, ...; a gap of 1 reaches the next
    # period from neither, one of 2 from every second.
    tick = Fraction
    assert _torn_share(tick(1), tick(10), tick(4), tick(1)) == 0.0
    assert _torn_share(tick(1), tick(10), tick(4), tick(2)) == 0.5
    assert _torn_share(tick(0), tick(10), tick(4), tick(1)) == 0.5  # one begins with the period
    assert _torn_share(tick(1), tick(10), tick(4), tick(4)) == 1.0
    assert _torn_share(tick(0), tick(100_003, 100_000), tick(1), tick(1, 4)) == pytest.approx(0.25)


def test_a_uart_keeps_one_byte_and_replaces_it() -> None:
    # Bursts of three each 10 ms, a byte takes 1 ms, one waits: the third replaces the second.
    lost = _sent_hz(Fraction(100), 3, Fraction(1, 1000), 1, 1e-6)
    assert lost == pytest.approx(200.0)
    assert _sent_hz(Fraction(100), 2, Fraction(1, 1000), 1, 1e-6) == 200.0
    assert _sent_hz(Fraction(100), 3, Fraction(1, 1000), 2, 1e-6) == 300.0
    assert _sent_hz(Fraction(2000), 3, Fraction(1, 1000), 1, 1e-6) == pytest.approx(1000.0)


def test_two_bytes_of_a_wire_tear_a_duty_now_and_then(wheel: Workspace) -> None:
    """The first byte arrives ten bit times after its start, the second one byte later; a period of
    the pulse that begins between them takes half of each."""
    timing = route_timing(wheel, route(wheel, "Pedal to motor", transfers=2))
    period_s = Fraction(4, 78125)
    assert timing.latency_s == pytest.approx(2 * 6 / 120e6 + float(period_s))
    assert timing.effective_hz == 100.0  # values of two bytes, of 200 bytes a second
    other, uart = other_end(wheel, "UART 1"), wheel.project.uart("UART 1")
    assert other is not None
    assert uart is not None
    gap_s, every_s = 10 / other.baud_hz, Fraction(1, 100)
    first_s = 10 / uart_timing(wheel, uart).baud_hz + Fraction(6, 120_000_000)
    phases = [(first_s + number * every_s) % period_s for number in range(10_000)]
    torn = sum(phase == 0 or phase + gap_s > period_s for phase in phases) / len(phases)
    assert timing.torn_hz == pytest.approx(100.0 * min(1.0, torn), rel=2e-3)


def test_a_result_is_written_when_its_slot_is_done(wheel: Workspace) -> None:
    found = route(wheel, "Current to wire")
    chain = wheel.project.chains[0]
    slot = scan_timing(wheel, chain).slots[0]
    transfer_s = Fraction(6, 120_000_000)
    assert _first_write_s(wheel, found, transfer_s) == slot.start_s + slot.each_s + transfer_s


def test_a_timer_asks_for_whole_values(wheel: Workspace) -> None:
    found = route(
        wheel,
        "Current to wire",
        request="timer",
        timer=RouteTimer(timer="Timer 4", period_s="1 ms"),
        transfers=2,
    )
    timing = route_timing(wheel, found)
    assert timing.transfers_hz == 2000
    assert timing.effective_hz == 2000.0
    assert timing.repeated_hz == 0.0  # results come five times as often
    assert timing.latency_s == pytest.approx(2 * 6 / 120e6)
