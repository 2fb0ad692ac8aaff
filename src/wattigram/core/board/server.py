"""The virtual board's ports, commands and pacing."""

from __future__ import annotations

import contextlib
import os
import re
import secrets
import selectors
import socket
import time
import tty
from abc import ABC, abstractmethod
from collections import deque
from concurrent.futures import Executor, ThreadPoolExecutor

import msgspec

from wattigram.core.base.errors import BoardError
from wattigram.core.board.run import Run
from wattigram.core.contract.board_config import EffectiveConfig, parse_bench
from wattigram.core.contract.link import FrameType, encode_frame
from wattigram.core.contract.link.identity import Identity
from wattigram.core.contract.link.link_key import COMMAND as KEY
from wattigram.core.contract.link.link_key import new_key, remove_key, write_key

LONGEST_COMMAND_BYTES = 1 << 20
PACE_S = 0.004
COMMANDS = frozenset({"start", "stop", "bench", "quit"})
"""What changes the board, and needs its key over TCP."""
_HTTP = re.compile(rb"(?:GET|HEAD|POST|PUT|DELETE|CONNECT|OPTIONS|TRACE|PATCH|PRI) ")
LARGEST_QUEUE_BYTES = 8 << 20
FAST_QUEUE_BYTES = 2 << 20
LONGEST_LAG_S = 0.5
"""A real-time run that falls further behind than this lets go of the time it lost."""


class Client(msgspec.Struct):
    """One port with somebody at its other end."""

    read_fd: int
    name: str
    connection: socket.socket | None = None
    queue: deque[memoryview] = msgspec.field(default_factory=deque)
    queued_bytes: int = 0
    received: bytearray = msgspec.field(default_factory=bytearray)
    dropped_frames: int = 0
    commands: bool = False
    """It may start, stop and change the board: it is at the pty, or has said the word."""
    listening: bool = False
    """It has sent a command, so it is there and reads."""


