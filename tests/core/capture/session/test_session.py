from __future__ import annotations

import contextlib
import json
import os
import random
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
import serial

from tests.conftest import edited
from tests.paths import EXAMPLES
from tests.patience import PATIENCE_S
from wattigram.core.base.errors import LinkError
from wattigram.core.base.models import json_of
from wattigram.core.capture.session import (
    BoardProcess,
    LiveSession,
    Snapshot,
    ViewRequest,
    record_run,
)
from wattigram.core.capture.session.stream_receiver import RING_ITEMS, Ring, StreamReceiver
from wattigram.core.capture.take import open_take
from wattigram.core.capture.transport import Decoder, SampleRun, open_transport
from wattigram.core.contract.link import Frame, FrameType
from wattigram.core.contract.link.link_key import read_key
from wattigram.core.judge import prove
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import SetBufferLength, SetPeriod, SetSampling, SetWiring
from wattigram.core.silicon.deploy import effective_bench, effective_config


def read_until(
    port: object, reached: Callable[[list[object]], bool], seconds: float = PATIENCE_S
) -> list[object]:
    decoder, found = Decoder(), []
    deadline = time.monotonic() + seconds
    while not reached(found):
        assert time.monotonic() < deadline, decoder.stats
        found += decoder.feed(port.read())  # type: ignore[attr-defined]
    assert decoder.stats.bytes_skipped == 0
    return found


def texts(found: list[object]) -> list[str]:
    return [
        item.text for item in found if isinstance(item, Frame) and item.type is not FrameType.EVENTS
    ]


def has(found: list[object], start: str) -> bool:
    return any(text.startswith(start) for text in texts(found))


def test_another_program_reads_the_pty(kiln: Workspace) -> None:
    """A plain serial program, with no part of ours but the decoder."""
    with (
        BoardProcess(effective_config(kiln)) as board,
        serial.Serial(board.pty, 115_200, timeout=0.05) as port,
    ):
        decoder, items, said = Decoder(), [], ""
        port.write(b"identify\nstart cycles=3000\n")
        deadline = time.monotonic() + PATIENCE_S
        while "stopped" not in said and time.monotonic() < deadline:
            for found in decoder.feed(port.read(4096)):
                if isinstance(found, SampleRun) and found.stream == 0:
                    items.append(found.items)
                elif isinstance(found, Frame):
                    said += found.text
        assert f"build={kiln.build_id}" in said
        assert len(np.concatenate(items)) == 12_000
        assert (decoder.stats.frames_lost, decoder.stats.bytes_skipped) == (0, 0)


def test_real_time_takes_real_time(kiln: Workspace, tmp_path: Path) -> None:
    began = time.monotonic()
    outcome = record_run(kiln, 0.7, tmp_path / "t.h5")
    assert time.monotonic() - began > 0.6  # how much longer is the machine's affair
    assert (outcome.cycles, outcome.samples, outcome.lost_cycles) == (7000, 35_000, 0)


def test_the_same_run_gives_the_same_take(kiln: Workspace, tmp_path: Path) -> None:
    for name in ("a", "b"):
        record_run(kiln, 0.3, tmp_path / f"{name}.h5", fast=name == "a")
    with open_take(tmp_path / "a.h5") as one, open_take(tmp_path / "b.h5") as other:
        for stream in one.streams:
            assert np.array_equal(one.items(stream), other.items(stream))
        assert np.array_equal(one.events, other.events)


def test_the_pty_carries_a_whole_run_too(kiln: Workspace, tmp_path: Path) -> None:
    with BoardProcess(effective_config(kiln)) as board:
        outcome = record_run(
            kiln, 0.5, tmp_path / "t.h5", board=f"serial:{board.pty}@115200", fast=True
        )
    assert (outcome.samples, outcome.lost_cycles, outcome.notes) == (25_000, 0, ())


def test_a_board_with_another_build_is_noticed(kiln: Workspace, tmp_path: Path) -> None:
    other = edited(kiln, SetSampling("ADC 1", 0, 64))
    with BoardProcess(effective_config(other)) as board:
        outcome = record_run(kiln, 0.2, tmp_path / "t.h5", board=board.address, fast=True)
    assert (
        f"The board runs build {other.build_id}, this design is {kiln.build_id}" in outcome.notes[0]
    )
    with open_take(tmp_path / "t.h5") as take:
        assert not prove(kiln, take).mark_matches


