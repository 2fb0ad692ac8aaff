"""Processor and registers together: interrupts, sleep, and the time that the program takes."""

from __future__ import annotations

import ctypes
import math
from collections.abc import Callable
from typing import Any, Literal

import msgspec

from wattigram.core.base.errors import FirmwareError
from wattigram.core.contract.image import Image
from wattigram.core.contract.link import LateWrite
from wattigram.core.contract.link.mailbox import SYMBOL as MAILBOX
from wattigram.core.contract.link.mailbox import Mailbox
from wattigram.core.emulator.board_setup import BoardSetup
from wattigram.core.emulator.core_timers import SYSTICK
from wattigram.core.emulator.cpu import PATIENCE, TRIAL_PATIENCE, Cpu, CpuError
from wattigram.core.emulator.main_rounds import MainRounds
from wattigram.core.emulator.main_wait import MainWait
from wattigram.core.emulator.peripherals import Peripherals
from wattigram.core.emulator.pointing import Pointing, pointing_of
from wattigram.core.emulator.serial_link import SYMBOL as LINK_UART
from wattigram.core.emulator.serial_link import SerialLink, link_uart
from wattigram.core.emulator.uarts import UartLine, put_word

GENERATED = "wg_"
"""Files that were written for the design."""
MOST_LATE = 32
EMPTY_LOOKS = 8
"""Before the board runs, where no time passes, a main loop that looks in vain so often waits."""
MOST_CLOCK_READS = 32
"""A program that asks for the time more often before the board runs waits for it to pass."""


class Activity(msgspec.Struct):
    """What firmware did to the silicon while it ran, in the order in which it did it."""

    started: list[tuple[str, int, Pointing]] = msgspec.field(default_factory=list)
    """Converters that were started, when, and where each was pointed then."""
    enabled: list[tuple[str, bool, int]] = msgspec.field(default_factory=list)
    """What was switched on or off, and when."""
    coded: list[tuple[str, int, int]] = msgspec.field(default_factory=list)
    retimed: list[tuple[str, str, int]] = msgspec.field(default_factory=list)
    """Timers with what was written, period, prescaler or compare, and the ticks of that."""
    set_up: int | None = None
    """When a setting by which converters run was changed last."""
    levels: list[tuple[str, int, int]] = msgspec.field(default_factory=list)
    """Ports with the ticks of a change and the levels of the pins that they drive."""

    def __bool__(self) -> bool:
        lists = self.started, self.enabled, self.coded, self.retimed, self.levels
        return any(lists) or self.set_up is not None

    def clear(self) -> None:
        """Forget it."""
        self.started.clear()
        self.enabled.clear()
        self.coded.clear()
        self.retimed.clear()
        self.levels.clear()
        self.set_up = None


MainState = Literal["awake", "looking", "asleep"]
"""Of the main loop: it works, it looks again and again for what is not there, or it sleeps."""