class PortServer(ABC):
    """Offers a pty and a loopback TCP port, and lets one run go on for whoever is connected."""

    def __init__(self, tcp_port: int = 0, fast: bool = False, watch_fd: int | None = None) -> None:
        self._always_fast = fast
        self._watch_fd = watch_fd
        self._selector = selectors.DefaultSelector()
        self._clients: dict[int, Client] = {}
        self._run: Run | None = None
        self._fast = False
        self._ticks_wanted: int | None = None
        self._owner: Client | None = None
        self._sequence = 0
        self._started_at = 0.0
        self._quit = False
        self._threads = min(2, os.cpu_count() or 1)
        self._executor: Executor = ThreadPoolExecutor(self._threads)
        self._listener = socket.create_server(("127.0.0.1", tcp_port), backlog=4)
        self._port = int(self._listener.getsockname()[1])
        self._listener.setblocking(False)
        self._selector.register(self._listener, selectors.EVENT_READ)
        self._master_fd, self._slave_fd = os.openpty()
        tty.setraw(self._slave_fd)
        os.set_blocking(self._master_fd, False)
        self._clients[self._master_fd] = Client(self._master_fd, "pty", commands=True)
        self.key = new_key()
        write_key(self.tcp_port, self.key)
        self._selector.register(self._master_fd, selectors.EVENT_READ)
        if watch_fd is not None:
            self._selector.register(watch_fd, selectors.EVENT_READ)

    @abstractmethod
    def _obey(self, client: Client, word: str, rest: str) -> None:
        """Do what a command says; raises :class:`BoardError`."""

    @abstractmethod
    def _moved(self, run: Run, frames: list[bytes], is_done: bool) -> None:
        """The run has gone on and gave these frames; ``is_done`` where it has come to its end."""

    @property
    def tcp_port(self) -> int:
        """The port that was given."""
        return self._port

    @property
    def pty_path(self) -> str:
        """The device that a serial program opens."""
        return os.ttyname(self._slave_fd)

    def serve(self) -> None:
        """Serve until told to quit, or until whoever holds the watched descriptor is gone."""
        try:
            while not self._quit:
                self._wait()
                if self._run is not None:
                    self._advance()
                    self._flush_all()
        finally:
            self.close()

    def close(self) -> None:
        """Close all ports."""
        remove_key(self._port)
        self._executor.shutdown(wait=False, cancel_futures=True)
        for client in list(self._clients.values()):
            if client.connection is not None:
                client.connection.close()
        self._clients.clear()
        self._selector.close()
        self._listener.close()
        for descriptor in (self._master_fd, self._slave_fd):
            with contextlib.suppress(OSError):
                os.close(descriptor)

    def _wait(self) -> None:
        timeout_s = 1.0
        if self._run is not None:
            owner_full = self._owner is not None and self._owner.queued_bytes >= FAST_QUEUE_BYTES
            timeout_s = 0.0 if self._fast and not owner_full else PACE_S
        for key, mask in self._selector.select(timeout_s):
            if key.fileobj is self._listener:
                self._accept()
            elif key.fd == self._watch_fd:
                if not os.read(key.fd, 1024):
                    self._quit = True
            elif (client := self._clients.get(key.fd)) is not None:
                if mask & selectors.EVENT_WRITE:
                    self._flush(client)
                if mask & selectors.EVENT_READ:
                    self._receive(client)

    def _accept(self) -> None:
        connection, _address = self._listener.accept()
        connection.setblocking(False)
        connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        client = Client(connection.fileno(), "tcp", connection, listening=True)
        self._clients[client.read_fd] = client
        self._selector.register(client.read_fd, selectors.EVENT_READ)

    def _drop(self, client: Client) -> None:
        if client.connection is None:
            client.queue.clear()
            client.queued_bytes = 0
            client.listening = False
        else:
            self._selector.unregister(client.read_fd)
            del self._clients[client.read_fd]
            client.connection.close()
        if client is self._owner:
            self._run = None
            self._owner = None

    def _receive(self, client: Client) -> None:
        try:
            data = os.read(client.read_fd, 1 << 16)
        except BlockingIOError:
            return
        except OSError:
            self._drop(client)
            return
        if not data:
            self._drop(client)
            return
        client.received += data
        if client.connection is not None and not client.commands and _HTTP.match(client.received):
            self._drop(client)  # a web page that found the port
            return
        client.listening = True
        while (end := client.received.find(b"\n")) >= 0:
            line = bytes(client.received[:end])
            del client.received[: end + 1]
            self._command(client, line.decode("utf-8", "replace").strip())
        if len(client.received) > LONGEST_COMMAND_BYTES:
            client.received.clear()
            self._say(FrameType.REPLY, "error a command of more than 1 MiB was thrown away")

    def _command(self, client: Client, line: str) -> None:
        word, _, rest = line.partition(" ")
        try:
            if word == KEY:
                if not secrets.compare_digest(rest.encode(), self.key.encode()):
                    raise BoardError(
                        "that is not the board's key",
                        cure="It stands in the line of JSON, and in a file.",
                    )
                client.commands = True
                return
            if word in COMMANDS and not client.commands:
                raise BoardError(
                    f"“{word}” needs the key that whoever started this board was given; without "
                    "it one can only listen"
                )
            self._obey(client, word, rest)
        except BoardError as fault:
            self._say(FrameType.REPLY, f"error {fault}")

    def _begin(self, client: Client, run: Run) -> None:
        """Let a run go on from now, for a client."""
        self._owner = client
        self._run = run
        self._started_at = time.monotonic()

    def _end(self) -> None:
        """No run goes on."""
        if self._run is not None:
            self._sequence = self._run.sequence
        self._run = None
        self._owner = None

    def _advance(self) -> None:
        run = self._run
        assert run is not None
        if self._fast:
            if self._owner is not None and self._owner.queued_bytes >= FAST_QUEUE_BYTES:
                return
            target = run.ticks + self._fast_step_ticks(run)
        else:
            target = int((time.monotonic() - self._started_at) * run.config.tick_hz)
            longest = int(LONGEST_LAG_S * run.config.tick_hz)
            if target - run.ticks > longest:
                behind = target - run.ticks - longest
                self._started_at += behind / run.config.tick_hz
                target -= behind
        done = False
        if self._ticks_wanted is not None:
            end = self._ticks_wanted
            target, done = min(target, end), target >= end
        self._moved(run, run.advance(target, self._executor if self._fast else None), done)

    def _fast_step_ticks(self, run: Run) -> int:
        """Ticks to go at once where time does not matter."""
        return run.largest_step_ticks

    _flags = 0
    """Of all that this server says itself."""

    def _say(self, kind: FrameType, text: str) -> None:
        """Send text to everybody: frames are numbered once, so everybody must get all of them."""
        run = self._run
        sequence = run.sequence if run else self._sequence
        ticks = run.ticks if run else 0
        self._broadcast(
            [encode_frame(kind, text.encode(), flags=self._flags, sequence=sequence, ticks=ticks)]
        )
        if run:
            run.sequence = sequence + 1
        self._sequence = sequence + 1

    def _broadcast(self, frames: list[bytes]) -> None:
        if frames:
            for client in list(self._clients.values()):
                if client.listening:
                    self._enqueue(client, frames)
                    self._flush(client)

    def _enqueue(self, client: Client, frames: list[bytes]) -> None:
        """Queue whole frames; what a real-time reader does not fetch in time is lost, as on a
        wire."""
        bounded = not (self._fast and client is self._owner)
        if bounded and client.queued_bytes > LARGEST_QUEUE_BYTES:
            client.dropped_frames += len(frames)
            return
        block = b"".join(frames)
        client.queue.append(memoryview(block))
        client.queued_bytes += len(block)

    def _flush_all(self) -> None:
        for client in list(self._clients.values()):
            if client.queue:
                self._flush(client)

    def _flush(self, client: Client) -> None:
        while client.queue:
            block = client.queue[0]
            try:
                sent = os.write(client.read_fd, block)
            except BlockingIOError:
                sent = 0
            except OSError:
                self._drop(client)
                return
            client.queued_bytes -= sent
            if sent < len(block):
                client.queue[0] = block[sent:]
                break
            client.queue.popleft()
        if client.read_fd in self._clients:
            wanted = selectors.EVENT_READ | (selectors.EVENT_WRITE if client.queue else 0)
            self._selector.modify(client.read_fd, wanted)


