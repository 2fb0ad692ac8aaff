"""A debug server: a stock debugger can attach to the running image, stop it, set breakpoints and
read variables."""

from __future__ import annotations

import contextlib
import os
import select
import socket
from collections.abc import Callable

from wattigram.core.contract.link.gdb_packets import PacketReader, encode_packet
from wattigram.core.emulator.breakpoints import WatchKind
from wattigram.core.emulator.cpu import Cpu, CpuError

REGISTERS = (*(f"r{number}" for number in range(13)), "sp", "lr", "pc", "xpsr")
LARGEST_READ_BYTES = 1 << 16
_TRAP, _INTERRUPTED = b"S05", b"S02"
_WATCHES: dict[str, WatchKind] = {"2": "watch", "3": "rwatch", "4": "awatch"}
_TARGET = """<?xml version="1.0"?>
<!DOCTYPE target SYSTEM "gdb-target.dtd">
<target version="1.0"><architecture>arm</architecture>
<feature name="org.gnu.gdb.arm.m-profile">{registers}</feature></target>
""".format(
    registers="".join(
        f'<reg name="{name}" bitsize="32"'
        + (' type="data_ptr"' if name == "sp" else ' type="code_ptr"' if name == "pc" else "")
        + "/>"
        for name in REGISTERS
    )
).encode()


