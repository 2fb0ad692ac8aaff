"""How results come to firmware: DMA writes them into its memory, registers show them, flags and
interrupts tell."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.board.dma_buffer import BufferPart
from wattigram.core.board.event_detection import DetectedEvent
from wattigram.core.emulator.cpu import CpuError
from wattigram.core.emulator.machine import Machine
from wattigram.core.silicon.registers import RegisterMap, SiliconState
from wattigram.core.silicon.registers.equivalents import RESULTS, delivery_of

IntArray = NDArray[np.int64]
_DTYPES: dict[int, np.dtype[Any]] = {8: np.dtype("u1"), 16: np.dtype("<u2"), 32: np.dtype("<u4")}


class DmaTransfer(msgspec.Struct, frozen=True):
    """A DMA channel that writes something of each result into memory."""

    channel: str
    address: int
    width_bits: int
    read_bits: int
    """Of the register that are read; what is wider loses its upper part."""
    items: int
    steps: bool
    repeats: bool


def dma_transfers(
    state: SiliconState, converter: str
) -> tuple[DmaTransfer | None, DmaTransfer | None]:
    """Channels that carry a converter's results, and the instants at which they were ready."""
    registers = state.registers
    results, stamps = None, None
    for group in registers.part.dma:
        for name in group.names:
            if (
                name not in state.touched
                or state.text(name, "request", converter) != converter
                or not state.is_on(name)
            ):
                continue
            source = registers.at(state.number(name, "from", 0))
            if source is None or registers.at(state.number(name, "to", 0)) is not None:
                continue
            width = state.number(name, "to-width", 16)
            carrier = DmaTransfer(
                name,
                state.number(name, "to", 0),
                width,
                state.number(name, "from-width", width),
                max(1, state.number(name, "count", 1)),
                state.flag(name, "to-step", True),
                state.flag(name, "repeat", False),
            )
            what = {field.sets for field in source.register.fields}
            if what & RESULTS and source.owner == converter:
                results = results or carrier
            elif what & {"result-ticks", "ticks-low"}:
                stamps = stamps or carrier
    return results, stamps