class Spoiler:
    """Stands between a board and its reader, and flips, drops and inserts bytes."""

    def __init__(self, port: int) -> None:
        self._server = socket.create_server(("127.0.0.1", 0))
        self.address = f"tcp:127.0.0.1:{self._server.getsockname()[1]}"
        self._board = socket.create_connection(("127.0.0.1", port))
        self._board.sendall(f"key {read_key('127.0.0.1', port)}\n".encode())
        self._threads = [threading.Thread(target=self._forward)]
        self._threads[0].start()

    def _forward(self) -> None:
        reader, _address = self._server.accept()
        back = threading.Thread(target=self._commands, args=(reader,))
        back.start()
        rng = random.Random(4)
        passed = 0
        while data := self._board.recv(4096):
            body = bytearray(data)
            if passed > 20_000:
                action = rng.random()
                at = rng.randrange(len(body))
                if action < 0.05:
                    body[at] ^= 0x10
                elif action < 0.1:
                    del body[at : at + 3]
                elif action < 0.15:
                    body[at:at] = b"noise"
            passed += len(data)
            with contextlib.suppress(OSError):
                reader.sendall(body)
        with contextlib.suppress(OSError):
            reader.shutdown(socket.SHUT_RDWR)
        back.join()
        reader.close()

    def _commands(self, reader: socket.socket) -> None:
        with contextlib.suppress(OSError):  # a reader may go with bytes unread
            while data := reader.recv(4096):
                self._board.sendall(data)
        self._hang_up()

    def _hang_up(self) -> None:
        """Wake whoever waits for the board; a socket that is merely closed would leave them
        waiting."""
        with contextlib.suppress(OSError):
            self._board.shutdown(socket.SHUT_RDWR)

    def close(self) -> None:
        self._hang_up()
        for thread in self._threads:
            thread.join()
        self._board.close()
        self._server.close()


def test_losses_on_the_way_are_counted_to_the_cycle(kiln: Workspace, tmp_path: Path) -> None:
    with BoardProcess(effective_config(kiln)) as board:
        spoiler = Spoiler(board.tcp)
        try:
            outcome = record_run(kiln, 3.0, tmp_path / "t.h5", board=spoiler.address, fast=True)
        finally:
            spoiler.close()
    assert outcome.lost_cycles > 0
    with open_take(tmp_path / "t.h5") as take:
        assert take.lost_cycles == outcome.lost_cycles
        assert take.samples == outcome.samples == 150_000 - take.lost_items(0) - take.lost_items(1)
        raw = take.raw("3.3 V rail")
        assert raw is not None
        assert np.abs(raw.volts[raw.valid] - 3.3).max() < 0.02
        verdicts = {verdict.kind: verdict for verdict in prove(kiln, take).verdicts}
        assert verdicts["rate"].outcome == "fails"
        assert verdicts["level"].outcome == "holds"


def test_commands_are_answered(kiln: Workspace) -> None:
    with BoardProcess(effective_config(kiln)) as board:
        port = open_transport(board.address)
        for line in (
            "query",
            "start cycles=x",
            "dance",
            "bench {}",
            "stop",
            "",
            "start cycles=100 fast",
        ):
            port.command(line)
        found = read_until(port, lambda found: has(found, "stopped cycles=100"))
        said = texts(found)
        assert has(found, "idle")
        assert "error “cycles=x” is no option of start. Use ticks=N, cycles=N or fast." in said
        assert "error unknown command “dance”" in said
        assert any("The bench cannot be used" in text for text in said)
        assert has(found, "stopped cycles=0")
        port.close()


