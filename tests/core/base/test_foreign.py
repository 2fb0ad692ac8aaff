from __future__ import annotations

import pytest

from wattigram.core.base.errors import PartError, TakeError
from wattigram.core.base.foreign import reading_foreign, visible_text
from wattigram.core.capture.session.stream_receiver import _counts
from wattigram.core.contract.link import Frame, FrameType
from wattigram.core.contract.link.identity import parse_identity


def test_control_characters_are_shown() -> None:
    said = Frame(
        FrameType.LOG,
        0,
        0,
        0,
        0,
        0,
        b"\x1b[2J\x1b]0;title\x07ok\x00\r\n\tnext \xc2\x9b31m \xe2\x80\xae",
    ).text
    assert said == "␛[2J␛]0;title␇ok␀␍\n\tnext \ufffd31m \ufffd"
    assert visible_text("plain Ω µ −") == "plain Ω µ −"


@pytest.mark.parametrize(
    "fault", [ValueError("bad"), RecursionError(), MemoryError(), AssertionError(), KeyError("x")]
)
def test_whatever_a_reader_raises_is_a_sentence(fault: Exception) -> None:
    with (
        pytest.raises(TakeError) as told,
        reading_foreign(TakeError, "It cannot be read", "a.h5", "Mend it."),
    ):
        raise fault
    assert str(told.value).startswith("a.h5: It cannot be read: ")
    assert str(told.value).endswith("Mend it.")


def test_errors_of_our_own_pass() -> None:
    with (
        pytest.raises(PartError, match="mine"),
        reading_foreign(TakeError, "It cannot be read", "a.h5"),
    ):
        raise PartError("mine")


def test_counts_of_a_reply_take_no_time_to_read() -> None:
    assert _counts("running ticks=5 items.0=7 items.²=3 a=x b=9999999999999999999") == {
        "ticks": 5,
        "items.0": 7,
    }
    assert _counts("a" * (1 << 20)) == {}
    assert _counts("=".join(["a"] * (1 << 18))) == {}


def test_a_boards_name_cannot_act_on_a_terminal() -> None:
    found = parse_identity("protocol=2\nboard=\x1b[31mred\x00\nbuild=ab\ntick_hz=1000\n")
    assert found.board == "␛[31mred␀"
