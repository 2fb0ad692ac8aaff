from __future__ import annotations

from fractions import Fraction
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import edited
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import (
    AddSlot,
    SetBits,
    SetBufferLength,
    SetDivider,
    SetPeriod,
    SetSampling,
)
from wattigram.core.predict.timing import buffer_timing, retrieval_timing, scan_timing


def us(value: float | Fraction) -> Fraction:
    return Fraction(value) / 1_000_000


def test_worked_cycle_of_32_128_128_128(kiln: Workspace) -> None:
    design = edited(kiln, SetSampling("ADC 1", 2, 128))
    cycle = scan_timing(design, design.project.chains[0])
    assert cycle.busy_s == us(14.625)
    assert cycle.slack_s == us(85.375)
    assert cycle.slots[0].end_s - cycle.slots[0].start_s == us(1.40625)
    assert cycle.slots[1].end_s - cycle.slots[1].start_s == us(4.40625)
    assert cycle.slots[0].held_s == us(1)
    assert cycle.slots[1].held_s == us(5.40625)


def test_the_demo_is_exact(kiln: Workspace) -> None:
    cycle = scan_timing(kiln, kiln.project.chains[0])
    assert cycle.clock_hz == 32_000_000
    assert cycle.period_s == us(100)
    assert [slot.held_s for slot in cycle.slots] == [us(1), us(5.40625), us(6.8125), us(11.21875)]
    assert [slot.rate_hz for slot in cycle.slots] == [10_000] * 4
    twin = scan_timing(kiln, kiln.project.chains[1])
    assert (twin.period_s, twin.busy_s) == (us(100), us(4.40625))


@given(
    st.lists(st.sampled_from([3, 8, 16, 32, 64, 128, 384, 768]), min_size=4, max_size=4),
    st.sampled_from([3, 4, 6, 8, 12, 16, 32]),
    st.sampled_from([8, 10, 12]),
)
def test_a_cycle_never_overlaps_itself(
    kiln: Workspace, cycles: list[int], divider: int, bits: int
) -> None:
    design = edited(kiln, SetDivider("ADC 1", divider), SetBits("ADC 1", bits))
    for place, count in enumerate(cycles):
        design = edited(design, SetSampling("ADC 1", place, count))
    cycle = scan_timing(design, design.project.chains[0])
    assert cycle.slots[0].start_s == 0
    for one, following in pairwise(cycle.slots):
        assert one.end_s == following.start_s
        assert one.start_s < one.held_s < one.end_s
    assert cycle.busy_s == Fraction(sum(cycles) + 4 * (bits + 1), 96_000_000 // divider)
    assert cycle.triggers_per_cycle == -(-cycle.busy_s // cycle.period_s)


def test_a_signal_in_two_slots_has_twice_the_rate(kiln: Workspace) -> None:
    design = edited(kiln, AddSlot("ADC 1", "Coil current", 32))
    cycle = scan_timing(design, design.project.chains[0])
    assert cycle.slots[0].rate_hz == cycle.slots[4].rate_hz == 20_000
    assert cycle.slots[1].rate_hz == 10_000


def test_triggers_that_come_too_early_are_missed(kiln: Workspace) -> None:
    design = edited(kiln, SetPeriod("ADC 1", us(10)))
    cycle = scan_timing(design, design.project.chains[0])
    assert cycle.slack_s == us(10) - us(11.625)
    assert cycle.triggers_per_cycle == 2
    assert cycle.cycle_rate_hz == 50_000
    assert cycle.slots[0].rate_hz == 50_000


def test_worked_loop_of_512(kiln: Workspace) -> None:
    loop = buffer_timing(kiln, kiln.project.chains[0])
    assert loop.lap_s == Fraction(128, 10_000)
    assert loop.half_s == Fraction(64, 10_000)
    assert (loop.bytes, loop.in_step, loop.halves_in_step) == (1024, True, True)
    timing = retrieval_timing(kiln, kiln.project.chains[0])
    assert timing.cycles == 14 + 2000 + 12
    assert timing.cpu_share == Fraction(2 * 10_000, 128) * 2026 / 96_000_000
    assert (timing.deadline_s, timing.lost_hz) == (loop.half_s, 0)


@pytest.mark.parametrize(
    ("items", "in_step", "halves"),
    [(512, True, True), (510, False, False), (508, True, False), (8, True, True), (4, True, False)],
)
def test_a_loop_is_in_step_only_where_the_slots_divide_it(
    kiln: Workspace, items: int, in_step: bool, halves: bool
) -> None:
    design = edited(kiln, SetBufferLength("ADC 1", items))
    loop = buffer_timing(design, design.project.chains[0])
    assert (loop.in_step, loop.halves_in_step) == (in_step, halves)
