"""A board seen through its memory alone: a debug server is polled, and what is new in each loop
becomes frames.

Timing is that of the polls: an item's number is exact, the instant of a frame is known to about one
cycle.
"""

from __future__ import annotations

import time
from pathlib import Path

import msgspec

from wattigram.core.base.errors import FirmwareError, LinkError, WattigramError
from wattigram.core.capture.session.debug_port import DebuggedPort, debugger_place
from wattigram.core.capture.session.mailbox_board import MailboxBoard
from wattigram.core.capture.transport.debug_client import DebugClient
from wattigram.core.contract.image import Image, MemoryLocation, load_image, memory_locations
from wattigram.core.contract.link import (
    FLAG_FIRST,
    POLLED,
    STAMP_STREAM,
    FrameType,
    Identity,
    encode_frame,
)
from wattigram.core.contract.link.mailbox import SYMBOL as MAILBOX
from wattigram.core.firmware import Tables
from wattigram.core.firmware.tables import ChainTable
from wattigram.core.model.design import Chain, Workspace
from wattigram.core.silicon.registers import register_map

START, STOP = 1, 2
MARK = "wg_build_id"
MARK_BYTES = 40
SETTLE_S = 0.05
FASTEST_S, SLOWEST_S = 0.002, 0.05
"""Between polls, so that the processor has time to run."""


class _Watched(msgspec.Struct):
    """One chain: where its items lie, and how far they have been taken."""

    chain: Chain
    table: ChainTable
    loop: int
    stamps: int | None
    state: dict[str, MemoryLocation]
    tally: int | None
    taken: int = 0


