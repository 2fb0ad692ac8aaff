"""Rates, misses and losses against a calculation that goes from event to event and knows none of
our formulas."""

from __future__ import annotations

import random
from bisect import bisect_right
from dataclasses import dataclass, replace
from fractions import Fraction

import pytest
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st

from tests.core.board.test_prediction import Design, every
from wattigram.core.advise.findings import find_all
from wattigram.core.board import Run
from wattigram.core.model.design import (
    Dma,
    Fifo,
    FreeRunningTrigger,
    Interrupt,
    Polling,
    SoftwareTrigger,
    Workspace,
)
from wattigram.core.predict.timing import HELD_UP, retrieval_timing, scan_timing
from wattigram.core.silicon.deploy import effective_config

PARTS = {"marten-m3": (96_000_000, 14, 12, 8), "osprey-x2": (120_000_000, 12, 10, 6)}
"""Processor clock, cycles to enter and to leave an interrupt, and the longest it waits."""


@dataclass
class Counts:
    """What happened."""

    conversions: int = 0
    triggers: int = 0
    missed: int = 0
    fetched: int = 0
    span_s: float = 0.0


def conversion_s(part: str, sampling: int) -> float:
    """Sampling and conversion on the parts as their files have them: 32 and 40 MHz, bits + 1 and
    bits + 2."""
    return (sampling + 13) / 32e6 if part == "marten-m3" else (sampling + 14) / 40e6


def follow_timer(
    part: str, period_s: float, slots: int, sampling: int, singly: bool, triggers: int
) -> tuple[Counts, list[float]]:
    """Triggers one by one; a busy converter misses them. Gives the instants at which results are
    ready."""
    counts, ends = Counts(span_s=triggers * period_s), []
    free_s, place = -1.0, 0
    each_s = conversion_s(part, sampling)
    for number in range(triggers):
        now_s = number * period_s
        counts.triggers += 1
        if now_s < free_s - 1e-15:
            counts.missed += 1
            continue
        for step in range(1 if singly else slots):
            ends.append(now_s + (step + 1) * each_s)
            counts.conversions += 1
            place = (place + 1) % slots
        free_s = ends[-1]
    return counts, ends


def follow_handler(part: str, ends: list[float], handler: int, unit: int, fifo: int) -> int:
    """Results that a handler still finds: one register keeps the newest, a FIFO the oldest.

    How long each call waits for an instruction to end is drawn.
    """
    dice = random.Random(len(ends))
    clock_hz, enter, leave, wait = PARTS[part]
    fetched = 0
    free_s = 0.0
    position = 0
    while position + unit <= len(ends):
        called_s = max(free_s, ends[position + unit - 1])
        read_s = called_s + (enter + dice.randint(0, wait)) / clock_hz
        ready = bisect_right(ends, read_s) - position
        if fifo:
            fetched += min(ready, fifo)
        else:
            ready = ready // unit * unit
            fetched += unit
        position += ready
        free_s = read_s + (handler + leave) / clock_hz
    return fetched


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from(["marten-m3", "osprey-x2"]),
    st.integers(4, 400),
    st.integers(1, 4),
    st.booleans(),
    st.sampled_from([0, 1]),
)
def test_triggers_and_misses(
    part: str, period_us: int, slots: int, singly: bool, fast: int
) -> None:
    sampling = {"marten-m3": (8, 128), "osprey-x2": (8, 132)}[part][fast]
    design = Design(
        "x",
        part,
        every(f"{period_us} us"),
        Dma(channel="DMA 1"),
        slots,
        "conversion" if singly else "scan",
        sampling=sampling,
        divider=3,
    )
    workspace = design.workspace()
    cycle = scan_timing(workspace, workspace.project.chains[0])
    counts, _ends = follow_timer(part, period_us * 1e-6, slots, sampling, singly, 2400)
    assert float(cycle.cycle_rate_hz) * slots == pytest.approx(
        counts.conversions / counts.span_s, rel=2e-3
    )
    assert float(cycle.missed_hz) == pytest.approx(
        counts.missed / counts.span_s, rel=2e-3, abs=2 / counts.span_s
    )


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from(["marten-m3", "osprey-x2"]),
    st.integers(12, 200),
    st.integers(1, 4),
    st.integers(50, 6000),
    st.sampled_from(["conversion", "scan", "fifo"]),
)
def test_losses_of_handlers(part: str, period_us: int, slots: int, handler: int, kind: str) -> None:
    if part == "marten-m3":
        kind = "conversion"
    sampling = {"marten-m3": 32, "osprey-x2": 36}[part]
    retrieval = {
        "conversion": Interrupt(),
        "scan": Interrupt(per="scan"),
        "fifo": Fifo(watermark=8),
    }[kind]
    design = Design(
        "x",
        part,
        every(f"{period_us} us"),
        retrieval,
        slots,
        sampling=sampling,
        handler=handler,
        divider=3,
    )
    workspace = design.workspace()
    chain = workspace.project.chains[0]
    timing = retrieval_timing(workspace, chain)
    counts, ends = follow_timer(part, period_us * 1e-6, slots, sampling, False, 1500)
    unit = {"conversion": 1, "scan": slots, "fifo": 8}[kind]
    fetched = follow_handler(part, ends, handler, unit, 16 if kind == "fifo" else 0)
    lost = 1 - fetched / len(ends)
    predicted = float(timing.lost_hz / timing.items_hz)
    assert predicted == pytest.approx(lost, abs=0.025)
    clock_hz, enter, leave, _wait = PARTS[part]
    assert float(timing.cpu_share) == pytest.approx(
        counts.conversions / unit / counts.span_s * (enter + handler + leave) / clock_hz, rel=2e-3
    )


