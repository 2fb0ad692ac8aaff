"""What board and host agree on, against values worked out on paper."""

from __future__ import annotations

import numpy as np
import pytest

from wattigram.core.contract.board_config import EffectiveSerial, EffectiveWire
from wattigram.core.contract.link.firmware_log import (
    MOST_WRITES,
    WRITES_A_LINE,
    parse_pointing,
    parse_writes,
    pointings_text,
    writes_text,
)
from wattigram.core.contract.serial_bytes import sent_words, serial_codes
from wattigram.core.contract.serial_line import LineFormat

UP_AND_DOWN = EffectiveSerial(
    every_ticks=100,
    bits=12,
    words_each=2,
    low_first=True,
    from_share=0.25,
    to_share=0.75,
    period_ticks=800,
)


def test_values_go_there_and_back() -> None:
    """0.25 to 0.75 of 4095 in four steps, and back: 1023.75, 1535.625, 2047.5, 2559.375, 3071.25."""
    assert serial_codes(UP_AND_DOWN, np.arange(9)).tolist() == [
        1024,
        1536,
        2048,
        2559,
        3071,
        2559,
        2048,
        1536,
        1024,
    ]


def test_words_go_low_first_or_high_first_one_after_the_other() -> None:
    def sent(values: EffectiveSerial, begin: int, end: int) -> tuple[list[float], list[int]]:
        line = LineFormat(bit_ticks=1.0)
        wire = EffectiveWire(uart="U", sends=line, hears=line, values=values)
        ticks, words = sent_words(wire, values, begin, end)
        return ticks.tolist(), words.tolist()

    ticks, low_first = sent(UP_AND_DOWN, 0, 4)
    assert ticks == [0, 10, 100, 110]
    assert low_first == [1024 & 255, 1024 >> 8, 1536 & 255, 1536 >> 8]
    _, high_first = sent(UP_AND_DOWN.unchecked(low_first=False), 0, 4)
    assert high_first == [1024 >> 8, 1024 & 255, 1536 >> 8, 1536 & 255]
    assert sent(UP_AND_DOWN, 3, 5) == ([110, 200], [1536 >> 8, 2048 & 255])


def test_shares_beyond_full_scale_stay_at_it() -> None:
    beyond = UP_AND_DOWN.unchecked(from_share=-0.5, to_share=1.5)
    assert serial_codes(beyond, np.array([0, 4])).tolist() == [0, 4095]


def test_writes_come_back_from_their_lines() -> None:
    writes = [(0x4000_0000 + 4 * place, 32, place) for place in range(WRITES_A_LINE + 3)]
    lines = writes_text(writes)
    assert len(lines) == 2
    assert lines[1] == "registers 40000190:32:64 40000194:32:65 40000198:32:66"
    assert [*(parse_writes(lines[0]) or ()), *(parse_writes(lines[1]) or ())] == writes


@pytest.mark.parametrize(
    "line",
    [
        "register 10:32:1",
        "registers 10:32",
        "registers 10:24:1",
        "registers 100000000:32:1",
        "registers 10:32:100000000",
        "registers -1:32:1",
        "registers 10:32:-1",
        "registers x:32:1",
    ],
)
def test_spoilt_lines_are_no_writes(line: str) -> None:
    assert parse_writes(line) is None


def test_limits_of_what_a_line_may_hold() -> None:
    assert parse_writes("registers ffffffff:8:ffffffff 0:16:0") == (
        (0xFFFF_FFFF, 8, 0xFFFF_FFFF),
        (0, 16, 0),
    )
    assert len(parse_writes("registers" + " 10:32:1" * (MOST_WRITES + 5)) or ()) == MOST_WRITES


def test_pointings_come_back() -> None:
    line = pointings_text({"ADC 1": ((3, 12), (5, 96))})[0]
    assert line == "pointed 3:12 5:96 of ADC 1"
    assert parse_pointing(line) == ("ADC 1", ((3, 12), (5, 96)))
    assert parse_pointing("pointed of ADC 1") is None
    assert parse_pointing("pointed 3:12 of " + "x" * 81) is None
