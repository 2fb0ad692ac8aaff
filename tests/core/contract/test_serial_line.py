"""Serial lines by hand, and against a receiver that looks at the line step by step."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wattigram.core.contract.serial_line import (
    FRAMING_FAULT,
    PARITY_FAULT,
    LineFormat,
    LineReceiver,
    frame_text,
    reads_alike,
)

BIT = 100.0


def line(name: str, bit_ticks: float = BIT) -> LineFormat:
    parity = {"N": "none", "E": "even", "O": "odd"}[name[1]]
    return LineFormat(
        bit_ticks=bit_ticks, data_bits=int(name[0]), parity=parity, stop_bits=int(name[2])
    )


def read(
    sends: LineFormat,
    hears: LineFormat,
    words: list[int],
    begins: list[float] | None = None,
    *,
    keeps_faulty: bool = True,
) -> list[tuple[float, int, int]]:
    """Ticks, words and marks of frames that follow each other without a pause."""
    receiver = LineReceiver(sends, hears, keeps_faulty=keeps_faulty)
    if begins is None:
        begins = [place * sends.frame_bits * sends.bit_ticks for place in range(len(words))]
    receiver.feed(np.array(begins), np.array(words))
    came = receiver.take(float("inf"))
    return list(zip(came.ticks.tolist(), came.words.tolist(), came.faults.tolist(), strict=True))


@pytest.mark.parametrize("name", ["7N1", "7E1", "7O2", "8N1", "8E1", "8O1", "8N2", "9N1", "9E2"])
def test_what_is_set_up_alike_is_read_as_it_was_sent(name: str) -> None:
    one = line(name)
    words = [0, 1, 0x55, 0x2A, (1 << one.data_bits) - 1]
    came = read(one, one, words)
    assert [(word, faults) for _at, word, faults in came] == [(word, 0) for word in words]
    each, there = one.frame_bits * BIT, one.read_bits * BIT
    assert [at for at, _word, _faults in came] == [place * each + there for place in range(5)]
    assert frame_text(one.data_bits, one.parity, one.stop_bits) == name


def test_a_word_is_cut_to_its_bits() -> None:
    assert [word for _at, word, _faults in read(line("7N1"), line("7N1"), [0xC3])] == [0x43]


def test_a_parity_bit_nobody_expects_is_taken_for_the_stop_bit() -> None:
    # 8E1 into 8N1: 0x01 has parity 1, which looks like a stop bit; 0x03 has parity 0, which does not.
    apart = [0.0, 5000.0]
    came = read(line("8E1"), line("8N1"), [0x01, 0x03], apart)
    assert came == [(1000.0, 0x01, 0), (6000.0, 0x03, FRAMING_FAULT)]
    dropped = read(line("8E1"), line("8N1"), [0x01, 0x03], apart, keeps_faulty=False)
    assert dropped == [(1000.0, 0x01, 0)]


def test_a_parity_bit_that_is_not_sent_is_looked_for_in_the_stop_bit() -> None:
    # 8N1 into 8E1 on an idle line: the stop bit 1 is right for an odd number of ones, else a fault.
    came = read(line("8N1"), line("8E1"), [0x01, 0x03], [0.0, 5000.0])
    assert [(word, faults) for _at, word, faults in came] == [(0x01, 0), (0x03, PARITY_FAULT)]


def test_the_other_parity_is_a_fault_of_every_word() -> None:
    came = read(line("8E1"), line("8O1"), list(range(256)), [n * 5000.0 for n in range(256)])
    assert [word for _at, word, _faults in came] == list(range(256))
    assert {faults for _at, _word, faults in came} == {PARITY_FAULT}


def test_seven_bits_are_read_as_eight_with_the_stop_bit_on_top() -> None:
    came = read(line("7N1"), line("8N1"), [0x41], [0.0])
    assert came == [(1000.0, 0xC1, 0)]


def test_half_the_rate_reads_two_bits_as_one() -> None:
    # Its start bit is two of the sender's; it then looks at bits 3, 5, 7 and 9 of the frame, and at
    # the idle line.
    assert [word for _at, word, _faults in read(line("8N1"), line("8N1", 2 * BIT), [0xAA])] == [
        0xF8
    ]
    # Where the line is high in the middle of what should be a start bit, it is none.
    assert read(line("8N1"), line("8N1", 2 * BIT), [0x55]) == []


def test_two_stop_bits_do_no_harm() -> None:
    words = list(range(0, 256, 17))
    assert [row[1] for row in read(line("8N2"), line("8N1"), words)] == words
    assert [row[1] for row in read(line("8N1"), line("8N2"), words)] == words


@pytest.mark.parametrize(
    ("off", "alike"), [(0.0, True), (0.03, True), (0.06, False), (-0.04, True), (-0.06, False)]
)
def test_bit_clocks_may_differ_by_half_a_bit_in_a_frame(off: float, alike: bool) -> None:
    assert reads_alike(line("8N1"), line("8N1", BIT * (1 + off))) == alike


def stepped(
    sends: LineFormat, hears: LineFormat, begins: list[float], words: list[int], step: float
) -> list[tuple[int, int]]:
    """Words and marks, by a line that is drawn in steps and looked at one step after the other."""
    end = (
        begins[-1] + 3 * sends.frame_bits * sends.bit_ticks + 3 * hears.frame_bits * hears.bit_ticks
    )
    drawn = np.ones(int(end / step), dtype=int)
    times = (np.arange(len(drawn)) + 0.5) * step
    for begin, word in zip(begins, words, strict=True):
        for place, level in enumerate(sends.bits_of(word)):
            low = begin + place * sends.bit_ticks
            drawn[(times > low) & (times < low + sends.bit_ticks)] = level
    came, at = [], 1
    while at < len(drawn):
        if not (drawn[at] == 0 and drawn[at - 1] == 1):
            at += 1
            continue
        looks = [
            int(drawn[at + int((bit + 0.5) * hears.bit_ticks / step)])
            for bit in range(hears.read_bits)
        ]
        if looks[0]:
            at += int(0.5 * hears.bit_ticks / step)
            continue
        word = sum(level << bit for bit, level in enumerate(looks[1 : 1 + hears.data_bits]))
        ones = sum(looks[1 : 1 + hears.data_bits])
        faults = 0 if looks[-1] else FRAMING_FAULT
        if hears.parity != "none" and (ones + looks[-2]) % 2 != (hears.parity == "odd"):
            faults |= PARITY_FAULT
        came.append((word, faults))
        at += int((hears.read_bits - 0.5) * hears.bit_ticks / step)
    return came


FRAMES = [f"{bits}{parity}{stops}" for bits in (7, 8, 9) for parity in "NEO" for stops in (1, 2)]


@settings(max_examples=60, deadline=None)
@given(
    st.sampled_from(FRAMES),
    st.sampled_from(FRAMES),
    st.sampled_from([0.493, 0.871, 0.963, 1.0, 1.037, 1.129, 2.007]),
    st.lists(st.tuples(st.integers(0, 127), st.integers(0, 30)), min_size=1, max_size=12),
)
def test_any_two_ends_read_as_the_line_is_drawn(
    sent: str, heard: str, ratio: float, words: list[tuple[int, int]]
) -> None:
    sends, hears = line(sent), line(heard, BIT * ratio)
    begins, at = [], 0.0
    for _word, pause in words:
        begins.append(at)
        at += sends.frame_bits * BIT + pause * 31.0
    only = [word for word, _pause in words]
    begins = [begin + 500.0 for begin in begins]  # the line is idle before
    came = read(sends, hears, only, begins)
    drawn = stepped(sends, hears, begins, only, 0.5)
    assert [(word, faults) for _at, word, faults in came] == drawn


def test_pieces_of_time_do_not_matter() -> None:
    sends, hears = line("8E1"), line("8N1", BIT * 1.07)
    words = [(37 * number) % 256 for number in range(40)]
    begins = np.arange(40) * 1210.0
    whole = LineReceiver(sends, hears, keeps_faulty=True)
    whole.feed(begins, np.array(words))
    pieces = LineReceiver(sends, hears, keeps_faulty=True)
    got: list[tuple[float, int]] = []
    for until in range(0, 60_000, 333):
        mine = (begins >= until - 333) & (begins < until)
        pieces.feed(begins[mine], np.array(words)[mine])
        came = pieces.take(float(until))
        got += list(zip(came.ticks.tolist(), came.words.tolist(), strict=True))
    all_of_it = whole.take(60_000.0 - 60_000 % 333)
    assert got == list(zip(all_of_it.ticks.tolist(), all_of_it.words.tolist(), strict=True))
    assert len(got) > 20