class ResultDelivery:
    """Hands what one converter gives to the processor."""

    def __init__(self, machine: Machine, state: SiliconState, converter: str, slots: int) -> None:
        self.machine = machine
        self._slots = slots
        self.converter = converter
        self._depth = next(
            one.fifo_items for one in machine.setup.part.converters if one.name == converter
        )
        self._queued = 0
        """Results that have come to the FIFO."""
        self._state = state
        self._begin = 0
        """Number of the first item of the run that DMA is in."""
        self._first = 0
        """Number of the first item of the slots as they are set up."""
        self._find_carriers()
        self._live = machine.peripherals.converters[converter]
        self._registers: RegisterMap = state.registers
        self._shadow = state.shadow

    def _find_carriers(self) -> None:
        state, converter = self._state, self.converter
        self.delivery = delivery_of(state, converter)
        self.results, self.stamps = dma_transfers(state, converter)
        self.owners = {converter} | ({self.results.channel} if self.results is not None else set())
        """Peripherals whose registers say how far it is."""
        live = self.machine.peripherals.converters[converter]
        live.by_parts = self.delivery in {"dma", "fifo"}

    def set_up(self, first: int, slots: int, *, is_carried_anew: bool) -> None:
        """What comes from the item of number ``first`` on goes where registers say now; with
        ``is_carried_anew`` DMA begins a run with it."""
        self._find_carriers()
        if is_carried_anew:
            self._begin = first
        if slots != self._slots:
            self._slots, self._first = slots, first

    def hand(self, part: BufferPart, ready: IntArray) -> None:
        """Put a unit of results where firmware looks for it, and call whoever waits for it.

        Parameters
        ----------
        ready : (items,) int64, ticks since reset at which each was there
        """
        self._show(part, ready)
        if self.delivery == "dma":
            self._live.tally = part.first + len(part.items)
            if self.results is not None and self._carry(part, ready):
                self._mark(part)
            return
        self._live.done = True
        if (
            self.delivery == "scan"
            or (part.first + len(part.items) - self._first) % self._slots == 0
        ):
            self._live.scan_done = self._live.is_scan_news = True
        if self.delivery == "fifo":
            self._queue(part, ready)
            self.machine.interrupt(self.converter)
        elif self.delivery == "polling":
            self._live.tally = part.first + len(part.items)
            self.machine.wake()
        else:
            self._live.tally = part.first + len(part.items)
            self.machine.interrupt(self.converter)

    def leave(self, part: BufferPart, ready: IntArray) -> None:
        """Items since the last mark lie in memory already, and a FIFO has them; nobody has been
        told.

        ``ready`` is (items,) int64, ticks.
        """
        if self.delivery == "dma" and not len(part.items):
            if self.results is not None:
                self._set_place(self.results, part.first)
        elif self.delivery == "dma":
            self._live.tally = part.first + len(part.items)
            self._show(part, ready)
            self._carry(part, ready)
        elif self.delivery == "fifo" and len(part.items):
            self._queue(part, ready)

    def _queue(self, part: BufferPart, ready: IntArray) -> None:
        """Put results into the FIFO; one that is full keeps what it has."""
        live = self._live
        for number, (item, at) in enumerate(
            zip(part.items.tolist(), ready.tolist(), strict=True), start=part.first
        ):
            if number >= self._queued:
                self._queued = number + 1
                if len(live.fifo) < self._depth:
                    live.fifo.append((item, at))
        live.tally = self._queued

    def _show(self, part: BufferPart, ready: IntArray) -> None:
        """Result registers, by slot and the newest."""
        live = self._live
        live.newest = int(part.items[-1])
        live.ready = int(ready[-1])
        slots = self._slots
        if len(live.results) != slots:
            live.results = [0] * slots
        tail = min(slots, len(part.items))
        first = part.first + len(part.items) - tail - self._first
        for number, item in enumerate(part.items[-tail:].tolist(), start=first):
            live.results[number % slots] = item

    def _carry(self, part: BufferPart, ready: IntArray) -> bool:
        """Write items, and their instants, where DMA was told to; false where there is no
        memory."""
        assert self.results is not None
        try:
            self._put(self.results, part.first - self._begin, part.items)
            if self.stamps is not None:
                self._put(self.stamps, part.first - self._begin, (ready % (1 << 32)).astype("<u4"))
        except CpuError as fault:
            self.machine.fault = f"{self.results.channel}: {fault.text}"
            return False
        self._set_place(self.results, part.first + len(part.items))
        return True

    def _put(self, carrier: DmaTransfer, first: int, items: NDArray[Any]) -> None:
        if carrier.read_bits < 8 * items.itemsize:
            items = items & (1 << carrier.read_bits) - 1
        data = items.astype(_DTYPES[carrier.width_bits])
        step = carrier.width_bits // 8
        if not carrier.steps:
            self.machine.cpu.write(carrier.address, data[-1:].tobytes())
            return
        if not carrier.repeats and first >= carrier.items:
            return
        if carrier.repeats and len(data) > carrier.items:  # what comes last stays
            first, data = first + len(data) - carrier.items, data[-carrier.items :]
        place = first % carrier.items
        head = min(len(data), carrier.items - place)
        self.machine.cpu.write(carrier.address + place * step, data[:head].tobytes())
        if head < len(data) and carrier.repeats:
            self.machine.cpu.write(carrier.address, data[head:].tobytes())

    def _set_place(self, carrier: DmaTransfer, number: int) -> None:
        number -= self._begin
        code = number % carrier.items if carrier.repeats else min(number, carrier.items)
        self.machine.peripherals.live[carrier.channel, "left", 0] = carrier.items - code
        if not self._registers.has(carrier.channel, "place"):
            return
        place = self._registers.find(carrier.channel, "place")
        register = self._registers.at(place.address)
        assert register is not None
        whole = self._shadow.value(register) & ~place.field.mask
        self._shadow.write(register, whole | (code << place.field.low & place.field.mask))

    def _mark(self, part: BufferPart) -> None:
        """The half or the full mark is passed."""
        assert self.results is not None
        carrier = self.results
        end = part.first + len(part.items) - self._begin
        is_full = end % carrier.items == 0
        what = "full" if is_full else "half"
        machine = self.machine
        machine.peripherals.live[carrier.channel, f"{what}-seen", 0] = 1
        if machine.peripherals.is_told(carrier.channel, f"{what}-seen"):
            machine.interrupt(carrier.channel)


def tell_threshold(
    machine: Machine, converter: str, index: int, event: DetectedEvent, epoch: int
) -> None:
    """A window of a converter saw something."""
    live = machine.peripherals.live
    ticks = epoch + event.ticks
    live[converter, "window-seen", index] = 1
    live[converter, "window-entered", index] = int(event.entered)
    live[converter, "window-value", index] = event.value & 0xFFFFFFFF
    live[converter, "window-ticks-low", index] = ticks & 0xFFFFFFFF
    live[converter, "window-ticks-high", index] = ticks >> 32
    if machine.peripherals.is_told(converter, "window-seen", index):
        machine.interrupt(converter)


def tell_comparator(machine: Machine, name: str, event: DetectedEvent, epoch: int) -> None:
    """A comparator's output changed."""
    live = machine.peripherals.live
    ticks = epoch + event.ticks
    live[name, "seen", 0] = 1
    live[name, "high", 0] = int(event.entered)
    live[name, "ticks-low", 0] = ticks & 0xFFFFFFFF
    live[name, "ticks-high", 0] = ticks >> 32
    own = "rose" if event.entered else "fell"
    live[name, own, 0] = 1
    peripherals = machine.peripherals
    flag = own if peripherals.registers.has(name, own) else "seen"
    if peripherals.is_told(name, flag):
        machine.interrupt(name)
