"""Recording from boards that take their time, and from some that never end."""

from __future__ import annotations

import math
import os
import signal
import socket
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import numpy as np
import pytest

from tests.patience import PATIENCE_S
from wattigram.core.base.errors import LinkError
from wattigram.core.capture.session import record as record_module
from wattigram.core.capture.session import record_run
from wattigram.core.capture.session.board_process import BoardProcess
from wattigram.core.capture.take import open_take
from wattigram.core.contract.link import FLAG_FIRST, FrameType, encode_frame
from wattigram.core.model.design import Workspace
from wattigram.core.silicon.deploy import effective_config

TICK_HZ = 96_000_000


class Slow:
    """A board on a socket that says who it is, and answers what ``answer`` gives to each other
    command."""

    def __init__(self, identity: str, answer: Callable[[str], list[bytes]]) -> None:
        self._identity = identity
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
                identity = [encode_frame(FrameType.IDENTITY, self._identity.encode())]
                # Whoever has heard enough does not wait for the rest.
                with suppress(BrokenPipeError, ConnectionResetError):
                    for answer in identity if text == "identify" else self._answer(text):
                        connection.sendall(answer)

    def close(self) -> None:
        self._listener.close()
        self._thread.join(timeout=PATIENCE_S)


@contextmanager
def slow_board(
    mark: str, answer: Callable[[str], list[bytes]], protocol: str = "2"
) -> Iterator[Slow]:
    board = Slow(f"protocol={protocol}\nboard=slow\nbuild={mark}\ntick_hz={TICK_HZ}\n", answer)
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
        samples = encode_frame(
            FrameType.SAMPLES, items, stream=0, item_bytes=2, flags=FLAG_FIRST, sequence=1
        )
        return [samples, reply(f"stopped ticks={ticks} samples.0=400")]

    with slow_board(kiln.build_id, answer) as board:
        outcome = record_run(kiln, 0.01, tmp_path / "t.h5", board=board.address)
    assert outcome.samples == 400
    assert not any("fell silent" in note for note in outcome.notes)
    assert board.heard.count("query") >= 12


def test_a_board_that_answers_and_stands_still_is_given_up(kiln: Workspace, tmp_path: Path) -> None:
    began = time.monotonic()
    with slow_board(kiln.build_id, lambda _command: [reply("running ticks=5")]) as board:
        outcome = record_run(kiln, 0.01, tmp_path / "t.h5", board=board.address)
    assert time.monotonic() - began > 0.4  # how much longer is the machine's affair
    assert any("fell silent" in note for note in outcome.notes)
    assert not outcome.is_whole
    with open_take(tmp_path / "t.h5") as take:
        assert not take.complete
        assert "fell silent" in take.ended


def test_a_board_of_another_protocol_is_told_as_that(kiln: Workspace, tmp_path: Path) -> None:
    with (
        slow_board(kiln.build_id, lambda _command: [], protocol="1") as board,
        pytest.raises(LinkError, match="speaks protocol 1"),
    ):
        record_run(kiln, 0.1, tmp_path / "t.h5", board=board.address)
    assert not (tmp_path / "t.h5").exists()


def frame_of(number: int, ticks: int) -> bytes:
    items = np.full(400, 7, dtype="<u2").tobytes()
    return encode_frame(
        FrameType.SAMPLES,
        items,
        stream=0,
        item_bytes=2,
        sequence=number,
        first=400 * number,
        ticks=ticks,
    )


def test_a_board_that_does_not_know_how_long_is_told_to_stop(
    kiln: Workspace, tmp_path: Path
) -> None:
    """Firmware of others may pass over the option of ``start``, and runs until it is stopped."""
    sent = 0

    def answer(command: str) -> list[bytes]:
        nonlocal sent
        if command == "stop":
            return [reply(f"stopped ticks={sent * TICK_HZ // 100} samples.0={400 * sent}")]
        sent += 20
        return [frame_of(number, number * TICK_HZ // 100) for number in range(sent - 20, sent)]

    with slow_board(kiln.build_id, answer) as board:
        outcome = record_run(kiln, 0.1, tmp_path / "t.h5", board=board.address)
    assert board.heard.count("stop") == 1
    assert outcome.is_whole
    assert outcome.seconds >= 0.1


def test_half_a_run_is_not_a_whole_one(kiln: Workspace, tmp_path: Path) -> None:
    def answer(command: str) -> list[bytes]:
        return (
            [frame_of(0, 0), reply(f"stopped ticks={TICK_HZ // 20} samples.0=400")]
            if command != "stop"
            else []
        )

    with slow_board(kiln.build_id, answer) as board:
        outcome = record_run(kiln, 0.1, tmp_path / "t.h5", board=board.address)
    assert (outcome.is_whole, outcome.seconds, outcome.wanted_s) == (False, 0.05, 0.1)
    assert "50.00 ms of 100.0 ms came." in outcome.notes


def test_a_board_that_changes_who_it_is_keeps_its_clock(kiln: Workspace, tmp_path: Path) -> None:
    other = encode_frame(FrameType.IDENTITY, b"protocol=2\nboard=other\nbuild=x\ntick_hz=1\n")

    def answer(command: str) -> list[bytes]:
        return [frame_of(0, 0), other, reply(f"stopped ticks={TICK_HZ // 10} samples.0=400")]

    with slow_board(kiln.build_id, answer) as board:
        outcome = record_run(kiln, 0.1, tmp_path / "t.h5", board=board.address)
    assert outcome.seconds == 0.1
    with open_take(tmp_path / "t.h5") as take:
        assert take.seconds == 0.1
        assert any("now says it is “other”" in line for line in take.log)


def test_a_board_of_our_own_is_waited_for_by_its_own_time(kiln: Workspace) -> None:
    """What it gets no processor for does not count as silence."""
    with BoardProcess(effective_config(kiln)) as board:
        process = board._process
        before = board.worked_s()
        assert 0 < before < math.inf
        process.send_signal(signal.SIGSTOP)
        os.waitid(os.P_PID, process.pid, os.WSTOPPED | os.WNOWAIT)
        held = board.worked_s()
        assert held >= before
        for _ in range(200_000):
            pass
        assert board.worked_s() == held
        process.send_signal(signal.SIGCONT)
    assert board.worked_s() == math.inf
