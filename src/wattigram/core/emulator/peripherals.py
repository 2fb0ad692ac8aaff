"""Registers of the made-up part as firmware meets them: what it set stays, flags come and go."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable
from functools import partial
from typing import Protocol

import msgspec

from wattigram.core.contract.link.mailbox import Mailbox
from wattigram.core.emulator.core_timers import SYSTICK, SYSTICK_LINE, TRACE_PAGE, CoreTimers
from wattigram.core.emulator.cpu import PAGE
from wattigram.core.emulator.serial_link import SerialLink
from wattigram.core.model.part import Part
from wattigram.core.silicon.registers import RegisterAt, SiliconState, register_map
from wattigram.core.silicon.registers.equivalents import waits_for_software

SYSTEM_CONTROL_PAGE = 0xE000E000
"""The core's own registers (Armv7-M, B3.2): the interrupt controller and the system control
block."""
CALIBRATION_READS = 3
"""So often firmware finds a calibration still going on."""
MOST_OUTBOX_BYTES = 64 << 20
ShownField = tuple[int, int, Callable[[], int]]
_TOLD_BY = {
    "half-seen": "half",
    "full-seen": "full",
    "window-seen": "window-tells",
    "seen": "tells",
    "rose": "tells-rising",
    "fell": "tells-falling",
    "done": "tells-result",
    "scan-done": "tells-scan",
    "alarm-seen": "",
    "arrived": "tells",
}
"""Flags that raise an interrupt as long as they are set, and the setting that lets them; none for
those always let."""
_RESULT_FLAGS = frozenset({"done", "scan-done"})
MOST_WRITTEN = 4096
TIMING = ("period", "compare")
"""Settings of a timer that a program may change while its pulses go on."""


FOLLOWED = frozenset({"converter", "timer", "dma", "comparator"})
"""Kinds of peripherals by which converters run, or that look at pins themselves."""


class PeripheralListener(Protocol):
    """What is around the registers: the processor's memory, the time, and the silicon that runs."""

    @property
    def ticks(self) -> int:
        """Bus clocks since reset."""

    @property
    def in_main(self) -> bool:
        """The main loop runs, and no handler."""

    def read_memory(self, address: int, count: int) -> bytes:
        """Bytes of memory."""

    def on_result(self, owner: str) -> None:
        """The main loop finds a result of a converter."""

    def on_look(self, what: str) -> None:
        """The main loop looks for ``what``, and it is not there."""

    def on_change_seen(self) -> None:
        """The program reads what may change by itself between one event and the next."""

    def on_stir(self) -> None:
        """The main loop found something to do, or did something."""

    def on_set_up(self) -> None:
        """Firmware changed a setting by which converters run."""

    def on_place(self, owner: str) -> None:
        """Firmware asks how far a DMA channel is."""

    def on_alarm(self, due: int) -> None:
        """Firmware set the system's alarm, in bus clocks since reset."""

    def on_start(self, owner: str) -> None:
        """Firmware started a conversion."""

    def on_enable(self, owner: str, on: bool) -> None:
        """Firmware switched a peripheral on or off."""

    def on_dac_code(self, owner: str, code: int) -> None:
        """Firmware gave a DAC a code."""

    def on_late_write(self, owner: str, setting: str, before: int, after: int) -> None:
        """A setting is changed for the first time since the board runs."""

    def on_retimed(self, owner: str, setting: str) -> None:
        """Firmware changed period, prescaler or duty of a timer."""

    def on_levels(self, owner: str, levels: int, outputs: int) -> None:
        """Firmware set pins of a port: levels of all its pins, and which of them it drives."""

    def is_pending(self, owner: str) -> bool:
        """Whether an interrupt waits."""

    def pin_levels(self, owner: str) -> int:
        """Levels on the pins of a port as they are, a bit each."""

    def on_byte(self, owner: str, byte: int) -> None:
        """Firmware gave a UART a byte."""

    def has_room(self, owner: str) -> bool:
        """Whether a UART takes another byte."""


