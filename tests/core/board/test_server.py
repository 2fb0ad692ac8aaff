"""The board's ports, looked at from outside and one by one."""

from __future__ import annotations

import os
import socket
import threading
import time
from collections.abc import Iterator

import pytest

from tests.patience import PATIENCE_S
from wattigram.core.board.server import LARGEST_QUEUE_BYTES, LONGEST_COMMAND_BYTES, BoardServer
from wattigram.core.capture.transport import Decoder, SampleRun, open_transport
from wattigram.core.contract.link import Frame
from wattigram.core.contract.link.link_key import key_path, read_key
from wattigram.core.model.design import Workspace
from wattigram.core.silicon.deploy import effective_config


@pytest.fixture
def server(kiln: Workspace) -> Iterator[BoardServer]:
    """A board in a thread of this process."""
    board = BoardServer(effective_config(kiln))
    thread = threading.Thread(target=board.serve)
    thread.start()
    yield board
    with socket.create_connection(("127.0.0.1", board.tcp_port)) as last:
        last.sendall(f"key {board.key}\nquit\n".encode())
        thread.join(timeout=PATIENCE_S)
    assert not thread.is_alive()


def connect(board: BoardServer) -> socket.socket:
    port = socket.create_connection(("127.0.0.1", board.tcp_port))
    port.settimeout(0.2)
    port.sendall(f"key {board.key}\n".encode())
    return port


def listen(port: socket.socket, words: str) -> tuple[list[Frame], list[SampleRun], Decoder]:
    """Everything up to a frame of text that begins with some words."""
    decoder = Decoder()
    frames: list[Frame] = []
    runs: list[SampleRun] = []
    deadline = time.monotonic() + PATIENCE_S
    while not any(frame.text.startswith(words) for frame in frames):
        assert time.monotonic() < deadline, [frame.text for frame in frames]
        try:
            data = port.recv(1 << 16)
        except TimeoutError:
            continue
        for found in decoder.feed(data):
            if isinstance(found, SampleRun):
                runs.append(found)
            else:
                frames.append(found)
    return frames, runs, decoder


def test_everybody_who_listens_gets_every_frame(server: BoardServer) -> None:
    """Frames are numbered once, so nobody may see a gap that is none."""
    with connect(server) as one, connect(server) as other:
        other.sendall(b"query\n")
        listen(one, "idle")
        one.sendall(b"start cycles=2000\nquery\n")
        for port in (one, other):
            frames, runs, decoder = listen(port, "stopped cycles=2000")
            assert decoder.stats.frames_lost == 0
            assert sum(len(run.items) for run in runs if run.stream == 0) == 8000
            assert any(frame.text.startswith("running") for frame in frames)


def test_a_start_begins_anew_at_item_0(server: BoardServer) -> None:
    with connect(server) as port:
        for _ in range(2):
            port.sendall(b"start cycles=300\n")
            _frames, runs, decoder = listen(port, "stopped cycles=300")
            assert min(run.first for run in runs if run.stream == 0) == 0
            assert any(run.restarted for run in runs)
            assert decoder.stats.items_lost == {}


def test_whoever_leaves_takes_the_run_along(server: BoardServer) -> None:
    port = connect(server)
    port.sendall(b"start\n")
    listen(port, "started")
    port.close()
    with connect(server) as other:
        deadline = time.monotonic() + PATIENCE_S
        said = ""
        while "idle" not in said and time.monotonic() < deadline:
            other.sendall(b"query\n")
            frames, _runs, _decoder = listen(other, "idle" if said else "")
            said = " ".join(frame.text for frame in frames)
        assert "idle" in said


def test_a_command_without_end_is_thrown_away(server: BoardServer) -> None:
    with connect(server) as port:
        port.sendall(b"x" * (LONGEST_COMMAND_BYTES + 100_000))
        frames, _runs, _decoder = listen(port, "error a command of more than 1 MiB")
        port.sendall(b"\nquery\n")
        frames, _runs, _decoder = listen(port, "idle")
        assert frames


