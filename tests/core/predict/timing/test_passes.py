"""Passes that the program starts itself, against a calculation that goes from result to result."""

from __future__ import annotations

import random
import statistics
from dataclasses import dataclass
from fractions import Fraction
from math import lcm

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.board.test_prediction import Design
from tests.core.predict.timing.test_by_events import PARTS
from wattigram.core.advise.findings import find_all
from wattigram.core.board import Run
from wattigram.core.model.design import Dma, Interrupt, Polling, Retrieval, SoftwareTrigger
from wattigram.core.model.design.edits import apply_edit
from wattigram.core.predict.timing import (
    isr_service_cycles,
    restart_step,
    retrieval_timing,
    scan_timing,
)
from wattigram.core.predict.timing.passes import Halves, IsrTiming, served_scan
from wattigram.core.silicon.deploy import effective_config


@dataclass
class Followed:
    """Passes that were followed one by one, in clocks."""

    mean: float
    doubt: float
    """Five standard errors of the mean."""
    lost: float


def follow_passes(
    ends: list[int], enter: int, wait: int, work: int, leave: int, restart: int
) -> Followed:
    """Each wait is drawn; instants count from the start of the pass, and are integers of any one
    unit."""
    dice = random.Random(len(ends))
    lengths, fetched = [], 0
    for _ in range(1500):
        # Whoever started the pass is still on his way out.
        busy_until, seen = leave, 0
        while seen < len(ends):
            looks = max(busy_until, ends[seen]) + enter + dice.randint(0, wait)
            seen = max(sum(end <= looks for end in ends), seen + 1)
            fetched += 1
            busy_until = looks + work + leave
        lengths.append(busy_until - leave + restart)
    doubt = 5 * statistics.pstdev(lengths) / len(lengths) ** 0.5
    return Followed(statistics.mean(lengths), doubt, 1 - fetched / (len(lengths) * len(ends)))


@settings(max_examples=40, deadline=None)
@given(
    st.sampled_from(["marten-m3", "osprey-x2"]),
    st.integers(1, 4),
    st.integers(0, 900),
    st.sampled_from([8, 16, 64]),
)
def test_interrupts_that_start_the_next_pass(
    part: str, slots: int, handler: int, sampling: int
) -> None:
    sampling += 0 if part == "marten-m3" else 4
    workspace = Design(
        "x", part, SoftwareTrigger(), Interrupt(), slots, sampling=sampling, handler=handler
    ).workspace()
    chain = workspace.project.chains[0]
    cycle, timing = scan_timing(workspace, chain), retrieval_timing(workspace, chain)
    clock_hz, enter, leave, wait = PARTS[part]
    restart = workspace.converter(chain).repoint_cycles
    each = cycle.slots[0].each_s * clock_hz
    assert each.denominator == 1
    followed = follow_passes(
        [(number + 1) * int(each) for number in range(slots)], enter, wait, handler, leave, restart
    )
    assert float(cycle.cycle_s * clock_hz) == pytest.approx(
        followed.mean, abs=followed.doubt + 1e-6
    )
    assert float(timing.lost_hz / timing.items_hz) == pytest.approx(followed.lost, abs=0.04)
    assert (timing.reason == "ISR too slow") == (timing.lost_hz > 0)
    found = {one.code for one in find_all(workspace)}
    assert ("handler-too-slow" in found) == (timing.lost_hz > 0)