class BoardServer(PortServer):
    """Runs one board from its configuration."""

    def __init__(
        self,
        config: EffectiveConfig,
        tcp_port: int = 0,
        fast: bool = False,
        watch_fd: int | None = None,
    ) -> None:
        super().__init__(tcp_port, fast, watch_fd)
        self.config = config

    def _obey(self, client: Client, word: str, rest: str) -> None:
        match word:
            case "":
                pass
            case "identify":
                identity = Identity(self.config.board, self.config.build_id, self.config.tick_hz)
                self._say(FrameType.IDENTITY, identity.text())
            case "start":
                self._start(client, rest.split())
            case "stop":
                self._stop()
            case "query":
                self._say(FrameType.REPLY, self._status())
            case "bench":
                self._turn_knobs(rest)
            case "quit":
                self._quit = True
            case _:
                self._say(FrameType.REPLY, f"error unknown command “{word[:40]}”")

    def _start(self, client: Client, options: list[str]) -> None:
        self._ticks_wanted = None
        self._fast = self._always_fast
        for option in options:
            name, _, value = option.partition("=")
            if option == "fast":
                self._fast = True
            elif (
                name in {"cycles", "ticks"}
                and value.isascii()
                and value.isdigit()
                and len(value) < 16
            ):
                first = next(iter(self.config.converters), None)
                each = first.cycle_ticks if name == "cycles" and first is not None else 1
                self._ticks_wanted = int(value) * each
            else:
                raise BoardError(
                    f"“{option[:40]}” is no option of start.", cure="Use ticks=N, cycles=N or fast."
                )
        if self._run is not None:
            self._stop()
        self._begin(client, Run(self.config, self._sequence, self._threads))
        self._say(FrameType.LOG, f"started build={self.config.build_id} seed={self.config.seed}")

    def _stop(self) -> None:
        if self._run is None:
            self._say(FrameType.REPLY, "stopped cycles=0")
            return
        run = self._run
        self._broadcast(run.finish())
        self._end()
        self._say(FrameType.REPLY, "stopped " + " ".join(self._totals(run)))

    @staticmethod
    def _totals(run: Run) -> list[str]:
        return [f"{name}={count}" for name, count in run.totals().items()]

    def _status(self) -> str:
        dropped = sum(client.dropped_frames for client in self._clients.values())
        if self._run is None:
            return f"idle dropped_frames={dropped}"
        return " ".join(["running", *self._totals(self._run), f"dropped_frames={dropped}"])

    def _turn_knobs(self, text: str) -> None:
        bench = parse_bench(text, self.config)
        self.config = self.config.unchecked(bench=bench)
        ticks = 0
        if self._run is not None:
            self._run.set_bench(bench)
            ticks = self._run.next_tick()
        self._say(FrameType.LOG, f"bench ticks={ticks}")

    def _moved(self, run: Run, frames: list[bytes], is_done: bool) -> None:
        """Pass the frames on."""
        self._broadcast(frames)
        self._sequence = run.sequence
        if is_done or run.has_ended:
            self._stop()
