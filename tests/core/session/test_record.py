"""Recording from boards that take their time, and from some that never end."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np
import pytest

from wattigram.core.design import Workspace
from wattigram.core.link import FLAG_FIRST, FrameType, encode_frame
from wattigram.core.session import record as record_module
from wattigram.core.session import record_run
from wattigram.core.take import open_take

TICK_HZ = 96_000_000


class Slow:
    """A board on a socket that says who it is, and answers what ``answer`` gives to each other command."""

    def __init__(self, mark: str, answer: Callable[[str], list[bytes]]) -> None:
        self._mark = mark
        self._answer = answer
        self._listener = socket.create_server(("127.0.0.1", 0))
        self.address = f"tcp:127.0.0.1:{self._listener.getsockname()[1]}"
        self.heard: list[str] = []
        self._thread = threading.Thread(target=self._serve)
        self._thread.start()

    def _serve(self) -> None:
        connection, _ = self._listener.accept()
        with connection, connection.makefile("rb") as lines:
            for line in lines:
                text = line.decode().strip()
                self.heard.append(text)
                if text == "identify":
                    identity = f"protocol=2\nboard=slow\nbuild={self._mark}\ntick_hz={TICK_HZ}\n"
                    answers = [encode_frame(FrameType.IDENTITY, identity.encode())]
                else:
                    answers = self._answer(text)
                for answer in answers:
                    connection.sendall(answer)

    def close(self) -> None:
        self._listener.close()
        self._thread.join(timeout=10)


@contextmanager
def slow_board(mark: str, answer: Callable[[str], list[bytes]]) -> Iterator[Slow]:
    board = Slow(mark, answer)
    yield board
    board.close()


@pytest.fixture(autouse=True)
def impatient(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(record_module, "SILENCE_S", 0.4)
    monkeypatch.setattr(record_module, "ASK_S", 0.1)


def reply(text: str) -> bytes:
    return encode_frame(FrameType.REPLY, text.encode())


def test_a_slow_board_whose_time_goes_on_is_waited_for(kiln: Workspace, tmp_path: Path) -> None:
    """It says nothing of its own for far longer than a silent one would be heard."""
    ticks = 0
    items = np.zeros(400, dtype="<u2").tobytes()

    def answer(command: str) -> list[bytes]:
        nonlocal ticks
        if command != "query":
            return []
        ticks += TICK_HZ // 1000
        if ticks < 12 * (TICK_HZ // 1000):
            return [reply(f"running ticks={ticks}")]
        samples = encode_frame(FrameType.SAMPLES, items, stream=0, item_bytes=2, flags=FLAG_FIRST, sequence=1)
        return [samples, reply(f"stopped ticks={ticks} items.0=400")]

    with slow_board(kiln.build_mark, answer) as board:
        outcome = record_run(kiln, 0.01, tmp_path / "t.h5", board=board.address)
    assert outcome.samples == 400
    assert not any("fell silent" in note for note in outcome.notes)
    assert board.heard.count("query") >= 12


def test_a_board_that_answers_and_stands_still_is_given_up(kiln: Workspace, tmp_path: Path) -> None:
    began = time.monotonic()
    with slow_board(kiln.build_mark, lambda _command: [reply("running ticks=5")]) as board:
        outcome = record_run(kiln, 0.01, tmp_path / "t.h5", board=board.address)
    assert 0.4 < time.monotonic() - began < 8
    assert any("fell silent" in note for note in outcome.notes)
    with open_take(tmp_path / "t.h5") as take:
        assert take.complete