class DebugServer:
    """Listens on a loopback port, for one debugger at a time; while it holds the processor, the
    board's time stands."""

    def __init__(self, port: int = 0, watch_fd: int | None = None) -> None:
        self._listener = socket.create_server(("127.0.0.1", port), backlog=1)
        self._listener.setblocking(False)
        self._connection: socket.socket | None = None
        self._reader = PacketReader()
        self._acks = True
        self._watch_fd = watch_fd
        self._cpu: Cpu | None = None
        self._resumed = False
        self._steps = False
        self.holds = False
        """The debugger has stopped the processor between two of its calls."""
        self.stopped: Callable[[], None] = lambda: None
        """Called when the debugger stops the processor between two calls, before it looks at
        anything."""
        self.touched: Callable[[], None] = lambda: None
        """Called when the debugger lets the processor go on, for it may have changed memory."""

    @property
    def port(self) -> int:
        """The port that was given."""
        return int(self._listener.getsockname()[1])

    @property
    def descriptors(self) -> tuple[int, ...]:
        """What to wait for."""
        open_files = [self._listener.fileno()]
        if self._connection is not None:
            open_files.append(self._connection.fileno())
        return tuple(open_files)

    @property
    def is_there(self) -> bool:
        """A debugger is connected."""
        return self._connection is not None

    def attach(self, cpu: Cpu) -> None:
        """Serve another processor."""
        self._cpu = cpu
        cpu.on_break = self._hold_within
        self._look(self._connection is not None)

    def _look(self, is_there: bool) -> None:
        if self._cpu is not None:
            self._cpu.is_looked_at = is_there

    def close(self) -> None:
        """Close the port."""
        self._drop()
        self._listener.close()

    def service(self) -> None:
        """Take what has come; called whenever a descriptor is ready, the processor asleep."""
        with contextlib.suppress(BlockingIOError):
            connection, _address = self._listener.accept()
            self._drop()
            connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            connection.setblocking(False)
            self._connection, self._reader, self._acks = connection, PacketReader(), True
            self._look(True)
            self.holds = True
            self.stopped()
        self._receive()
        if self._resumed:  # the debugger is gone
            self._let_go()

    def _let_go(self) -> None:
        """The processor goes on, until it sleeps or comes to a breakpoint."""
        self._resumed = False
        self.holds = False
        if self._steps and self._cpu is not None:
            self._cpu.stops.step_wanted = True
        self.touched()

    def _receive(self, within_call: bool = False) -> None:
        connection = self._connection
        if connection is None:
            return
        try:
            data = connection.recv(1 << 16)
        except BlockingIOError:
            return
        except OSError:
            data = b""
        if not data:
            self._drop()
            return
        for kind, payload in self._reader.feed(data):
            if kind == "interrupt":
                self.holds = True
                self.stopped()
                self._send(_INTERRUPTED)
            elif kind == "spoilt" and self._acks:
                connection.send(b"-")
            elif kind == "packet":
                if self._acks:
                    connection.send(b"+")
                self._answer(payload)
                if self._resumed and not within_call:
                    self._let_go()

    def _drop(self) -> None:
        """The debugger is gone: the processor goes on, without breakpoints."""
        if self._connection is not None:
            self._connection.close()
            self._connection = None
            self._look(False)
            if self._cpu is not None:
                self._cpu.stops.clear()
            self._resumed = True
            self._steps = False
            self.holds = False

    def _hold_within(self) -> None:
        """A breakpoint was reached within a call: serve the debugger until it lets the processor go
        on."""
        if self._connection is None:
            return
        self._resumed = False
        reason = self._cpu.stops.reason if self._cpu is not None else ""
        self._send(b"T05" + reason.encode() + b";" if reason else _TRAP)
        while not self._resumed and self._connection is not None:
            waiting = [self._connection.fileno()]
            if self._watch_fd is not None:
                waiting.append(self._watch_fd)
            ready, _writable, _broken = select.select(waiting, [], [], 1.0)
            if self._watch_fd in ready and not os.read(self._watch_fd or 0, 1024):
                raise SystemExit(0)  # whoever started the board is gone
            if self._connection.fileno() in ready:
                self._receive(within_call=True)
        self._resumed = False
        if self._steps and self._cpu is not None:
            self._cpu.stops.step_wanted = True

    def _send(self, payload: bytes) -> None:
        if self._connection is not None:
            try:
                self._connection.sendall(encode_packet(payload))
            except OSError:
                self._drop()

    def _answer(self, payload: bytes) -> None:
        reply = self._reply(payload.decode("latin-1"))
        if reply is not None:
            self._send(reply)
        if payload == b"QStartNoAckMode":
            self._acks = False

    def _reply(self, text: str) -> bytes | None:
        """Answer to a packet; None where the answer comes later, empty for what is not known."""
        cpu = self._cpu
        if cpu is None:
            return b"E01"
        try:
            match text[:1]:
                case "?":
                    return _TRAP
                case "g":
                    return b"".join(_word(cpu.register(number)) for number in range(len(REGISTERS)))
                case "G":
                    given = [
                        _number(text[at : at + 8]) for at in range(1, 1 + 8 * len(REGISTERS), 8)
                    ]
                    for place, code in enumerate(given):
                        cpu.set_register(place, code)
                    return b"OK"
                case "p":
                    number = int(text[1:], 16)
                    return _word(cpu.register(number)) if number < len(REGISTERS) else b"E02"
                case "P":
                    name, _, value = text[1:].partition("=")
                    cpu.set_register(int(name, 16), _number(value))
                    return b"OK"
                case "m":
                    address, _, count = text[1:].partition(",")
                    return (
                        cpu.read_any(int(address, 16), min(int(count, 16), LARGEST_READ_BYTES))
                        .hex()
                        .encode()
                    )
                case "M":
                    head, _, data = text[1:].partition(":")
                    cpu.write_any(int(head.partition(",")[0], 16), bytes.fromhex(data))
                    return b"OK"
                case "X":
                    head, _, data = text[1:].partition(":")
                    address, _, count = head.partition(",")
                    if int(count, 16) != len(data):
                        return b"E01"
                    cpu.write_any(int(address, 16), data.encode("latin-1"))
                    return b"OK"
                case "Z" | "z":
                    return self._breakpoint(cpu, text)
                case "c" | "s":
                    return self._go_on(text[0] == "s")
                case "D":
                    cpu.stops.clear()
                    self._go_on(False)
                    return b"OK"
                case "k":
                    self._drop()
                    return None
                case "H" | "T":
                    return b"OK"
                case "v":
                    return self._many(text)
                case "q" | "Q":
                    return self._query(text)
                case _:
                    return b""
        except (ValueError, IndexError, CpuError):
            return b"E0e"

    def _breakpoint(self, cpu: Cpu, text: str) -> bytes:
        kind, address, count, *_rest = text[1:].split(",")
        if kind in {"0", "1"}:
            change = cpu.stops.set_breakpoint if text[0] == "Z" else cpu.stops.clear_breakpoint
            change(int(address, 16) & ~1)
        elif kind in _WATCHES:
            watch = cpu.stops.set_watchpoint if text[0] == "Z" else cpu.stops.clear_watchpoint
            watch(_WATCHES[kind], int(address, 16), min(int(count, 16), LARGEST_READ_BYTES))
        else:
            return b""
        return b"OK"

    def _go_on(self, steps: bool) -> bytes | None:
        self._steps = steps
        self._resumed = True
        return None

    def _many(self, text: str) -> bytes | None:
        if text == "vCont?":
            return b"vCont;c;C;s;S"
        if text.startswith("vCont;"):
            return self._go_on(text[6:7] in {"s", "S"})
        return b""

    def _query(self, text: str) -> bytes:
        if text.startswith("qSupported"):
            return b"PacketSize=10000;qXfer:features:read+;QStartNoAckMode+;vContSupported+;swbreak+;hwbreak+"
        if text.startswith("qXfer:features:read:target.xml:"):
            offset, _, length = text.rpartition(":")[2].partition(",")
            begin = int(offset, 16)
            part = _TARGET[begin : begin + int(length, 16)]
            return (b"l" if begin + len(part) >= len(_TARGET) else b"m") + part
        known = {
            "QStartNoAckMode": b"OK",
            "qAttached": b"1",
            "qC": b"QC1",
            "qfThreadInfo": b"m1",
            "qsThreadInfo": b"l",
        }
        return known.get(text, b"")


def _word(value: int) -> bytes:
    return (value & 0xFFFFFFFF).to_bytes(4, "little").hex().encode()


def _number(text: str) -> int:
    """Eight hexadecimal digits, the lowest byte first; raises ``ValueError`` for anything else."""
    if len(text) != 8:
        raise ValueError(text)
    return int.from_bytes(bytes.fromhex(text), "little")