class ConverterLive(msgspec.Struct):
    """What a converter shows: results with the instants at which they were ready."""

    results: list[int] = msgspec.field(default_factory=list)
    newest: int = 0
    held_high: int = 0
    """Upper byte of the result whose lower one was read."""
    ready: int = 0
    done: bool = False
    scan_done: bool = False
    is_scan_news: bool = False
    tally: int = 0
    fifo: deque[tuple[int, int]] = msgspec.field(default_factory=deque)
    calibrating: int = 0
    by_parts: bool = False
    """Results come several at once, and those that are there are to be put in their places before
    somebody looks."""


class Peripherals:
    """All registers; the processor's bus."""

    def __init__(self, part: Part, listener: PeripheralListener) -> None:
        self.registers = register_map(part)
        self._listener = listener
        self.state = SiliconState.after_reset(self.registers)
        self.converters = {converter.name: ConverterLive() for converter in part.converters}
        self.live: dict[tuple[str, str, int], int] = {}
        self.inbox: deque[int] = deque()
        self.outbox: list[bytes] = []
        self.outbox_bytes = 0
        self.system_alarm_at: int | None = None
        self.core = CoreTimers(self)
        self.mailbox: Mailbox | SerialLink | None = None
        self.carrier = ""
        """The UART that carries the link, where one does."""
        """Where the image has one, bytes go through it."""
        self.is_probed_elsewhere: Callable[[], bool] = lambda: False
        """Whether another probe reads it, and it is not to be touched."""
        self.running = False
        self._send_from = 0
        self._held_high = 0
        self.guard: Callable[[], bool] | None = None
        """Asked before each access to a register whether it may be; nothing happens where it may not."""
        self.cleared: set[str] = set()
        """Flags that firmware cleared: register and field."""
        self.notes: list[str] = []
        self.changed: set[tuple[str, str]] = set()
        """Settings that were changed since the board runs: owner and name."""
        self.written: list[tuple[int, int, int]] = []
        """Writes of the set-up: address, bits, value."""
        self._kinds = {
            owner: block.kind
            for block in part.blocks
            for owner in block.owners
            if block.kind in FOLLOWED
        }
        self._pointed = {
            (converter.name, what)
            for converter in part.converters
            if converter.sequence == "software"
            for what in ("channel", "sampling")
        }
        """What software sets from slot to slot."""
        self._known: dict[int, tuple[RegisterAt, tuple[ShownField, ...]]] = {}
        """Registers that were read before, by the address that was read."""
        self._flags: dict[str, list[tuple[str, int, str]]] = {}
        for register in self.registers.registers:
            for one in register.register.fields:
                takes = {"clear"} if one.sets in _RESULT_FLAGS else {"clear", "read"}
                if one.sets in _TOLD_BY and one.access in takes:
                    self._flags.setdefault(register.owner, []).append(
                        (one.sets, register.index, f"{register.name}.{one.name}")
                    )

    def flags_left(self, owner: str) -> tuple[str, ...]:
        """Flags of a peripheral that are set and raise its interrupt: register and field."""
        return tuple(
            name
            for sets, index, name in self._flags.get(owner, ())
            if self._is_set(owner, sets, index) and self.is_told(owner, sets, index)
        )

    def _is_set(self, owner: str, flag: str, index: int) -> bool:
        if flag in _RESULT_FLAGS:
            live = self.converters[owner]
            return live.scan_done if flag == "scan-done" else live.done
        return bool(self.live.get((owner, flag, index)))

    def is_told(self, owner: str, flag: str, index: int = 0) -> bool:
        """Whether a flag raises the interrupt of its peripheral."""
        by = _TOLD_BY[flag]
        return not by or self.state.flag(owner, by, flag not in _RESULT_FLAGS, index)

    @property
    def pages(self) -> frozenset[int]:
        """Pages of memory that have registers."""
        numbers = {SYSTEM_CONTROL_PAGE, TRACE_PAGE}
        for register in self.registers.registers:
            numbers.add(register.address // PAGE * PAGE)
        return frozenset(numbers)

    def begin(self) -> None:
        """Nothing is set up but the system's own interrupt, and a UART that carries the link: the port needs
        them all the time."""
        before, carrier = self.state, self.carrier
        kept = {line for line in before.lines if self._is_system(line)}
        self.state = SiliconState.after_reset(self.registers)
        self.state.lines |= kept
        if carrier:
            self._keep_carrier(before, carrier)
        for name in self.converters:
            self.converters[name] = ConverterLive()
        self.live.clear()
        self.system_alarm_at = None
        self.running = False
        self.notes.clear()
        self.changed.clear()
        self.written.clear()

    def _carries(self, address: int) -> bool:
        """A register of the UART that carries the link, which is the port's own."""
        register = self.registers.at(address) if self.carrier else None
        return register is not None and register.owner == self.carrier

    def _keep_carrier(self, before: SiliconState, carrier: str) -> None:
        state = self.state
        for register in self.registers.registers:
            if register.owner == carrier:
                state.shadow.write(register, before.shadow.value(register))
        state.first |= {key: at for key, at in before.first.items() if key[0] == carrier}
        line = self.registers.line(carrier)
        if line in before.lines and line is not None:
            state.lines.add(line)

    def _is_system(self, line: int) -> bool:
        owner = self.registers.owner_of_line(line)
        return any(
            block.kind == "system" and owner in block.owners for block in self.registers.part.blocks
        )

    def switch_off(self, owner: str) -> None:
        """The hardware itself clears a converter's enable bit."""
        if self.registers.has(owner, "on"):
            self._put_field(owner, "on", 0)

    @property
    def alarm_at(self) -> int | None:
        """Clock of the next alarm, of the system's or of the core's own; None for none."""
        dues = [one for one in (self.system_alarm_at, self.core.due) if one is not None]
        return min(dues, default=None)

    @property
    def ticks(self) -> int:
        """Clocks of the core since reset."""
        return self._listener.ticks

    def is_pending(self, owner: str) -> bool:
        """Whether an interrupt waits."""
        return self._listener.is_pending(owner)

    def on_alarm(self, due: int) -> None:
        """One of the core's own comes at that clock."""
        self._listener.on_alarm(due)

    def exchange(self) -> bool:
        """Take and give what lies in the mailbox; whether firmware had something to say."""
        if self.mailbox is None or self.is_probed_elsewhere():
            return False
        pieces = list(self.mailbox.exchange(self.inbox))
        for data in pieces:
            self._keep(data)
        return bool(pieces)

    def _keep(self, data: bytes) -> None:
        self.outbox_bytes += len(data)
        if self.outbox_bytes < MOST_OUTBOX_BYTES:
            self.outbox.append(data)

    def take_outbox(self) -> list[bytes]:
        """What firmware has sent since the last call."""
        self.exchange()
        messages, self.outbox = self.outbox, []
        self.outbox_bytes = 0
        return messages

    def line_enabled(self, owner: str) -> int | None:
        """Interrupt line of a peripheral, where it is enabled."""
        if owner == SYSTICK:
            return SYSTICK_LINE if self.core.tells else None
        line = self.registers.line(owner)
        return line if line is not None and line in self.state.lines else None

    def read(self, address: int, size: int) -> int:
        """Value of a register as firmware reads it."""
        if self.guard is not None and not self.guard():
            return 0
        known = self._known.get(address)
        if known is None:
            register = self.registers.at(address)
            if register is None:
                if self.core.has(address):
                    if self._listener.in_main:
                        self.exchange()
                    if self.core.counts(address):
                        self._listener.on_change_seen()
                    return self.core.read(address)
                if address < TRACE_PAGE:
                    self._note(f"A read of {address:#010x}, where there is no register.")
                return 0
            known = self._known[address] = (register, self._fields_of(register))
        register, shown = known
        value = self.state.shadow.value(register)
        for mask, low, now in shown:
            value = value & ~mask | now() << low & mask
        return value >> 8 * (address - register.address) & ((1 << 8 * size) - 1)

    def _fields_of(self, register: RegisterAt) -> tuple[ShownField, ...]:
        """Fields that show what the silicon does, and not what was written: mask, place, and who
        knows what they show."""
        return tuple(
            (field.mask, field.low, self._live(register, field.sets))
            for field in register.register.fields
            if field.access not in {"read-write", "write"} or field.sets == "place"
        )

    def peek(self, address: int) -> int:
        """One byte of a register as it is; nothing is taken by it."""
        register = self.registers.at(address)
        if register is None:
            word = address & ~3
            return self.core.peek(word) >> 8 * (address - word) & 0xFF
        value = self.state.shadow.value(register)
        live = self.converters.get(register.owner)
        for bit_field in register.register.fields:
            now = self.live.get((register.owner, bit_field.sets, register.index))
            shown = {
                "newest": "newest",
                "passes": "tally",
                "result-ticks": "ready",
                "result-low": "newest",
                "result-high": "held_high",
            }.get(bit_field.sets)
            if live is not None and shown is not None:
                now = getattr(live, shown)
            elif live is not None and bit_field.sets == "result":
                now = (
                    live.results[register.index]
                    if register.index < len(live.results)
                    else live.newest
                )
            elif bit_field.sets in {"ticks-low", "ticks-high"}:
                now = self._listener.ticks >> (32 if bit_field.sets == "ticks-high" else 0)
            if now is not None:
                value = value & ~bit_field.mask | now << bit_field.low & bit_field.mask
        return value >> 8 * (address - register.address) & 0xFF

    def write(self, address: int, size: int, value: int) -> None:
        """Firmware writes a register."""
        if self.guard is not None and not self.guard():
            return
        register = self.registers.at(address)
        if self._listener.in_main:
            self._listener.on_stir()  # whoever writes does more than to look
        if register is None and self.core.has(address):
            self.core.write(address, value)
            return
        if register is not None and register.block.kind == "system":
            self._write_system(register, value)
            return
        if not self.running and len(self.written) < MOST_WRITTEN and not self._carries(address):
            self.written.append((address, 8 * size, value))
        before = self.state.shadow.value(register) if register is not None else 0
        self.state.write(address, 8 * size, value)
        if register is None:
            if address < TRACE_PAGE or address >= SYSTEM_CONTROL_PAGE + PAGE:
                self._note(f"A write of {value:#x} to {address:#010x}, where there is no register.")
            return
        shifted = value << 8 * (address - register.address)
        if register.block.kind == "port":
            self._write_port(register, shifted, before)
            return
        for bit_field in register.register.fields:
            code = (shifted & bit_field.mask) >> bit_field.low
            match bit_field.access:
                case "clear":
                    if code:
                        self._clear(register.owner, bit_field.sets, register.index)
                        self.cleared.add(f"{register.name}.{bit_field.name}")
                case "start":
                    if code:
                        self._command(register.owner, bit_field.sets)
                case "write" if bit_field.sets == "sent":
                    self._listener.on_byte(register.owner, code)
                case "read-write":
                    self._changed(
                        register.owner,
                        bit_field.sets,
                        code,
                        (before & bit_field.mask) >> bit_field.low,
                    )
                case _:
                    pass

    def _clear(self, owner: str, flag: str, index: int) -> None:
        live = self.converters.get(owner)
        if live is not None and flag in _RESULT_FLAGS:
            live.done = live.done and flag != "done"
            live.scan_done = live.scan_done and flag != "scan-done"
        self.live[owner, flag, index] = 0

    def _write_port(self, register: RegisterAt, value: int, before: int) -> None:
        """Levels change by what was written, whichever register it was."""
        owner, state = register.owner, self.state
        for bit_field in register.register.fields:
            code = (value & bit_field.mask) >> bit_field.low
            if bit_field.sets in {"set", "clear", "toggle"}:
                old = state.number(owner, "output", 0)
                levels = {"set": old | code, "clear": old & ~code, "toggle": old ^ code}
                self._put_field(owner, "output", levels[bit_field.sets])
                self._changed(owner, "output", levels[bit_field.sets], old)
            elif bit_field.access == "read-write":
                self._changed(
                    owner, bit_field.sets, code, (before & bit_field.mask) >> bit_field.low
                )
        self._listener.on_levels(
            owner, state.number(owner, "output", 0), state.number(owner, "outputs", 0)
        )

    def _put_field(self, owner: str, name: str, code: int) -> None:
        """What stands in a field is changed by the silicon itself."""
        place = self.registers.find(owner, name)
        register = self.registers.at(place.address)
        assert register is not None
        whole = self.state.shadow.value(register) & ~place.field.mask
        self.state.shadow.write(register, whole | code << place.field.low & place.field.mask)

    def _write_system(self, register: RegisterAt, value: int) -> None:
        for bit_field in register.register.fields:
            code = (value & bit_field.mask) >> bit_field.low
            match bit_field.sets:
                case "send-from":
                    self._send_from = code
                case "send-count":
                    data = self._listener.read_memory(self._send_from, code)
                    self._keep(data)
                case "alarm":
                    self.system_alarm_at = self._listener.ticks + code if code else None
                    if self.system_alarm_at is not None:
                        self._listener.on_alarm(self.system_alarm_at)
                case "alarm-seen" if code:
                    self.live[register.owner, "alarm-seen", 0] = 0
                case _:
                    pass

    def _command(self, owner: str, what: str) -> None:
        converter = self.converters.get(owner)
        if converter is not None and what == "calibrate":
            converter.calibrating = CALIBRATION_READS
        elif what == "start":
            if converter is not None:
                converter.done = False
            if self.running:
                self._listener.on_start(owner)
        elif what == "load" and self.running:
            for setting in TIMING:
                self._listener.on_retimed(owner, setting)

    def _changed(self, owner: str, what: str, code: int, before: int) -> None:
        if self.running and code != before and (owner, what) not in self.changed:
            self.changed.add((owner, what))
            self._listener.on_late_write(owner, what, before, code)
        if self.running and code != before and self._is_set_up(owner, what):
            self._listener.on_set_up()
        if self.running and what in {"on", "run"} and code != before:
            self._listener.on_enable(owner, bool(code))
        elif what == "data":
            self._listener.on_dac_code(owner, code)
        elif self.running and what in TIMING:
            if not waits_for_software(self.state, owner):
                self._listener.on_retimed(owner, what)
        elif self.running and what == "prescaler" and code != before:
            self._listener.on_retimed(owner, what)

    def _is_set_up(self, owner: str, what: str) -> bool:
        """A setting by which converters run; where software points one, it does so again and again."""
        if self._kinds.get(owner) not in FOLLOWED or (owner, what) in self._pointed:
            return False
        return what != "on" or self._kinds[owner] in {"dma", "comparator"}

    def _live(self, register: RegisterAt, what: str) -> Callable[[], int]:
        """Who knows what a field shows."""
        owner = register.owner
        match register.block.kind:
            case "system":
                return self._live_system(what)
            case "converter":
                return partial(self._live_converter, register, what)
            case "uart" if what == "room":
                return lambda: int(self._listener.has_room(owner))
            case "uart" if what == "arrived":
                return partial(self._has_word, owner)
            case "uart" if what == "received":
                return partial(self._take_word, owner)
            case "dma" if what == "place":
                return partial(self._place, register)
            case "dma" if what == "left":
                return partial(self._left, owner)
            case "port" if what == "input":
                return partial(self._levels, owner)
            case _:
                return partial(self._flag, (owner, what, register.index))

    def _levels(self, port: str) -> int:
        self._listener.on_change_seen()
        return self._listener.pin_levels(port)

    def _place(self, register: RegisterAt) -> int:
        self._listener.on_place(register.owner)
        place = next(one for one in register.register.fields if one.sets == "place")
        return (self.state.shadow.value(register) & place.mask) >> place.low

    def _left(self, owner: str) -> int:
        """Samples that are left of a run; all before it begins."""
        self._listener.on_place(owner)
        left = self.live.get((owner, "left", 0))
        return self.state.number(owner, "count", 0) if left is None else left

    def _flag(self, key: tuple[str, str, int]) -> int:
        return self.live.get(key, 0)

    def _live_system(self, what: str) -> Callable[[], int]:
        match what:
            case "ticks-low":
                return self._ticks_low
            case "ticks-high":
                return lambda: self._held_high & 0xFFFFFFFF
            case "waiting":
                return self._waiting_bytes
            case "received":
                return lambda: self.inbox.popleft() if self.inbox else 0
            case _:
                return partial(self._flag, (self.registers.system, what, 0))

    def _ticks_low(self) -> int:
        """The lower half; the upper one is held until it is read."""
        ticks = self._listener.ticks
        self._held_high = ticks >> 32
        return ticks & 0xFFFFFFFF

    def _waiting_bytes(self) -> int:
        if not self.inbox and self._listener.in_main:
            self._listener.on_look("command")
        return min(len(self.inbox), 0xFFFF)

    def _live_converter(self, register: RegisterAt, what: str) -> int:
        live = self.converters[register.owner]
        if live.by_parts and self.running:
            self._listener.on_place(register.owner)
        match what:
            case "done":
                return int(self._is_done(live, register.owner))
            case "scan-done":
                return int(self._is_scan_done(live))
            case "result":
                self._read_one(register.owner, live)
                if register.register.count > 1:
                    return live.results[register.index] if register.index < len(live.results) else 0
                return live.newest
            case "result-low":
                self._read_one(register.owner, live)
                live.held_high = live.newest >> 8 & 0xFF
                return live.newest & 0xFF
            case "result-high":
                return live.held_high
            case "newest":
                self._read_one(register.owner, live)
                if live.fifo:
                    live.newest, live.ready = live.fifo.popleft()
                return live.newest
            case "result-ticks":
                return (live.fifo[0][1] if live.fifo else live.ready) & 0xFFFFFFFF
            case "queued":
                return len(live.fifo)
            case "passes":
                return live.tally & 0xFFFFFFFF
            case "calibrate":
                live.calibrating = max(0, live.calibrating - 1)
                return int(live.calibrating > 0)
            case _:
                return self.live.get((register.owner, what, register.index), 0)

    def _read_one(self, owner: str, live: ConverterLive) -> None:
        """A result is read: that takes its flag, where no write does."""
        if not any(sets == "done" for sets, _index, _name in self._flags.get(owner, ())):
            live.done = False

    def _is_scan_done(self, live: ConverterLive) -> bool:
        """Whether a scan has ended. Who waits for single results may never clear that flag: it is news
        to the main loop once."""
        if live.scan_done and live.is_scan_news and self._listener.in_main:
            live.is_scan_news = False
            self._listener.on_stir()
        return live.scan_done

    def _is_done(self, live: ConverterLive, owner: str) -> bool:
        """Whether a result is there, as the main loop or a handler finds it."""
        is_done = live.done or bool(live.fifo)
        if not self._listener.in_main:
            return is_done
        if is_done:
            self._listener.on_stir()
            self._listener.on_result(owner)
        else:
            self._listener.on_look(owner)
        return is_done

    def _has_word(self, uart: str) -> int:
        """Whether a word waits, as the main loop or a handler finds it."""
        has = self.live.get((uart, "arrived", 0), 0)
        if self._listener.in_main:
            if has:
                self._listener.on_stir()
            else:
                self._listener.on_look(uart)
        return has

    def _take_word(self, uart: str) -> int:
        self.live[uart, "arrived", 0] = 0
        self.cleared |= {name for flag, _index, name in self._flags[uart] if flag == "arrived"}
        return self.live.get((uart, "received", 0), 0)

    def _note(self, text: str) -> None:
        if len(self.notes) < 20 and text not in self.notes:
            self.notes.append(text)
