"""Processor and registers together: interrupts, sleep, and the time at which firmware finds
itself."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from wattigram.core.base.errors import FirmwareError
from wattigram.core.contract.image import Image
from wattigram.core.contract.link import LateWrite
from wattigram.core.emulator.board_setup import BoardSetup
from wattigram.core.emulator.cpu import Cpu, CpuError
from wattigram.core.emulator.peripherals import Peripherals

GENERATED = "wg_"
"""Files that were written for the design."""
MOST_LATE = 32


class Activity(msgspec.Struct):
    """What firmware did to the silicon while it ran, in the order in which it did it."""

    started: list[str] = msgspec.field(default_factory=list)
    enabled: list[tuple[str, bool]] = msgspec.field(default_factory=list)
    coded: list[tuple[str, int, int]] = msgspec.field(default_factory=list)
    retimed: list[tuple[str, str, int]] = msgspec.field(default_factory=list)
    """Timers with what was written, period, prescaler or compare, and the ticks of that."""
    levels: list[tuple[str, int, int]] = msgspec.field(default_factory=list)
    """Ports with the ticks of a change and the levels of the pins that they drive."""

    def __bool__(self) -> bool:
        return bool(self.started or self.enabled or self.coded or self.retimed or self.levels)

    def clear(self) -> None:
        """Forget it."""
        self.started.clear()
        self.enabled.clear()
        self.coded.clear()
        self.retimed.clear()
        self.levels.clear()


class UartLine:
    """Bytes that firmware gives to a UART, as they leave it one after the other."""

    def __init__(self) -> None:
        self._free = 0.0
        self.bytes: list[tuple[int, int]] = []

    def has_room(self, now: int, byte_ticks: float) -> bool:
        """One byte leaves, and one more can wait."""
        return self._free - now <= byte_ticks

    def put(self, now: int, byte: int, byte_ticks: float) -> None:
        """A byte that leaves as soon as it can; one too many takes the place of the one that
        waits."""
        if not self.has_room(now, byte_ticks) and self.bytes:
            self.bytes[-1] = (self.bytes[-1][0], byte)
            return
        start = max(float(now), self._free)
        self.bytes.append((round(start), byte))
        self._free = start + byte_ticks


class Machine:
    """Runs an image; time stands still while it does."""

    def __init__(self, image: Image, setup: BoardSetup) -> None:
        memory = setup.part.memory
        if memory is None:
            raise FirmwareError(
                f"{setup.part.name} has no memory in its part file.", cure="Describe it there."
            )
        self.image = image
        self.setup = setup
        self.now = 0
        self.in_main = False
        self.activity = Activity()
        self.uarts: dict[str, UartLine] = {}
        self.levels_on_pins: Callable[[str], int] = lambda port: 0
        """Levels on the pins of a port, a bit each, as the silicon has them."""
        self.peripherals = Peripherals(setup.part, self)
        self.cpu = Cpu(image, memory, self.peripherals, self.peripherals.pages)
        self.fault: str | None = None
        self.late: list[LateWrite] = []
        """What own code changed while the board ran, each setting once; ticks since reset."""
        self.handling_cycles: dict[str, int] = {}
        """Instructions that the main loop takes for a result, by converter, as far as they were
        counted."""
        # Instructions counted when the main loop found a result, and then looked in vain, for the
        # first time since it woke.
        self._has_found = False
        self._found_at = 0
        self._done_at: int | None = None
        self._spent_ticks = 0
        self._clock_divisor = setup.clock_divisor

    def close(self) -> None:
        """End it."""
        self.cpu.close()

    def boot(self) -> None:
        """From reset until the main loop sleeps for the first time."""
        self._guarded(self._boot)

    def _boot(self) -> None:
        self.cpu.reset()
        self._main()

    def on_command(self, data: bytes) -> None:
        """Bytes come in, and the main loop looks at them."""
        self.peripherals.inbox.extend(data)
        self.wake()

    def wake(self) -> None:
        """The main loop goes on until it sleeps or waits."""
        self._guarded(self._main)

    def interrupt(self, owner: str, then_wake: bool = True) -> bool:
        """Call the handler of a peripheral's line, if it is enabled, and let the main loop go on
        after it."""
        line = self.peripherals.line_enabled(owner)
        if line is None or self.fault is not None:
            return False
        left: tuple[str, ...] = ()
        while self.fault is None:  # a flag that is still set raises the interrupt again at once
            self._guarded(lambda: self._handle(line))
            before, left = left, self.peripherals.flags_left(owner)
            if not left:
                break
            if left == before:
                self.fault = (
                    f"the interrupt of {owner} would come again and again, for its ISR leaves "
                    f"{' and '.join(left)} set: {self.image.place(self.cpu.vector(line) & ~1)}"
                )
        if then_wake:
            self.wake()
        return True

    def alarm(self) -> None:
        """The system's alarm comes."""
        peripherals = self.peripherals
        peripherals.alarm_at = None
        system = peripherals.registers.system
        peripherals.live[system, "alarm-seen", 0] = 1
        if not self.interrupt(system):
            self.wake()

    def _handle(self, line: int) -> None:
        entry = self.cpu.vector(line)
        self.in_main = False
        self._spent_ticks = 0
        self.cpu.call(entry & ~1)

    def _main(self) -> None:
        self.in_main = True
        self._has_found = False
        self._done_at = None
        self._spent_ticks = 0
        self.peripherals.awake()
        try:
            self.cpu.resume()
        finally:
            self.in_main = False

    def _guarded(self, work: Callable[[], None]) -> None:
        if self.fault is not None:
            return
        try:
            work()
        except CpuError as fault:
            self.fault = f"{fault.text}: {self.image.place(fault.address)}"

    # What registers ask for.

    @property
    def ticks(self) -> int:
        """Bus clocks since reset, with those that the main loop has taken for results since it
        woke."""
        return (self.now + self._spent_ticks) // self._clock_divisor

    @property
    def _instant(self) -> int:
        """Ticks since reset at which what firmware does now takes place."""
        return self.now + self._spent_ticks

    def read_memory(self, address: int, count: int) -> bytes:
        """Bytes of memory."""
        return self.cpu.read(address, count)

    def on_sleep(self) -> None:
        """The main loop waits for something."""
        self.cpu.stop()

    def on_result(self) -> None:
        """The main loop has a result before it."""
        if not self._has_found:
            self._has_found = True
            self._found_at = self.cpu.instructions

    def on_empty_poll(self) -> None:
        """The main loop has done what there was to do."""
        if self._has_found and self._done_at is None:
            self._done_at = self.cpu.instructions

    @property
    def handled(self) -> int | None:
        """Instructions from where the main loop found a result, since it woke, until it looked in
        vain again."""
        return None if self._done_at is None else self._done_at - self._found_at

    def on_result_read(self, owner: str) -> None:
        """The main loop took a result: whatever it does next, it does later."""
        if self.in_main:
            self._spent_ticks = self.handling_cycles.get(owner, 0) * self._clock_divisor

    def on_start(self, owner: str) -> None:
        """Firmware started a conversion."""
        self.activity.started.append(owner)

    def on_enable(self, owner: str, on: bool) -> None:
        """Firmware switched a peripheral."""
        self.activity.enabled.append((owner, on))

    def on_dac_code(self, owner: str, code: int) -> None:
        """Firmware gave a DAC a code."""
        self.activity.coded.append((owner, self._instant, code))

    def on_late_write(self, owner: str, setting: str, before: int, after: int) -> None:
        """A setting is changed for the first time since the board runs."""
        place = self.image.source_at(self.cpu.pc)
        if place.startswith(GENERATED):
            # What was generated does as it was designed; own code may change the same later.
            self.peripherals.changed.discard((owner, setting))
        elif len(self.late) < MOST_LATE:
            self.late.append(LateWrite(owner, setting, self.now, before, after, place))

    def on_retimed(self, owner: str, setting: str) -> None:
        """Firmware changed period, prescaler or duty of a timer."""
        self.activity.retimed.append((owner, setting, self._instant))

    def on_levels(self, owner: str, levels: int, outputs: int) -> None:
        """Firmware set pins of a port."""
        self.activity.levels.append((owner, self._instant, levels & outputs))

    def pin_levels(self, owner: str) -> int:
        """Levels on the pins of a port as they are."""
        return self.levels_on_pins(owner)

    def byte_ticks(self, uart: str) -> float:
        """Time of a byte as the UART is set up: a start bit, eight of data, and those behind
        them."""
        state = self.peripherals.state
        part = self.setup.part.uart(uart)
        if part is None:
            return 1.0
        bits = (
            9 + (state.text(uart, "parity", "none") != "none") + state.number(uart, "stop-bits", 1)
        )
        clocks = state.number(uart, "divider", 1) * part.oversampling * bits
        return float(clocks * self.setup.clock_divisor)

    def on_byte(self, owner: str, byte: int) -> None:
        """Firmware gave a UART a byte."""
        if owner in self.uarts:
            self.uarts[owner].put(self._instant, byte, self.byte_ticks(owner))

    def has_room(self, owner: str) -> bool:
        """Whether a UART takes another byte."""
        return owner in self.uarts and self.uarts[owner].has_room(self.now, self.byte_ticks(owner))
