"""A mailbox in memory, from the probe's side."""

from __future__ import annotations

import struct
from collections import deque

import pytest

from wattigram.core.contract.link import FrameType, encode_frame
from wattigram.core.contract.link.mailbox import Mailbox

BASE, UP, DOWN = 0x100, 64, 8


class Memory:
    """A mailbox as firmware has it, somewhere in memory."""

    def __init__(self, up: int = UP, down: int = DOWN, written: int = 0) -> None:
        self.data = bytearray(BASE + 24 + UP + DOWN)
        struct.pack_into("<6I", self.data, BASE, up, down, written, written, written, written)

    def read(self, address: int, count: int) -> bytes:
        return bytes(self.data[address : address + count])

    def write(self, address: int, data: bytes) -> None:
        self.data[address : address + len(data)] = data

    def count(self, number: int) -> int:
        return int(struct.unpack_from("<I", self.data, BASE + 4 * number)[0])

    def say(self, text: bytes) -> None:
        """As the firmware does, as much as there is room for."""
        written, read = self.count(2), self.count(3)
        assert len(text) <= UP - (written - read) % (1 << 32)
        for number, byte in enumerate(text):
            self.data[BASE + 24 + (written + number) % UP] = byte
        struct.pack_into("<I", self.data, BASE + 8, (written + len(text)) & 0xFFFFFFFF)

    def hear(self) -> bytes:
        read, written = self.count(5), self.count(4)
        count = (written - read) % (1 << 32)
        base = BASE + 24 + UP
        heard = bytes(self.data[base + (read + number) % DOWN] for number in range(count))
        struct.pack_into("<I", self.data, BASE + 20, written)
        return heard


@pytest.mark.parametrize("written", [0, 61, (1 << 32) - 5])
def test_bytes_go_both_ways_round_and_round(written: int) -> None:
    memory = Memory(written=written)
    mailbox = Mailbox(memory, BASE)
    inbox = deque(b"identify\nstart\n")
    heard = said = b""
    for number in range(6):
        memory.say(b"<%d and some more>" % number)
        said += b"".join(mailbox.exchange(inbox))
        heard += memory.hear()
    assert said == b"".join(b"<%d and some more>" % number for number in range(6))
    assert heard == b"identify\nstart\n"
    assert not inbox


def test_frames_come_in_parts_however_they_were_written() -> None:
    memory = Memory()
    mailbox = Mailbox(memory, BASE)
    frame = encode_frame(FrameType.REPLY, b"stopped ticks=7", sequence=3)
    whole = b"noise" + frame + frame
    pieces: list[bytes] = []
    for at in range(0, len(whole), 7):
        memory.say(whole[at : at + 7])
        pieces += mailbox.exchange(deque())
    assert b"".join(pieces) == whole
    assert pieces.count(b"stopped ticks=7") == 2
    assert pieces[0].startswith(b"noise"[:2])


def test_what_was_never_set_up_is_left_alone() -> None:
    memory = Memory(up=0, down=0)
    inbox = deque(b"x")
    assert list(Mailbox(memory, BASE).exchange(inbox)) == []
    assert list(inbox) == list(b"x")
    assert list(Mailbox(Memory(up=1 << 30), BASE).exchange(inbox)) == []


def test_what_only_begins_like_a_frame_holds_nothing_up() -> None:
    """Its head says that four thousand million bytes follow; its check does not fit."""
    memory = Memory()
    mailbox = Mailbox(memory, BASE)
    frame = encode_frame(FrameType.REPLY, b"ok", sequence=3)
    false = frame[:12] + b"\xff\xff\xff\xff" + frame[16:36]
    pieces: list[bytes] = []
    whole = false + frame
    for at in range(0, len(whole), 20):
        memory.say(whole[at : at + 20])
        pieces += mailbox.exchange(deque())
    assert b"".join(pieces) == whole
    assert b"ok" in pieces