class Machine:
    """Runs an image, and charges the time that its instructions take.

    ``now`` is the instant at which the silicon is, ``free_at`` the one up to which the processor
    has come: it is let run up to the next instant at which something happens to the silicon, and
    comes to it at the end of a block of code, a few clocks later. All are ticks since reset.
    Time is charged while the silicon runs; what sets it up takes none, so that all begins at once.
    """

    def __init__(self, image: Image, setup: BoardSetup) -> None:
        memory = setup.part.memory
        if memory is None:
            raise FirmwareError(
                f"{setup.part.name} has no memory in its part file.", cure="Describe it there."
            )
        self.image = image
        self.setup = setup
        self.now = 0
        self.free_at = 0
        self.busy_ticks = {"isr": 0, "main": 0}
        """How long each kept the processor busy, since the run began."""
        self.activity = Activity()
        self.uarts: dict[str, UartLine] = {}
        self.levels_on_pins: Callable[[str], int] = lambda port: 0
        """Levels on the pins of a port, a bit each, as the silicon has them."""
        self.conversion_ticks: dict[str, float] = {}
        """From the start of the shortest conversion of a converter to its end."""
        self.leave_partials: Callable[[str], None] = lambda owner: None
        """Let what DMA has moved until now lie in memory."""
        self.peripherals = Peripherals(setup.part, self)
        self.cpu = Cpu(image, memory, self.peripherals, self.peripherals.pages)
        self._limit: int | None = None
        """Until when the processor runs before others are asked."""
        self._link: SerialLink | None = None
        if mailbox := image.symbols.get(MAILBOX):
            self.peripherals.mailbox = Mailbox(self.cpu, mailbox[0])
        elif named := image.symbols.get(LINK_UART):
            names = {name for group in setup.part.uarts for name in group.names}
            uart = link_uart(self.cpu, named[0], names)
            if uart:
                self._link = SerialLink(uart, self._offer_byte)
                self.peripherals.mailbox, self.peripherals.carrier = self._link, uart
        self.fault: str | None = None
        self.late: list[LateWrite] = []
        """What own code changed while the board ran, each setting once; ticks since reset."""
        self._clock_divisor = setup.clock_divisor
        processor = setup.part.processor
        self._each_ticks = processor.instruction_cycles * self._clock_divisor
        self._rest_ticks = 0.0
        """Of the last instruction, less than a tick."""
        self._entry_ticks = processor.interrupt_entry_cycles * self._clock_divisor
        self._exit_ticks = processor.interrupt_exit_cycles * self._clock_divisor
        self._main: MainState = "asleep"
        self._pending: dict[str, int] = {}
        """Peripherals whose interrupt waits, in the order in which they came, and since when."""
        self._handler = ""
        self._clock_reads = 0
        self.is_waited_for = False
        """What the program did must come to the silicon before it goes on."""
        self._left: dict[str, tuple[str, ...]] = {}
        """Flags that the last handler of a peripheral did not clear."""
        self._slice_begin: int | None = None
        """Instructions when the processor was let run; None while it stands."""
        self._wait = MainWait(self)
        self._looks = 0
        """In vain, since the main loop woke."""
        self.rounds = MainRounds()
        # Instructions counted when the main loop found a result, and then looked in vain, for the
        # first time since it woke.
        self._found = ""
        """The converter of which the main loop found a result since it woke."""
        self._found_at = 0
        self._done_at: int | None = None
        self._started_at: int | None = None

    def boot(self) -> None:
        """From reset until the main loop sleeps for the first time."""
        try:
            self.cpu.reset()
        except CpuError as fault:
            self._fail(fault)
            return
        self.wake()
        self.run(None)

    def on_command(self, data: bytes) -> None:
        """Bytes come in, and the main loop looks at them."""
        self.run(self.now)
        self._clock_reads = 0
        self.peripherals.inbox.extend(data)
        self.peripherals.exchange()
        self.wake()
        self.run(None)

    def wake(self) -> None:
        """The main loop has something to look at from now on."""
        self._wait.anew()
        self._looks = 0
        if self._main == "awake":
            return
        if self._main == "asleep":
            self.free_at = max(self.free_at, self.now)
        self._main = "awake"
        self._found = ""
        self._done_at = self._started_at = None
        self.rounds.begin(self.cpu.instructions)

    def look_up(self) -> None:
        """What a main loop that looks again and again may look for has changed."""
        if self._main == "looking":
            self.wake()

    def interrupt(self, owner: str) -> bool:
        """The interrupt of a peripheral's line comes, if it is enabled."""
        if self.peripherals.line_enabled(owner) is None or self.fault is not None:
            return False
        self._pending.setdefault(owner, self.now)
        return True

    def alarm(self) -> None:
        """The system's alarm comes."""
        peripherals = self.peripherals
        core, due = peripherals.core.due, peripherals.system_alarm_at
        if core is not None and (due is None or core <= due):
            peripherals.core.came(core)
            if not self.interrupt(SYSTICK):
                self.wake()
            return
        peripherals.system_alarm_at = None
        system = peripherals.registers.system
        peripherals.live[system, "alarm-seen", 0] = 1
        if not self.interrupt(system):
            self.wake()

    def run(self, until: int | None) -> None:
        """Let the processor come to an instant, or until it rests where there is none."""
        self.is_waited_for = False
        cpu = self.cpu
        while self.fault is None:
            is_held_back = False
            if not cpu.in_handler and self._pending:
                owner, since = next(iter(self._pending.items()))
                if cpu.is_masked:  # it comes when the program lets it, and wakes it before
                    self.wake()
                    is_held_back = True
                elif until is not None and max(self.free_at, since) >= until:
                    return
                else:
                    self._enter(owner, since)
            elif not cpu.in_handler and self._main == "asleep":
                return
            if until is not None and self.free_at >= until:
                return
            is_looking = until is not None and self._main == "looking" and not cpu.in_handler
            if until is None or not is_looking or not self._passes_over(until):
                self._slice(until, ends_unmasked=is_held_back)
            if until is not None and self.is_waited_for:
                return
            if until is None and self._main == "looking" and not self._pending:
                return

    # --- for whoever passes over a wait

    @property
    def place(self) -> int:
        """Address of the instruction that the processor is at."""
        return self.cpu.pc

    @property
    def done(self) -> int:
        """Instructions that ran until now."""
        return self.cpu.instructions

    @property
    def clock(self) -> int:
        """Bus clocks since reset at which it is, as it would read them."""
        return self.instant // self._clock_divisor

    @property
    def memory(self) -> ctypes.Array[ctypes.c_char]:
        """Its data memory."""
        return self.cpu.data

    def registers(self) -> tuple[tuple[int, ...], int]:
        """Registers that hold values, and flags with the stack pointer."""
        return self.cpu.values()

    def leap(self, instructions: int) -> None:
        """Let the time of so many instructions pass."""
        ticks = instructions * self._each_ticks + self._rest_ticks
        self.free_at += int(ticks)
        self._rest_ticks = ticks - int(ticks)

    def _passes_over(self, until: int) -> bool:
        """Come to an instant by passing over rounds of a wait, if there are any."""
        wait = self._wait.wait
        if wait is None:
            return False
        left = until - 1 - self.free_at - self._rest_ticks
        return self._wait.passes_over(int(left // (wait.instructions * self._each_ticks)), until)

    def stand(self) -> tuple[Any, ...]:
        """Where the processor stands, to come back to."""
        return self.state(), self._rest_ticks, dict(self.busy_ticks)

    def stand_again(self, stood: tuple[Any, ...]) -> None:
        """Stand where it was."""
        state, self._rest_ticks, self.busy_ticks = stood
        self.fault = None
        self.come_back(state)

    def go_guarded(self, until: int, guard: Callable[[], bool]) -> None:
        """Go on to an instant, and ask before each access to a register."""
        self.ask(guard)
        try:
            self._slice(until)
        finally:
            self.ask(None)
        if self._wait.goes_on and not self.cpu.in_handler:
            self._main = "looking"  # it was stopped where it looks, and does not sleep

    def ask(self, guard: Callable[[], bool] | None) -> None:
        """Ask before each access to a register whether it may be."""
        self.peripherals.guard = guard

    def rest(self) -> None:
        """Stop after the instruction that the processor is at."""
        self.cpu.stop()

    def run_handler(self) -> None:
        """Run what the interrupt that waits calls, and nothing else."""
        if self._pending and self.fault is None:
            self._enter(*next(iter(self._pending.items())))
            while self.cpu.in_handler and self.fault is None:
                self._slice(None)

    def call(self, address: int, argument: int) -> int | None:
        """Run a function to its end, as if the main loop called it; gives its instructions, None where it does
        what no processor can, or waits for what comes only where time passes."""
        before = self.cpu.instructions
        self.cpu.patience = TRIAL_PATIENCE
        self._handler = ""
        try:
            self.cpu.enter(address)
            self.cpu.set_register(0, argument)
        except CpuError as fault:
            self._fail(fault)
        while self.cpu.in_handler and self.fault is None:
            self._slice(None)
        self.cpu.patience = PATIENCE
        self.cpu.gets_on()
        if self.fault is None:
            return self.cpu.instructions - before
        self.fault = None
        while self.cpu.in_handler:
            self.cpu.abandon()
        return None

    def _enter(self, owner: str, since: int) -> None:
        del self._pending[owner]
        line = self.peripherals.line_enabled(owner)
        if line is None:
            return
        self.free_at = max(self.free_at, since)
        if self.peripherals.running:
            self.free_at += self._entry_ticks
            self.busy_ticks["isr"] += self._entry_ticks
        self._handler = owner
        self.peripherals.cleared.clear()
        try:
            self.cpu.enter(self.cpu.vector(line) & ~1)
        except CpuError as fault:
            self._fail(fault)

    def _slice(
        self, until: int | None, most: int | None = None, *, ends_unmasked: bool = False
    ) -> None:
        """Let the processor run, in the handler or in the main loop."""
        cpu = self.cpu
        self._limit = until
        if until is not None:
            left = math.ceil((until - self.free_at) / self._each_ticks)
            most = left if most is None else min(most, left)
        was_looking = self._main == "looking" and not cpu.in_handler
        if not cpu.in_handler:
            self._main = "awake"
        self._slice_begin = cpu.instructions
        try:
            cpu.run(most, ends_unmasked=ends_unmasked)
        except CpuError as fault:
            self._fail(fault)
        finally:
            done_ticks = self._taken_ticks
            self._slice_begin = None
            self.free_at += int(done_ticks)
            looks_on = was_looking and self._wait.goes_on
            if looks_on and cpu.is_cut:
                self._main = "looking"
            elif not looks_on:
                self.busy_ticks["isr" if cpu.in_handler else "main"] += int(done_ticks)
            self._rest_ticks = done_ticks - int(done_ticks)
        if cpu.leave():
            self._left_handler()
        elif not cpu.is_cut and not cpu.in_handler and self._main == "awake":
            self._main = "asleep"
            cpu.gets_on()
            self.peripherals.exchange()

    def _left_handler(self) -> None:
        """A flag that is still set raises the interrupt again at once; a handler that never clears it
        would be called for ever."""
        if self.peripherals.running:
            self.free_at += self._exit_ticks
            self.busy_ticks["isr"] += self._exit_ticks
        owner = self._handler
        flags = self.peripherals.flags_left(owner)
        kept = tuple(flag for flag in flags if flag not in self.peripherals.cleared)
        if kept and kept == self._left.get(owner):
            line = self.peripherals.line_enabled(owner)
            entry = self.cpu.vector(line) & ~1 if line is not None else self.cpu.pc
            self.fault = (
                f"the interrupt of {owner} would come again and again, for its ISR leaves "
                f"{' and '.join(kept)} set: {self.image.place(entry)}"
            )
        self._left[owner] = kept
        if flags and self.peripherals.line_enabled(owner) is not None:
            self._pending.setdefault(owner, self.free_at)
        self.wake()

    def _fail(self, fault: CpuError) -> None:
        self.fault = f"{fault.text}: {self.image.place(fault.address)}"

    def state(self) -> tuple[Any, ...]:
        """Where the processor stands, to come back to."""
        return (
            self.cpu.snapshot(),
            self.now,
            self.free_at,
            self._main,
            dict(self._pending),
            dict(self._left),
        )

    def come_back(self, state: tuple[Any, ...]) -> None:
        """Stand where it was."""
        while self.cpu.in_handler:
            self.cpu.abandon()
        self.cpu.restore(state[0])
        self.now, self.free_at, self._main, self._pending, self._left = state[1:]
        self._wait.anew()

    # What registers ask for.

    @property
    def in_main(self) -> bool:
        """The main loop runs, and no handler."""
        return not self.cpu.in_handler

    @property
    def ticks(self) -> int:
        """Bus clocks since reset at which the processor is."""
        self._wait.has_read_clock = True
        if not self.peripherals.running:
            self._clock_reads += 1
            if self._clock_reads > MOST_CLOCK_READS:
                self.free_at += self._clock_divisor
        return self.instant // self._clock_divisor

    @property
    def instant(self) -> int:
        """Ticks since reset at which what the program does now takes place."""
        return self.free_at + int(self._taken_ticks)

    @property
    def _taken_ticks(self) -> float:
        """Of what the processor did since it was let run."""
        if self._slice_begin is None or not self.peripherals.running:
            return 0.0
        done = self.cpu.instructions - self._slice_begin
        return done * self._each_ticks + self._rest_ticks

    def read_memory(self, address: int, count: int) -> bytes:
        """Bytes of memory that are sent."""
        self.cpu.gets_on()
        return self.cpu.read(address, count)

    def on_alarm(self, due: int) -> None:
        """The program sets the system's alarm, in bus clocks since reset."""
        self.is_waited_for = True
        left = due * self._clock_divisor - self.instant
        self.cpu.cut_after(math.ceil(left / self._each_ticks))

    def on_place(self, owner: str) -> None:
        """The program asks how far a DMA channel is."""
        self._wait.sees_change = True
        self.leave_partials(owner)

    def on_stir(self) -> None:
        """The main loop found something to do, or did something."""
        self._wait.anew(has_found=True)
        self._looks = 0

    def on_change_seen(self) -> None:
        """The program reads what may change by itself."""
        self._wait.sees_change = True

    def on_look(self, what: str) -> None:
        """The main loop looks in vain: it may wait, until something happens to the silicon."""
        cpu = self.cpu
        cpu.gets_on()
        if what == self._found and self._done_at is None:  # it has done what there was to do
            self._done_at = cpu.instructions
        self.rounds.look(what, cpu.instructions)
        self._looks += 1
        is_set_up = self._limit is None and self._wait.wait is None
        if self._looks >= EMPTY_LOOKS if is_set_up else self._wait.looks_in_vain():
            self._looks = 0
            self._main = "looking"
            self.peripherals.exchange()
            cpu.stop()

    def on_result(self, owner: str) -> None:
        """The main loop has a result of a converter before it."""
        self.cpu.gets_on()
        if not self._found:
            self._found = owner
            self._found_at = self.cpu.instructions

    @property
    def handled(self) -> int | None:
        """Instructions from where the main loop found a result, since it woke, until it looked in
        vain again."""
        return None if self._done_at is None else self._done_at - self._found_at

    @property
    def until_start(self) -> int | None:
        """Instructions from there until it started a conversion."""
        if not self._found or self._started_at is None:
            return None
        return self._started_at - self._found_at

    def on_start(self, owner: str) -> None:
        """Firmware started a conversion; the silicon comes before what the program does once it is
        over."""
        self._started_at = self.cpu.instructions
        pointing = pointing_of(self.peripherals.state, owner)
        self.activity.started.append((owner, self.instant, pointing))
        self.is_waited_for = True
        self.cpu.cut_after(int(self.conversion_ticks.get(owner, 0) / self._each_ticks))

    def on_enable(self, owner: str, on: bool) -> None:
        """Firmware switched a peripheral."""
        self.activity.enabled.append((owner, on, self.instant))
        self.is_waited_for = True
        self.cpu.cut_after(0)

    def on_set_up(self) -> None:
        """Firmware changed a setting by which converters run."""
        self.activity.set_up = self.instant
        self.is_waited_for = True
        self.cpu.cut_after(0)

    def on_dac_code(self, owner: str, code: int) -> None:
        """Firmware gave a DAC a code."""
        self.activity.coded.append((owner, self.instant, code))

    def on_late_write(self, owner: str, setting: str, before: int, after: int) -> None:
        """A setting is changed for the first time since the board runs."""
        place = self.image.source_at(self.cpu.pc)
        if place.startswith(GENERATED):
            # What was generated does as it was designed; own code may change the same later.
            self.peripherals.changed.discard((owner, setting))
        elif len(self.late) < MOST_LATE:
            self.late.append(LateWrite(owner, setting, self.instant, before, after, place))

    def _waits_for_room(self, line: UartLine, byte_ticks: float) -> bool:
        """Whether the UART that carries the link takes another byte. A main loop that asks in vain asks until
        it does: the time until then is passed over, but for what comes in it."""
        if not self.peripherals.running:
            return True  # before a run no time passes
        now = self.instant
        if line.has_room(now, byte_ticks):
            return True
        if self.in_main:
            wait = math.ceil(line.room_at(byte_ticks) - now)
            if self._limit is not None:
                wait = max(0, min(wait, self._limit - now))
            self.free_at += wait
            self.busy_ticks["main"] = self.busy_ticks.get("main", 0) + wait
            self._wait.anew()
            self.cpu.cut_after(0)
        return line.has_room(self.instant, byte_ticks)

    def on_retimed(self, owner: str, setting: str) -> None:
        """Firmware changed period, prescaler or duty of a timer."""
        self.activity.retimed.append((owner, setting, self.instant))

    def on_levels(self, owner: str, levels: int, outputs: int) -> None:
        """Firmware set pins of a port."""
        self.activity.levels.append((owner, self.instant, levels & outputs))

    def is_pending(self, owner: str) -> bool:
        """Whether an interrupt waits."""
        return owner in self._pending

    def pin_levels(self, owner: str) -> int:
        """Levels on the pins of a port as they are."""
        return self.levels_on_pins(owner)

    def byte_ticks(self, uart: str) -> float:
        """Time of a byte as the UART is set up: start, data, parity and stop bits."""
        state = self.peripherals.state
        part = self.setup.part.uart(uart)
        if part is None:
            return 1.0
        bits = (
            1
            + self._word_bits(uart)
            + (state.text(uart, "parity", "none") != "none")
            + state.number(uart, "stop-bits", 1)
        )
        clocks = state.number(uart, "divider", 1) * part.oversampling * bits
        return float(clocks * self.setup.clock_divisor)

    def _offer_byte(self, byte: int) -> bool:
        """A byte comes over the UART that carries the link, if the one before was taken."""
        assert self._link is not None
        uart, live = self._link.uart, self.peripherals.live
        if live.get((uart, "arrived", 0)):
            return False
        if put_word(self.peripherals, uart, byte, 0):
            self.interrupt(uart)
        return True

    def on_byte(self, owner: str, byte: int) -> None:
        """Firmware gave a UART a byte."""
        if self._link is not None and owner == self._link.uart:
            self._link.put(byte)
            if not self.peripherals.running:
                return
        if owner in self.uarts:
            word = byte & (1 << self._word_bits(owner)) - 1
            self.uarts[owner].put(self.instant, word, self.byte_ticks(owner))

    def _word_bits(self, uart: str) -> int:
        return self.peripherals.state.number(uart, "data-bits", 8)

    def has_room(self, owner: str) -> bool:
        """Whether a UART takes another byte."""
        if self._link is not None and owner == self._link.uart and owner in self.uarts:
            return self._waits_for_room(self.uarts[owner], self.byte_ticks(owner))
        return owner in self.uarts and self.uarts[owner].has_room(
            self.instant, self.byte_ticks(owner)
        )