class PolledBoard(DebuggedPort):
    """Firmware of this program: commands go in, frames come out."""

    def __init__(self, workspace: Workspace, client: DebugClient, image: Image) -> None:
        super().__init__(client, image)
        self._workspace = workspace
        self._places = memory_locations(image)
        self._tables = Tables(workspace)
        self._registers = register_map(workspace.part)
        self._began = 0
        self._ends: int | None = None
        self._is_on = False
        self._polls = 0
        self._longest_s = 0.0
        self._polled_at = 0.0
        shortest_s = min((2 * float(table.half_s) for table in self._tables.chains), default=1.0)
        self._every_s = min(SLOWEST_S, max(FASTEST_S, shortest_s / 4))
        self._watched = [self._watch(table) for table in self._tables.chains]

    def _symbol(self, name: str) -> int:
        address = self.image.symbols.get(name)
        if address is None:
            raise FirmwareError(
                f"The image has no “{name}”.",
                where=self.image.path,
                cure="Give the image that runs on the board, built from firmware of this program.",
            )
        return address[0]

    def _place(self, name: str) -> MemoryLocation:
        location = next((place for place in self._places if place.name == name), None)
        if location is None:
            raise FirmwareError(
                f"The debug information of the image has no “{name}”.",
                where=self.image.path,
                cure="Build it with -g, from firmware of this program.",
            )
        return location

    def _number(self, place: MemoryLocation) -> int:
        return int(place.numbers(self.debugger.read(place.address, place.size))[0])

    def _watch(self, table: ChainTable) -> _Watched:
        chain = table.chain
        tally = None
        if table.by_dma:
            tally = self._registers.find(chain.converter, "passes").address
        return _Watched(
            chain,
            table,
            self._symbol(f"wg_buffer_{table.name}"),
            self._symbol(f"wg_stamps_{table.name}") if table.stamped else None,
            {
                what: self._place(f"chain_states[{table.number}].{what}")
                for what in ("next", "place", "done")
            },
            tally,
        )

    def command(self, line: str) -> None:
        """Obey a command as firmware would."""
        word, _, rest = line.partition(" ")
        match word:
            case "identify":
                self._identify()
            case "start":
                self._start(rest.split())
            case "stop":
                self._stop()
            case "query":
                self._say(
                    FrameType.REPLY,
                    " ".join(["running" if self._is_on else "idle", *self._totals()]),
                )
            case _:
                self._say(
                    FrameType.REPLY, f"error “{word[:20]}” is nothing that a debug server can do"
                )

    def read(self) -> bytes:
        """Poll once, and give the frames that came of it."""
        if self._is_on:
            time.sleep(max(0.0, self._polled_at + self._every_s - time.monotonic()))
            self._poll()
            if self._ends is not None and self._ticks >= self._ends:
                self._stop()
        return super().read()

    def _identify(self) -> None:
        self.debugger.halt()
        raw = self.debugger.read(self._symbol(MARK), MARK_BYTES)
        self.debugger.go()
        mark = raw.split(b"\0")[0].decode("ascii", "replace")
        text = Identity(
            f"{self._workspace.part.name} by {self.name}", mark, self._tables.config.tick_hz
        ).text()
        self._say(FrameType.IDENTITY, text)

    def _start(self, options: list[str]) -> None:
        ticks = next(
            (
                option[6:]
                for option in options
                if option.startswith("ticks=") and option[6:].isdigit()
            ),
            None,
        )
        self._ends = int(ticks) if ticks is not None else None
        client = self.debugger
        client.halt()
        client.write(self._symbol("wg_request"), START.to_bytes(4, "little"))
        client.go()
        time.sleep(SETTLE_S)
        client.halt()
        if client.read_word(self._symbol("wg_request")) != 0:
            raise LinkError(
                "The firmware does not start: its main loop does not run.", cure="Reset the board."
            )
        self._began = int.from_bytes(client.read(self._symbol("wg_began"), 8), "little")
        client.go()
        for watched in self._watched:
            watched.taken = 0
        self._is_on = True
        self._polls = 0
        self._polled_at = time.monotonic()
        self._say(FrameType.LOG, f"started; {POLLED}, so that only samples have exact numbers")

    def _stop(self) -> None:
        if self._is_on:
            self._poll()
            self.debugger.halt()
            self.debugger.write(self._symbol("wg_request"), STOP.to_bytes(4, "little"))
            self.debugger.go()
            self._is_on = False
            self._say(
                FrameType.LOG, f"{self._polls} polls, at most {self._longest_s * 1e3:.1f} ms apart"
            )
        self._say(FrameType.REPLY, " ".join(["stopped", *self._totals()]))

    def _totals(self) -> list[str]:
        return [
            f"ticks={self._ticks}",
            *(f"items.{watched.table.number}={watched.taken}" for watched in self._watched),
        ]

    def _poll(self) -> None:
        client = self.debugger
        client.halt()
        try:
            now = self._now()
            for watched in self._watched:
                self._take(watched, now)
        finally:
            client.go()
        at = time.monotonic()
        self._longest_s = max(self._longest_s, at - self._polled_at)
        self._polled_at = at
        self._polls += 1
        self._ticks = max(self._ticks, now)

    def _now(self) -> int:
        """Ticks since the start."""
        system = self._registers.system
        low = self.debugger.read_word(self._registers.find(system, "ticks-low").address)
        high = self.debugger.read_word(self._registers.find(system, "ticks-high").address)
        return max(0, (low | high << 32) * self._workspace.bus_clock_hz.denominator - self._began)

    def _take(self, watched: _Watched, now: int) -> None:
        """Items that are new since the last poll, as far as the loop still has them."""
        table, client = watched.table, self.debugger
        items = table.loop_items
        if watched.tally is not None:
            new = (client.read_word(watched.tally) - watched.taken) % (1 << 32)
        else:
            new = self._number(watched.state["next"]) - watched.taken
        if not 0 < new < 1 << 31:
            return
        first = watched.taken + max(0, new - items)
        end = watched.taken + new
        width = table.item_bits // 8
        memory = client.read(watched.loop, items * width)
        data = _round(memory, first, end, items, width)
        stamps = None
        if watched.stamps is not None:
            stamps = _round(client.read(watched.stamps, items * 4), first, end, items, 4)
        watched.taken = end
        self._send(watched, first, data, stamps, now)

    def _send(
        self, watched: _Watched, first: int, data: bytes, stamps: bytes | None, now: int
    ) -> None:
        table = watched.table
        slots = len(table.end_ticks)
        count = len(data) * 8 // table.item_bits
        last = first + count - 1
        flags = FLAG_FIRST if first == 0 else 0
        # The newest item may just have come: its cycle began at least so long ago.
        start = (
            now
            - table.end_ticks[last % slots]
            - (last // slots - first // slots) * table.cycle_ticks
        )
        ticks = max(0, start)
        if stamps is not None:
            fixed = self._held(watched, first, stamps)
            ticks = max(0, now - ((now - int.from_bytes(fixed[:4], "little")) % (1 << 32)))
            self._frame(STAMP_STREAM + table.number, 4, fixed, flags, ticks, first)
        if table.swap:
            width = table.item_bits // 8
            data = b"".join(data[at : at + width][::-1] for at in range(0, len(data), width))
        self._frame(table.number, table.item_bits // 8, data, flags, ticks, first)

    def _held(self, watched: _Watched, first: int, stamps: bytes) -> bytes:
        """Ends of conversions as instants at which voltages were held, since the start.

        Halves that the firmware has sent already hold such instants; what it has not sent are ends
        since reset.
        """
        out = bytearray()
        table = watched.table
        slots = len(table.end_ticks)
        sent = self._number(watched.state["next"])
        if watched.tally is None:
            sent -= self._number(watched.state["place"]) - self._number(watched.state["done"])
        for number in range(len(stamps) // 4):
            slot = (first + number) % slots
            value = int.from_bytes(stamps[4 * number : 4 * number + 4], "little")
            less = (
                0
                if first + number < sent
                else self._began + table.end_ticks[slot] - table.held_ticks[slot]
            )
            out += ((value - less) % (1 << 32)).to_bytes(4, "little")
        return bytes(out)

    def _frame(
        self, stream: int, item_bytes: int, payload: bytes, flags: int, ticks: int, first: int
    ) -> None:
        self._out.append(
            encode_frame(
                FrameType.SAMPLES,
                payload,
                stream=stream,
                item_bytes=item_bytes,
                flags=flags,
                sequence=self._sequence,
                ticks=ticks,
                first=first,
            )
        )
        self._sequence += 1


def _round(memory: bytes, first: int, end: int, items: int, width: int) -> bytes:
    """Items by their numbers out of a loop."""
    begin = first % items
    count = end - first
    head = min(count, items - begin)
    return memory[begin * width : (begin + head) * width] + memory[: (count - head) * width]


def open_debugged(
    workspace: Workspace, address: str, elf: Path | None = None, *, looks_only: bool = False
) -> DebuggedPort:
    """A board at ``gdb:HOST:PORT[,ELF]``; ``elf`` is its image where the address has none.

    With ``looks_only`` a program that is none of this program's firmware will do: it can be looked
    at.

    Raises
    ------
    LinkError, FirmwareError
        When nobody answers there, or the image does not fit.
    """
    host, port, named = debugger_place(address)
    path = named or elf
    if path is None:
        raise LinkError(
            "A debug server says nothing of names.",
            cure="Give the image that the board runs: gdb:HOST:PORT,ELF, or --elf ELF.",
        )
    image = load_image(path, looked_at=looks_only)
    client = DebugClient(host, port)
    try:
        if looks_only and MARK not in image.symbols:
            return DebuggedPort(client, image)
        if MAILBOX in image.symbols:
            return MailboxBoard(client, image)
        return PolledBoard(workspace, client, image)
    except WattigramError:
        client.close()
        raise