def test_a_knob_turned_while_it_runs_is_seen(kiln: Workspace) -> None:
    turned = edited(
        kiln,
        SetWiring(Wiring(pin="A6", source_resistance_ohm=500.0, source=DcSource(voltage_v=0.8))),
    )
    with BoardProcess(effective_config(kiln)) as board:
        port = open_transport(board.address)
        port.command("start")
        found = read_until(
            port, lambda found: sum(isinstance(item, SampleRun) for item in found) > 8
        )
        port.command("bench " + json_of(effective_bench(turned)))
        found += read_until(
            port,
            lambda found: (
                has(found, "bench ticks=") and sum(isinstance(i, SampleRun) for i in found) > 30
            ),
        )
        port.close()
    rail = (
        np.concatenate(
            [item.items for item in found if isinstance(item, SampleRun) and item.stream == 0]
        )[3::4]
        * 3.3
        / 4096
    )
    assert rail[:50] == pytest.approx(1.65, abs=0.01)
    assert rail[-50:] == pytest.approx(0.8, abs=0.01)


def test_the_board_ends_with_whoever_started_it(kiln: Workspace) -> None:
    code = (
        "import sys, os\nfrom pathlib import Path\nfrom wattigram.core.model.design import "
        "open_workspace\n"
        "from wattigram.core.silicon.deploy import effective_config\nfrom "
        "wattigram.core.capture.session import BoardProcess\n"
        "b = BoardProcess(effective_config(open_workspace(Path(sys.argv[1]))))\nprint(b._process.pid, flush=True)\nos._exit(0)\n"
    )
    kiln_file = EXAMPLES / "studio-kiln"
    out = subprocess.run(
        [sys.executable, "-c", code, str(kiln_file)], capture_output=True, text=True, check=True
    ).stdout
    deadline = time.monotonic() + PATIENCE_S
    while Path(f"/proc/{int(out)}").exists() and time.monotonic() < deadline:
        threading.Event().wait(0.02)
    state = Path(f"/proc/{int(out)}/stat")
    assert not state.exists() or state.read_text().split()[2] == "Z"


def test_whoever_does_not_answer_is_a_sentence(kiln: Workspace, tmp_path: Path) -> None:
    with (
        socket.create_server(("127.0.0.1", 0)) as silent,
        pytest.raises(LinkError, match="does not say who it is"),
    ):
        record_run(kiln, 1.0, tmp_path / "t.h5", board=f"tcp:127.0.0.1:{silent.getsockname()[1]}")
    empty = Workspace(kiln.project.replaced(chains=()), kiln.part)
    with pytest.raises(LinkError, match="Nothing in this project runs"):
        record_run(empty, 1.0, tmp_path / "t.h5")
    assert not (tmp_path / "t.h5").exists()