@pytest.mark.parametrize(("slots", "handler"), [(1, 60), (3, 60), (3, 700), (4, 5)])
@pytest.mark.parametrize("kind", ["polling", "interrupt"])
def test_a_converter_that_software_points_from_channel_to_channel(
    slots: int, handler: int, kind: str
) -> None:
    """16 MHz, 1 MHz converter: 4 + 12 clocks a conversion, then noticing, handling and pointing
    anew."""
    retrieval = Polling() if kind == "polling" else Interrupt()
    design = Design("x", "quill-q8", SoftwareTrigger(), retrieval, slots, handler=handler)
    workspace = design.workspace()
    cycle = scan_timing(workspace, workspace.project.chains[0])
    notice = Fraction(5, 2) if kind == "polling" else 9 + Fraction(4, 2)
    each_s = Fraction(16, 10**6) + (notice + handler + 14) / Fraction(16_000_000)
    assert cycle.cycle_s == slots * each_s
    assert cycle.jitter_s == slots * Fraction(5 if kind == "polling" else 4, 16_000_000)
    assert cycle.slots[-1].held_s == (slots - 1) * each_s + Fraction(4, 10**6)


def in_turns(part: str, ends: list[list[float]], handlers: list[int]) -> list[int]:
    """Results that two handlers still find, of which each waits for the other: whoever was asked first is
    first."""
    dice = random.Random(len(ends[0]))
    clock_hz, enter, leave, wait = PARTS[part]
    fetched, position, free_s = [0, 0], [0, 0], 0.0
    while all(place < len(mine) for place, mine in zip(position, ends, strict=True)):
        which = 0 if ends[0][position[0]] <= ends[1][position[1]] else 1
        called_s = max(free_s, ends[which][position[which]])
        read_s = called_s + (enter + dice.randint(0, wait)) / clock_hz
        position[which] = bisect_right(ends[which], read_s)
        fetched[which] += 1
        free_s = read_s + (handlers[which] + leave) / clock_hz
    return [count / place for count, place in zip(fetched, position, strict=True)]


def two_converters(periods_us: tuple[int, int], handlers: tuple[int, int]) -> Workspace:
    """Two converters of one slot, with an interrupt for each result."""
    one = Design(
        "x", "marten-m3", every(f"{periods_us[0]} us"), Interrupt(), 1, handler=handlers[0]
    )
    workspace = one.workspace()
    first = workspace.project.chains[0]
    second = first.replaced(
        converter="ADC 2",
        buffer=first.buffer.replaced(name="M", isr_cycles=handlers[1]),
        trigger=every(f"{periods_us[1]} us", "Timer 2"),
    )
    return Workspace(workspace.project.replaced(chains=(first, second)), workspace.part)


