"""What lies in memory, and what the program reads there."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from wattigram.core.board.dma_buffer import DmaBuffer
from wattigram.core.contract.board_config import EffectiveLoop


def memory(items: int = 8, width: int = 16, **settings: object) -> DmaBuffer:
    return DmaBuffer(EffectiveLoop(name="L", items=items, width_bits=width, **settings))  # type: ignore[arg-type]


def read(kept: DmaBuffer, codes: list[int]) -> list[int]:
    """All that the program is handed over of some codes."""
    parts = kept.write(np.array(codes)) + kept.finish()
    return [int(item) for part in parts for item in part.items]


@given(st.lists(st.integers(0, 4095), max_size=60), st.integers(1, 9))
def test_halves_come_in_order_whatever_the_pieces(codes: list[int], size: int) -> None:
    whole = read(memory(), codes)
    piecewise = memory()
    parts = [
        part
        for at in range(0, len(codes), size)
        for part in piecewise.write(np.array(codes[at : at + size]))
    ]
    parts += piecewise.finish()
    assert [int(item) for part in parts for item in part.items] == whole == codes
    assert [part.first for part in parts] == list(range(0, len(codes), 4))[: len(parts)]


def test_a_half_is_handed_over_at_its_mark() -> None:
    kept = memory()
    assert kept.write(np.arange(3)) == []
    assert kept.until_mark == 1
    assert [part.items.tolist() for part in kept.write(np.arange(3, 9))] == [
        [0, 1, 2, 3],
        [4, 5, 6, 7],
    ]


def test_items_keep_as_many_bits_as_they_have() -> None:
    assert read(memory(4, 8), [0x123, 0x456, 0x789, 0xABC]) == [0x23, 0x56, 0x89, 0xBC]
    assert read(memory(4, 16), [-1, -2, 3, 4]) == [0xFFFF, 0xFFFE, 3, 4]


def test_wide_items_read_narrow_leave_zeros_in_between() -> None:
    lap = read(memory(4, 32, element_bits=16), [1, 2, 3, 4])
    assert lap == [1, 0, 2, 0]


def test_narrow_items_read_wide_hold_two_samples_each() -> None:
    twice = read(memory(4, 8, element_bits=16), [1, 2, 3, 4, 5, 6, 7, 8])
    # At the half mark the first two bytes are new; the upper half of the buffer is never written.
    assert twice[:4] == [0x0201, 0x0000, 0x0000, 0x0000]
    assert twice[4] == 0x0605


def test_an_address_that_stands_still_keeps_the_newest_in_place_0() -> None:
    assert read(memory(4, 16, increment=False), [1, 2, 3, 4, 5, 6, 7, 8]) == [
        2,
        0,
        0,
        0,
        6,
        0,
        0,
        0,
    ]


def test_bytes_are_exchanged_where_the_program_reads_them_so() -> None:
    assert read(memory(2, 16, swap_bytes=True), [0x0102, 0x0A0B]) == [0x0201, 0x0B0A]


def test_one_run_fills_memory_once() -> None:
    assert read(memory(4, 16, repeat=False), list(range(20))) == [0, 1, 2, 3]


def test_what_was_never_fetched_is_passed_over_by_number() -> None:
    kept = memory()
    kept.write(np.array([1, 2]))
    (part,) = kept.skip(3)
    assert (part.items.tolist(), part.first, part.is_tail) == ([1, 2], 0, False)
    (after,) = kept.write(np.array([6, 7, 8]))
    assert (after.items.tolist(), after.first) == ([6, 7, 8], 5)


@pytest.mark.parametrize("width", [8, 16, 32])
def test_stamps_go_with_their_items(width: int) -> None:
    kept = memory(4, width)
    found = kept.write(np.arange(5), np.arange(5) * 100) + kept.finish()
    assert [part.held_ticks.tolist() for part in found if part.held_ticks is not None] == [
        [0, 100],
        [200, 300],
        [400],
    ]
    assert found[-1].is_tail
