"""Load, deadlines and losses of the ways in which results leave, by values worked out by hand.

The kiln's first converter takes four slots every 100 µs, whose results are ready 1.40625, 5.8125,
7.21875 and 11.625 µs after each start; the bus has 96 MHz, an ISR's entry and exit take 26 clocks, and up to
8 more.
"""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from wattigram.core.model.design import Dma, Interrupt, Polling, Workspace
from wattigram.core.model.design.retrieval import Retrieval
from wattigram.core.predict.timing import (
    HELD_UP,
    buffer_numbers,
    buffer_timing,
    free_share,
    polling_wait_s,
    retrieval_timing,
)

BUS_HZ = 96_000_000


def read_by(kiln: Workspace, readout: Retrieval, cycles: int = 100, **buffer: object) -> Workspace:
    first, *others = kiln.project.chains
    changed = first.replaced(
        readout=readout, buffer=first.buffer.replaced(isr_cycles=cycles, **buffer)
    )
    return Workspace(kiln.project.replaced(chains=(changed, *others)), kiln.part)


def first_alone(workspace: Workspace) -> Workspace:
    """Without the other converter."""
    first = workspace.project.chains[0]
    slots = {slot.signal for slot in first.slots}
    signals = tuple(one for one in workspace.project.signals if one.name in slots)
    project = workspace.project.replaced(chains=(first,), signals=signals, expectations=())
    return Workspace(project, workspace.part)


def test_dma_calls_at_each_half(kiln: Workspace) -> None:
    timing = retrieval_timing(kiln, kiln.project.chains[0])
    assert timing.items_hz == 40_000
    assert timing.events_hz == Fraction(40_000, 256)
    assert timing.cycles == 2000 + 26
    assert timing.service_s == Fraction(2026, BUS_HZ)
    assert timing.cpu_share == timing.events_hz * timing.service_s
    assert timing.deadline_s == Fraction(256, 40_000)
    assert (timing.lost_hz, timing.reason, timing.sustained_hz) == (0, "", 40_000)


def test_dma_that_stops_at_the_end_loses_all_that_follows(kiln: Workspace) -> None:
    once = read_by(kiln, Dma(channel="DMA 1", circular=False))
    timing = retrieval_timing(once, once.project.chains[0])
    assert (timing.lost_hz, timing.reason, timing.sustained_hz) == (40_000, "frozen", 0)


def test_an_interrupt_for_each_result_has_until_the_next(kiln: Workspace) -> None:
    each = first_alone(read_by(kiln, Interrupt(per="conversion")))
    timing = retrieval_timing(each, each.project.chains[0])
    assert timing.events_hz == 40_000
    assert timing.cycles == 126
    assert timing.cpu_share == Fraction(40_000 * 126, BUS_HZ)
    assert timing.deadline_s == Fraction(140_625, 10**11)  # from the second to the third
    assert (timing.lost_hz, timing.held_up_s) == (0, 0)


def test_an_isr_waits_for_that_of_another_converter(kiln: Workspace) -> None:
    """That of a half takes 2 026 clocks, 21.1 µs, and up to 8 until it begins; meanwhile results come 1.4 µs
    after one another."""
    each = read_by(kiln, Interrupt(per="conversion"))
    timing, other = (retrieval_timing(each, chain) for chain in each.project.chains)
    assert timing.held_up_s == Fraction(2026 + 8, BUS_HZ)
    assert timing.reason == HELD_UP
    assert other.lost_hz == 0
    assert 0 < timing.lost_hz <= 4 * other.events_hz  # of a scan all four
    assert {free_share(each, chain) for chain in each.project.chains} == {1}


@pytest.mark.parametrize(("cycles", "is_lost"), [(90, False), (400, False), (700, True)])
def test_an_isr_that_takes_longer_than_the_gap_loses(
    kiln: Workspace, cycles: int, is_lost: bool
) -> None:
    each = first_alone(read_by(kiln, Interrupt(per="conversion"), cycles))
    timing = retrieval_timing(each, each.project.chains[0])
    assert (timing.lost_hz > 0) == is_lost
    assert timing.reason == ("ISR too slow" if is_lost else "")
    # 426 clocks are 4.4 µs: a result waits, and is taken in time. 726 are 7.6 µs: the second waits for the
    # first, and the third replaces it.
    if is_lost:
        assert timing.lost_hz == 10_000


def test_polling_takes_what_is_left(kiln: Workspace) -> None:
    polled = read_by(kiln, Polling())
    chain = polled.project.chains[0]
    timing = retrieval_timing(polled, chain)
    assert timing.cycles == 100
    assert timing.cpu_share == 1
    assert (
        free_share(polled, chain)
        == 1 - retrieval_timing(polled, polled.project.chains[1]).cpu_share
    )
    assert polling_wait_s(polled, chain) == Fraction(140_625, 10**11) - Fraction(100, BUS_HZ)


def test_a_time_out_that_is_too_short_gives_up_every_result(kiln: Workspace) -> None:
    for timeout_s, reason in ((Fraction(1, 10**8), "time-out"), (Fraction(1, 1000), "")):
        polled = read_by(kiln, Polling(timeout_s=timeout_s), 20)
        assert retrieval_timing(polled, polled.project.chains[0]).reason == reason


def test_a_buffers_figures(kiln: Workspace) -> None:
    timing = buffer_timing(kiln, kiln.project.chains[0])
    assert (timing.items, timing.item_bytes, timing.slots, timing.bytes) == (512, 2, 4, 1024)
    assert (timing.lap_s, timing.half_s) == (Fraction(512, 40_000), Fraction(256, 40_000))
    assert timing.in_step
    assert timing.halves_in_step
    for samples, whole, halves in ((12, True, False), (10, False, False), (16, True, True)):
        other = read_by(kiln, Dma(channel="DMA 1"), samples=samples)
        timing = buffer_timing(other, other.project.chains[0])
        assert (timing.in_step, timing.halves_in_step) == (whole, halves)


@pytest.mark.parametrize("loop_items", [8, 7, 5, 12])
def test_a_reader_counts_places_from_the_start_of_the_buffer(loop_items: int) -> None:
    total, slots = 41, 4
    for places in ([0], [1, 3]):
        found = buffer_numbers(total, loop_items, slots, np.array(places))
        assert found.tolist() == [
            number for number in range(total) if number % loop_items % slots in places
        ]