@pytest.mark.parametrize(
    ("slots", "handler"), [(1, 300), (2, 90), (3, 60), (3, 140), (4, 600), (4, 35)]
)
@pytest.mark.parametrize("retrieval", [Interrupt(), Polling()], ids=["interrupt", "polling"])
def test_the_board_starts_passes_as_predicted(
    retrieval: Interrupt | Polling, slots: int, handler: int
) -> None:
    workspace = Design(
        "x",
        "marten-m3",
        SoftwareTrigger(),
        retrieval,
        slots,
        sampling=8,
        handler=handler,
        items=8 * slots,
    ).workspace()
    chain = workspace.project.chains[0]
    cycle, timing = scan_timing(workspace, chain), retrieval_timing(workspace, chain)
    run = Run(effective_config(workspace))
    run.advance(run.config.tick_hz // 20)
    totals = run.totals()
    assert totals["cycles"] == pytest.approx(float(cycle.cycle_rate_hz) / 20, rel=4e-3)
    assert totals["lost.0"] / totals["converted.0"] == pytest.approx(
        float(timing.lost_hz / timing.items_hz), abs=0.01
    )


def test_each_pass_is_at_least_and_at_most_as_long_as_said() -> None:
    """Three results every 60 clocks, a handler of 70: the second is late, the third as well or
    passed over."""
    handler = IsrTiming(Fraction(10), 12, Fraction(50), Fraction(12), Fraction(10))
    found = served_scan([Fraction(60), Fraction(120), Fraction(180)], handler)
    # First read at 70 to 82, free 60 later, at 130 to 142: the second is read 10 to 22 after that,
    # 140 to 164, and the
    # third, ready at 180, 10 to 22 after the handler is free at 200 to 224.
    assert (found.least, found.most) == (210 + 62, 246 + 62)
    assert found.mean == 60 + 3 * Fraction(16) + 2 * 60 + 62
    assert found.lost == 0
    assert not found.in_time


def test_a_handler_without_waits_is_exact() -> None:
    handler = IsrTiming(Fraction(5, 2), 0, Fraction(100), Fraction(7), Fraction(0))
    found = served_scan([Fraction(number) for number in (40, 80, 120, 160)], handler)
    # Read at 42.5; free at 142.5, when the third is the newest; read at 145; free at 245; the
    # fourth at 247.5.
    assert (found.least, found.mean, found.most, found.lost) == (*[Fraction(709, 2)] * 3, 0.25)


def test_many_slots_are_played_through() -> None:
    """Waits of too many calls are drawn; the mean and the share come out like those of every
    course."""
    handler = IsrTiming(Fraction(12), 40, Fraction(70), Fraction(12), Fraction(10))
    ready = [Fraction(number * 95) for number in range(1, 121)]
    found = served_scan(ready, handler)
    followed = follow_passes([int(one) for one in ready], 12, 40, 70, 10, 12)
    assert float(found.mean) == pytest.approx(followed.mean, abs=followed.doubt)
    assert found.lost == pytest.approx(followed.lost, abs=3e-3)
    assert found.least < found.mean < found.most


@pytest.mark.parametrize(
    "retrieval", [Interrupt(), Polling(), Dma(channel="DMA 1")], ids=["interrupt", "polling", "dma"]
)
def test_a_start_that_is_good_for_one_conversion_is_given_for_each(retrieval: Retrieval) -> None:
    """Nothing is lost then, however long the handler: the converter waits for it."""
    design = Design(
        "x", "marten-m3", SoftwareTrigger(), retrieval, 3, "conversion", handler=900, items=48
    )
    workspace = design.workspace()
    chain = workspace.project.chains[0]
    cycle = scan_timing(workspace, chain)
    step = restart_step(workspace, chain)
    between_s = step.notice_s + step.handle_s + step.restart_s
    scan_s = 3 * (cycle.slots[0].each_s + between_s)
    if isinstance(retrieval, Dma):  # the main loop waits for the ISR of each half, eight scans long
        scan_s += isr_service_cycles(workspace, chain) / (8 * workspace.bus_clock_hz)
    assert cycle.cycle_s == scan_s
    assert retrieval_timing(workspace, chain).lost_hz == 0
    run = Run(effective_config(workspace))
    run.advance(run.config.tick_hz // 10)
    totals = run.totals()
    assert totals["cycles"] == pytest.approx(float(cycle.cycle_rate_hz) / 10, rel=4e-3)
    assert totals["lost.0"] == 0


def test_a_program_that_is_called_after_a_pass_starts_no_second_conversion() -> None:
    design = Design(
        "x", "osprey-x2", SoftwareTrigger(), Interrupt(per="scan"), 3, "conversion", items=48
    )
    workspace = design.workspace()
    found = next(one for one in find_all(workspace) if one.code == "started-once")
    assert "Nobody starts the second conversion" in found.title
    run = Run(effective_config(workspace))
    run.advance(run.config.tick_hz // 10)
    assert run.totals()["converted.0"] == 1
    assert found.remedy is not None
    cured = apply_edit(workspace, found.remedy)
    assert "started-once" not in {one.code for one in find_all(cured)}
    assert scan_timing(cured, cured.project.chains[0]).items_limit is None


@pytest.mark.parametrize("seed", range(8))
def test_a_main_loop_that_goes_round_is_followed_clock_by_clock(seed: int) -> None:
    """It looks at certain clocks only; each is gone through, for as many passes as fill some halves of two
    buffers, now and then of both at once."""
    random = np.random.default_rng(seed)
    each, work, leave = (
        int(random.integers(low, high)) for low, high in ((20, 300), (0, 200), (20, 300))
    )
    ends = np.cumsum(random.integers(30, 400, int(random.integers(1, 5)))).tolist()
    work_on = [
        (int(random.integers(1, 9)), int(random.integers(0, longest))) for longest in (5000, 900)
    ]
    handler = IsrTiming(
        *(Fraction(0), 0), Fraction(work), Fraction(0), Fraction(leave), Fraction(each)
    )
    halves = [
        Halves(1, Fraction(passes), Fraction(0), Fraction(later)) for passes, later in work_on
    ]
    found = served_scan([Fraction(end) for end in ends], handler, halves)
    clock, lost, count = 0, 0, 2 * lcm(*(passes for passes, _later in work_on))
    first = 0
    for number in range(count + 1):  # the first has no half before it
        full = [later for passes, later in work_on if number and number % passes == 0]
        begun, looks_at = clock, clock + leave + sum(full)
        seen = 0
        while seen < len(ends):
            ready = sum(begun + end <= clock for end in ends)
            if clock == looks_at and ready > seen:
                lost += (ready - seen - 1) * (number > 0)
                seen = ready
                clock += work
                looks_at = clock + leave
            else:
                looks_at += each * (clock == looks_at)
                clock += 1
        if number == 0:
            first = clock
    assert first == found.usual
    assert found.mean == Fraction(clock - first, count)
    assert found.lost == pytest.approx(lost / (count * len(ends)), abs=1e-12)