@pytest.mark.parametrize("first", [0, 5])
def test_a_ring_keeps_the_newest(first: int) -> None:
    ring = Ring(np.dtype("u4"))
    position = first
    rng = random.Random(1)
    while position < 3 * RING_ITEMS:
        count = rng.randint(1, RING_ITEMS // 3)
        ring.append(position, np.arange(position, position + count, dtype=np.uint32))
        position += count
    assert (ring.begin, ring.end) == (position - RING_ITEMS, position)
    assert np.array_equal(ring.window(ring.begin, ring.end), np.arange(ring.begin, ring.end))
    assert np.array_equal(ring.window(ring.end - 10, ring.end), np.arange(position - 10, position))
    ring.append(position + 50, np.arange(3, dtype=np.uint32))
    assert ring.begin == position + 50


def test_a_reception_survives_what_is_no_event(kiln: Workspace) -> None:
    from wattigram.core.contract.link import encode_frame

    reception = StreamReceiver(kiln)
    reception.feed(encode_frame(FrameType.EVENTS, b"\x00" * 7))
    reception.feed(encode_frame(FrameType.IDENTITY, b"nonsense", sequence=1))
    reception.feed(encode_frame(FrameType.SAMPLES, b"\x00" * 32, item_bytes=16, sequence=2))
    assert reception.event_count == 0
    assert reception.identity is None
    assert len(reception.log) == 2


@pytest.fixture
def live(
    kiln: Workspace,
) -> Iterator[tuple[LiveSession, list[Snapshot], Callable[[Callable[[Snapshot], bool]], Snapshot]]]:
    shots: list[Snapshot] = []
    arrived = threading.Condition()

    def take(snapshot: Snapshot) -> None:
        with arrived:
            shots.append(snapshot)
            arrived.notify_all()

    def wait(reached: Callable[[Snapshot], bool]) -> Snapshot:
        with arrived:
            assert arrived.wait_for(
                lambda: bool(shots) and reached(shots[-1]), timeout=PATIENCE_S
            ), shots[-1:]
            return shots[-1]

    session = LiveSession(kiln, "virtual", take)
    yield session, shots, wait
    session.close()
    assert session.is_over


def test_a_live_session_shows_captured_on_expected(
    kiln: Workspace, live: tuple[LiveSession, list[Snapshot], Callable[..., Snapshot]]
) -> None:
    session, _shots, wait = live
    session.request_views(
        tuple(ViewRequest(signal.name, 0.04, 150) for signal in kiln.project.signals)
    )
    idle = wait(lambda shot: shot.mark_matches is True and len(shot.pictures) == 5)
    assert idle.pictures["Coil current"].in_band is None
    assert len(idle.pictures["Coil current"].expected_low_v) == 150
    session.start()
    shot = wait(lambda shot: shot.seconds > 0.5)
    assert {name: picture.in_band for name, picture in shot.pictures.items()} == {
        "Coil current": True,
        "Upper zone": True,
        "Door latch": False,
        "3.3 V rail": True,
        "Upper zone, twin": True,
    }
    assert shot.pictures["3.3 V rail"].reading_v == pytest.approx(3.3, abs=0.005)
    assert len(shot.pictures["Coil current"].low_v) == 150
    session.stop()
    assert wait(lambda shot: shot.state == "idle").lost_cycles == 0


def test_a_live_recording_with_a_knob_turned_proves_what_was_wired(
    kiln: Workspace,
    live: tuple[LiveSession, list[Snapshot], Callable[..., Snapshot]],
    tmp_path: Path,
) -> None:
    session, shots, wait = live
    turned = edited(
        kiln,
        SetWiring(Wiring(pin="A6", source_resistance_ohm=500.0, source=DcSource(voltage_v=0.8))),
    )
    session.request_views((ViewRequest("3.3 V rail", 0.1, 100),))
    session.start(tmp_path / "t.h5")
    assert wait(lambda shot: shot.seconds > 0.4).recording == tmp_path / "t.h5"
    session.turn_knobs(turned)
    wait(lambda shot: abs(shot.pictures["3.3 V rail"].reading_v - 1.6) < 0.01)
    session.stop()
    wait(lambda shot: shot.state == "idle")
    assert [shot.recorded for shot in shots if shot.recorded] == [tmp_path / "t.h5"]
    with open_take(tmp_path / "t.h5") as take:
        assert len(take.history) == 2
        expected = take.history[1][1].project
        assert expected == turned.project


def test_a_board_that_is_gone_ends_the_session_with_a_sentence(kiln: Workspace) -> None:
    shots: list[Snapshot] = []
    session = LiveSession(kiln, "tcp:127.0.0.1:1", shots.append)
    session.close()
    assert shots[-1].state == "failed"
    assert "Nobody answers at tcp:127.0.0.1:1" in shots[-1].message


@pytest.mark.parametrize("items", [510, 7])
def test_loops_out_of_step_are_drawn_as_a_reader_finds_them(kiln: Workspace, items: int) -> None:
    wrong = edited(kiln, SetBufferLength("ADC 1", items), SetPeriod("ADC 1", Fraction(1, 20_000)))
    shots: list[Snapshot] = []
    session = LiveSession(wrong, "virtual", shots.append)
    session.request_views((ViewRequest("Coil current", 0.04, 100),))
    session.start()
    deadline = time.monotonic() + PATIENCE_S
    while not (shots and shots[-1].seconds > 0.3) and time.monotonic() < deadline:
        threading.Event().wait(0.02)
    session.close()
    assert shots[-1].pictures["Coil current"].in_band is False


def test_a_board_started_by_hand_says_where_it_listens(kiln_path: Path) -> None:
    command = [sys.executable, "-m", "wattigram", "board", str(kiln_path)]
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True, env=os.environ)
    assert process.stdout is not None
    ready = json.loads(process.stdout.readline())
    port = open_transport(f"tcp:127.0.0.1:{ready['tcp']}")
    port.command("identify")
    assert has(read_until(port, lambda found: has(found, "protocol=2")), "protocol=2")
    port.command("quit")
    process.wait(timeout=PATIENCE_S)
    process.stdout.close()
    port.close()