@settings(max_examples=30, deadline=None, derandomize=True)
@given(
    st.tuples(st.integers(8, 40), st.integers(8, 4000)),
    st.tuples(st.integers(20, 1500), st.integers(20, 20_000)),
)
@example((20, 20), (1400, 1400))
@example((10, 1000), (60, 4000))
def test_isrs_of_two_converters_take_turns(
    periods_us: tuple[int, int], handlers: tuple[int, int]
) -> None:
    clock_hz, enter, leave, wait = PARTS["marten-m3"]
    wanted = [
        (enter + wait / 2 + cycles + leave) / clock_hz / (period_us / 1e6)
        for cycles, period_us in zip(handlers, periods_us, strict=True)
    ]
    assume(abs(1 - sum(wanted)) > 0.03)  # else it takes long until it goes as it goes on
    both = two_converters(periods_us, handlers)
    each_s, span_s = conversion_s("marten-m3", 32), 0.4
    ends = [
        [number * period_us / 1e6 + each_s for number in range(int(span_s / period_us * 1e6))]
        for period_us in periods_us
    ]
    found = in_turns("marten-m3", ends, list(handlers))
    timings = [retrieval_timing(both, chain) for chain in both.project.chains]
    run = Run(effective_config(both))
    for step in (0.0007, 0.11, 0.2):  # however far it is brought at once
        run.advance(int(step * run.config.tick_hz))
    run.finish()
    totals = run.totals()
    due = [1 - share for share in found]
    predicted = [float(timing.lost_hz / timing.items_hz) for timing in timings]
    on_board = [totals[f"lost.{number}"] / totals[f"converted.{number}"] for number in (0, 1)]
    for shares in (predicted, on_board):
        if sum(wanted) < 1:
            assert shares == pytest.approx(due, rel=0.05, abs=0.003)
        else:  # which of the two loses turns on little where there is too much for both
            both_lose = [
                sum(one / us for one, us in zip(each, periods_us, strict=True))
                for each in (shares, due)
            ]
            assert both_lose[0] == pytest.approx(
                both_lose[1], rel=0.05, abs=0.003 / min(periods_us)
            )
    reasons = [timing.reason for timing in timings]
    assert set(reasons) <= {"", HELD_UP, "ISR too slow"}


def test_an_isr_that_is_in_time_alone_is_held_up_by_a_longer_one() -> None:
    """4 026 clocks are 41.9 µs, in which four results of 10 µs come: each millisecond three of a hundred are
    lost, or four."""
    both = two_converters((10, 1000), (60, 4000))
    first, second = (retrieval_timing(both, chain) for chain in both.project.chains)
    assert (first.reason, second.reason) == (HELD_UP, "")
    assert first.held_up_s == Fraction(4026 + 8, 96_000_000)
    assert 3000 <= first.lost_hz <= 4000
    found = [finding.code for finding in find_all(both)]
    assert "isr-held-up" in found
    shorter = two_converters((10, 1000), (60, 400))
    assert "isr-held-up" not in {finding.code for finding in find_all(shorter)}


@pytest.mark.parametrize("handler", [*range(1496, 1545, 8), 1700, 2500])
def test_a_fifo_that_overflows_by_jitter_alone(handler: int) -> None:
    """12 results of 96 clocks may come in a call that is called at 4 of 16: its longest waits alone
    are too long."""
    design = Design(
        "x",
        "osprey-x2",
        FreeRunningTrigger(),
        Fifo(watermark=4),
        1,
        "continuous",
        sampling=18,
        divider=3,
    )
    workspace = replace(design, handler=handler).workspace()
    timing = retrieval_timing(workspace, workspace.project.chains[0])
    each_s = conversion_s("osprey-x2", 18)
    ends = [(number + 1) * each_s for number in range(40_000)]
    lost = 1 - follow_handler("osprey-x2", ends, handler, 4, 16) / len(ends)
    assert float(timing.lost_hz / timing.items_hz) == pytest.approx(lost, abs=0.003)
    run = Run(effective_config(workspace))
    run.advance(run.config.tick_hz // 20)
    totals = run.totals()
    assert totals["lost.0"] / totals["converted.0"] == pytest.approx(lost, abs=0.006)
    assert (timing.lost_hz == 0) == (totals["lost.0"] == 0)