@pytest.mark.parametrize(
    "noise",
    [
        b"\x00\xff\xfe\n",
        b"\n\n\n",
        "ü§\n".encode(),
        b"start cycles=99999999999999999999\n",
        b"start=5\n",
    ],
)
def test_nonsense_is_answered_and_survived(server: BoardServer, noise: bytes) -> None:
    with connect(server) as port:
        port.sendall(noise + b"query\n")
        frames, _runs, _decoder = listen(port, "idle")
        assert all(frame.text.startswith(("error", "idle")) for frame in frames)


def test_a_slow_reader_loses_whole_frames_and_is_told(kiln: Workspace) -> None:
    """In real time nobody waits for a reader, as on a wire; what is lost is counted."""
    board = BoardServer(effective_config(kiln))
    reading, writing = socket.socketpair()
    try:
        from wattigram.core.board.server import Client

        reading.setblocking(False)
        client = Client(writing.fileno(), "test", listening=True)
        client.queued_bytes = LARGEST_QUEUE_BYTES + 1
        board._enqueue(client, [b"one", b"two"])
        assert (client.dropped_frames, len(client.queue)) == (2, 0)
        client.queued_bytes = 0
        board._enqueue(client, [b"one", b"two"])
        assert bytes(client.queue[0]) == b"onetwo"
    finally:
        reading.close()
        writing.close()
        board.close()


def test_the_pty_is_a_terminal_device(server: BoardServer) -> None:
    assert os.path.exists(server.pty_path)
    descriptor = os.open(server.pty_path, os.O_RDWR | os.O_NOCTTY)
    try:
        assert os.isatty(descriptor)
    finally:
        os.close(descriptor)


def test_only_this_machine_can_connect(server: BoardServer) -> None:
    assert server._listener.getsockname()[0] == "127.0.0.1"


def stranger(board: BoardServer) -> socket.socket:
    port = socket.create_connection(("127.0.0.1", board.tcp_port))
    port.settimeout(0.2)
    return port


def test_without_the_key_one_can_only_listen(server: BoardServer) -> None:
    with connect(server) as owner, stranger(server) as other:
        other.sendall(b"identify\n")
        listen(other, "protocol=")
        for command in (b"start cycles=10\n", b"stop\n", b"bench {}\n", b"quit\n"):
            other.sendall(command)
            listen(other, f"error “{command.split()[0].decode()}” needs the key")
        other.sendall(b"key wrong\nstart\n")
        listen(other, "error that is not the board's key")
        owner.sendall(b"start cycles=100\n")
        _frames, runs, _decoder = listen(other, "stopped cycles=100")
        assert runs


@pytest.mark.parametrize("verb", [b"GET", b"POST", b"OPTIONS", b"PUT"])
def test_a_web_page_is_dropped(server: BoardServer, verb: bytes) -> None:
    with stranger(server) as page:
        page.sendall(verb + b" / HTTP/1.1\r\nHost: x\r\n\r\nstart\nquit\n")
        received = b"x"
        while received:
            try:
                received = page.recv(4096)
            except ConnectionResetError:
                break
    with connect(server) as owner:
        owner.sendall(b"query\n")
        listen(owner, "idle")


def test_the_key_lies_where_only_the_same_user_reads_it(server: BoardServer) -> None:
    path = key_path(server.tcp_port)
    assert path.stat().st_mode & 0o777 == 0o600
    assert read_key("127.0.0.1", server.tcp_port) == server.key
    assert read_key("example.org", server.tcp_port) == ""
    transport = open_transport(f"tcp:127.0.0.1:{server.tcp_port}")
    transport.command("start cycles=5")
    decoder = Decoder()
    texts: list[str] = []
    deadline = time.monotonic() + PATIENCE_S
    while not any(text.startswith("stopped") for text in texts) and time.monotonic() < deadline:
        texts += [
            found.text for found in decoder.feed(transport.read()) if isinstance(found, Frame)
        ]
    transport.close()
    assert any(text.startswith("stopped cycles=5") for text in texts)
