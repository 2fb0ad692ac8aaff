"""Routes on the board, byte for byte, against the same thing done tick by tick; and the counts
predicted of them."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.board.dma_routes import DmaRoute
from wattigram.core.board.run import Run
from wattigram.core.board.wire_words import WireWords
from wattigram.core.contract.board_config import (
    EffectiveBench,
    EffectiveConfig,
    EffectiveRoute,
    EffectiveSerial,
    EffectiveWire,
)
from wattigram.core.contract.link import OVERWRITTEN, TORN
from wattigram.core.contract.serial_line import LineFormat
from wattigram.core.model.design import RouteTimer, UartSetup, open_workspace
from wattigram.core.model.design.edits import SetBits, SetPeriod, SetRoute, SetUart
from wattigram.core.predict.clocks import uart_timing
from wattigram.core.predict.timing import route_timing
from wattigram.core.silicon.deploy import effective_config

WHEEL = open_workspace(EXAMPLES / "pedal-to-wheel" / "wheel.wattigram.toml")
OWN = WHEEL.project.routes[1]


def board_route(**updates: object) -> DmaRoute:
    """A route of its own from converter results to a UART."""
    values: dict[str, object] = {
        "name": "r",
        "stream": 232,
        "on": "source",
        "source_bits": 8,
        "sink_bits": 8,
        "items": 1,
        "step": 1,
        "low_first": True,
        "transfer_ticks": 3.0,
        "sink": "send",
        "byte_ticks": 50.0,
        "waiting": 1,
    }
    route = EffectiveRoute(**(values | updates))  # type: ignore[arg-type]
    bench = EffectiveBench(pins={})
    return DmaRoute(
        EffectiveConfig(
            board="b", build_id="m", tick_hz=1000, converters=(), routes=(route,), bench=bench
        ),
        0,
    )


def tick_by_tick(
    writes: list[tuple[int, int]], byte_ticks: int, room: int, end: int
) -> list[tuple[int, int]]:
    """What a UART sends and loses, by looking at every tick: (tick, value), lost ones marked."""
    found: list[tuple[int, int]] = []
    waiting: list[int] = []
    busy_until = 0
    by_tick: dict[int, list[int]] = {}
    for at, value in writes:
        by_tick.setdefault(at, []).append(value)
    for tick in range(end):
        if waiting and busy_until <= tick:
            found.append((tick, waiting.pop(0)))
            busy_until = tick + byte_ticks
        for value in by_tick.get(tick, []):
            if not waiting and busy_until <= tick:
                found.append((tick, value))
                busy_until = tick + byte_ticks
            elif len(waiting) < room:
                waiting.append(value)
            else:
                found.append((tick, waiting[-1] | OVERWRITTEN))
                waiting[-1] = value
    return found


@given(
    st.integers(14, 200),
    st.sampled_from([1, 2, 4]),
    st.integers(1, 3),
    st.integers(5, 80),
    st.lists(st.integers(1, 900), min_size=1, max_size=5),
)
@settings(max_examples=80, deadline=None)
def test_bytes_are_sent_and_lost_as_tick_by_tick(
    every: int, items: int, room: int, byte_ticks: int, cuts: list[int]
) -> None:
    count, end = 40, 40 * every + 400
    route = board_route(items=items, waiting=room, byte_ticks=float(byte_ticks))
    codes = np.arange(count) * 771 % 65536
    ends = np.arange(count) * float(every) + 10
    writes = [
        (int(ends[number]) + 3 * (piece + 1), int(codes[number] >> (8 * piece)) & 0xFF)
        for number in range(count)
        for piece in range(items)
    ]
    expected = tick_by_tick(writes, byte_ticks, room, end)
    seen: list[tuple[int, int]] = []
    fed = 0
    for until in [*sorted({cut * end // 900 for cut in cuts}), end]:
        ready = int(np.searchsorted(ends, until))
        route.feed(ends[fed:ready], codes[fed:ready], np.zeros(ready - fed, dtype=np.int64))
        fed = ready
        part = route.advance(float(until))
        seen += list(zip(part.ticks.tolist(), part.values.tolist(), strict=True))
    assert sorted(seen) == sorted(expected)


@pytest.mark.parametrize("baud", [9600, 19200, 38400, 57600, 115_200])
@pytest.mark.parametrize(("bits", "items"), [(8, 1), (12, 2)])
@pytest.mark.parametrize("every", ["100 us", "173 us", "1 ms"])
def test_bytes_lost_are_those_predicted(baud: int, bits: int, items: int, every: str) -> None:
    design = edited(
        WHEEL,
        SetBits("ADC 1", bits),
        SetPeriod(
            "ADC 1",
            Fraction(every.removesuffix(" us").removesuffix(" ms"))
            / (1000 if "ms" in every else 10**6),
        ),
        SetUart(UartSetup(name="UART 2", baud=baud)),
        SetRoute(OWN.name, OWN.replaced(transfers=items)),
    )
    route = design.project.routes[1]
    timing = route_timing(design, route)
    run = Run(effective_config(design))
    seconds = 1.0
    run.advance(int(seconds * run.config.tick_hz))
    sent = run._routes[1]
    assert isinstance(sent, DmaRoute)
    written = float(timing.transfers_hz) * seconds
    assert sent.observed == pytest.approx(written, abs=8)
    assert timing.effective_hz + timing.overwritten_hz == pytest.approx(float(timing.transfers_hz))
    assert timing.effective_hz <= float(uart_timing(design, design.project.uarts[1]).bytes_hz) * (
        1 + 1e-9
    )


def test_a_value_in_two_halves_is_torn_when_a_period_begins_between(tmp_path: Path) -> None:
    route = board_route(
        sink="duty", wide_sink=True, items=2, period_ticks=100.0, preload=True, transfer_ticks=30.0
    )
    ends, codes = np.array([5.0, 245.0]), np.array([0x1122, 0x3344])
    route.feed(ends, codes, np.zeros(2, dtype=np.int64))
    seen = route.advance(1000.0)
    # The first value is whole at 65 and loads at 100; the second has one half at 275 and the other
    # at 305.
    assert list(zip(seen.ticks.tolist(), seen.values.tolist(), strict=True)) == [
        (100, 0x1122),
        (300, 0x1144 | TORN),
        (400, 0x3344),
    ]


def test_without_preload_every_write_takes_effect() -> None:
    route = board_route(sink="duty", wide_sink=True, items=2, preload=False)
    route.feed(np.array([10.0]), np.array([0xABCD]), np.zeros(1, dtype=np.int64))
    seen = route.advance(100.0)
    assert seen.values.tolist() == [0x00CD | TORN, 0xABCD]


def test_a_period_register_sets_the_next_period() -> None:
    route = board_route(
        sink="period",
        wide_sink=True,
        source_bits=16,
        sink_bits=16,
        preload=True,
        count_ticks=2.0,
        initial=49,
    )
    route.feed(np.array([20.0, 150.0]), np.array([9, 99]), np.zeros(2, dtype=np.int64))
    seen = route.advance(1000.0)
    assert seen.values.tolist() == [9, 99]
    assert seen.ticks.tolist() == [
        100,
        160,
    ]  # periods of 100, then of 20 until the second value has come


def test_a_sink_that_asks_repeats_what_is_not_new() -> None:
    route = board_route(on="destination")
    route.feed(np.array([10.0, 205.0]), np.array([7, 8]), np.zeros(2, dtype=np.int64))
    assert route.advance(400.0).values.tolist() == [0, 7, 7, 7, 7, 8, 8, 8]


def test_a_timer_takes_what_is_newest() -> None:
    route = board_route(on="timer", timer_ticks=100.0)
    route.feed(np.array([10.0, 20.0, 250.0]), np.array([1, 2, 3]), np.zeros(3, dtype=np.int64))
    assert route.advance(450.0).values.tolist() == [0, 2, 2, 3, 3]


def test_another_boards_bytes_come_in_its_order() -> None:
    values = EffectiveSerial(
        every_ticks=100.0,
        bits=12,
        words_each=2,
        low_first=False,
        from_share=0.0,
        to_share=1.0,
        period_ticks=800.0,
    )
    line = LineFormat(bit_ticks=1.0)
    words = WireWords(EffectiveWire(uart="U", sends=line, hears=line, values=values), (), 1000)
    came = [words.take(until) for until in (15.0, 20.5, 221.0)]
    assert [one.ticks.tolist() for one in came] == [[10], [20], [110, 120, 210, 220]]
    assert [value for one in came for value in one.words] == [
        *(0, 0, 1024 >> 8, 1024 & 0xFF, 2048 >> 8, 2048 & 0xFF)
    ]


def test_timers_start_transfers_at_their_own_rate() -> None:
    design = edited(
        WHEEL,
        SetRoute(
            OWN.name,
            OWN.replaced(request="timer", timer=RouteTimer(timer="Timer 4", period_s="1 ms")),
        ),
    )
    timing = route_timing(design, design.project.routes[1])
    assert (timing.transfers_hz, timing.overwritten_hz, timing.repeated_hz) == (1000, 0, 0)
