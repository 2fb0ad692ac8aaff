"""The processor: loads an image, calls its functions, and stops at whatever goes wrong."""

from __future__ import annotations

import ctypes
from collections.abc import Callable
from dataclasses import dataclass
from mmap import mmap
from typing import Any, Protocol

import unicorn
from unicorn import arm_const as arm

from wattigram.core.base.errors import FirmwareError
from wattigram.core.contract.image import Image
from wattigram.core.emulator.breakpoints import Breakpoints
from wattigram.core.emulator.instruction_counter import (
    InstructionCounter,
    ManyRegisters,
    QuickRegisters,
    map_accesses,
)
from wattigram.core.model.part import MemoryMap

uc_api: Any = unicorn  # its type hints are incomplete
PATIENCE = 200_000_000
"""Instructions without a rest, and without anything fetched or sent, after which a program goes round
in circles."""
_IF_THEN = 0x0600_FC00
"""Bits of xPSR that say how far a block of conditional instructions has come (Armv7-M, B1.4.2)."""
TRIAL_PATIENCE = 20_000_000
"""The same of a function that is tried out, where nothing comes that it may wait for."""
ACCESS_INSTRUCTIONS = 200
"""An access to a register takes as long as so many instructions on the host."""
PAGE = 4096
_REGISTERS = (
    *(getattr(arm, f"UC_ARM_REG_R{number}") for number in range(13)),
    arm.UC_ARM_REG_SP,
    arm.UC_ARM_REG_LR,
    arm.UC_ARM_REG_PC,
    arm.UC_ARM_REG_XPSR,
)
_VALUES = *_REGISTERS[:13], arm.UC_ARM_REG_LR
_LR, _PC, _XPSR = 14, 15, 16
EXCEPTION_RETURN = 0xFFFFFFF9
"""Link register of a handler that returns to the main loop (Armv7-M, B1.5.8)."""
_HANDLER_END = EXCEPTION_RETURN & ~1
_ALIGNED = 1 << 9
"""Of the stacked xpsr: the stack was moved by a word to make room."""


class Bus(Protocol):
    """Registers by address."""

    def read(self, address: int, size: int) -> int:
        """Value of a register."""

    def write(self, address: int, size: int, value: int) -> None:
        """Set a register."""

    def peek(self, address: int) -> int:
        """One byte of a register, as it is, without what reading it does."""


@dataclass(frozen=True)
class CpuError(Exception):
    """What the program did that no processor can: a sentence, and where."""

    text: str
    address: int


class Cpu:
    """A Cortex-M class core with code, data and registers.

    It runs for as many instructions as it is let, in the main loop or in a handler, and stands
    where it was until it is let again.
    """

    def __init__(
        self, image: Image, memory: MemoryMap, bus: Bus, register_pages: frozenset[int]
    ) -> None:
        self.image = image
        self.memory = memory
        self._bus = bus
        self._uc: Any = uc_api.Uc(uc_api.UC_ARCH_ARM, uc_api.UC_MODE_THUMB | uc_api.UC_MODE_MCLASS)
        self._uc.ctl_set_cpu_model(arm.UC_CPU_ARM_CORTEX_M33)
        code_bytes = -(-memory.code_bytes // PAGE) * PAGE
        data_bytes = -(-memory.data_bytes // PAGE) * PAGE
        code = ctypes.create_string_buffer(code_bytes + PAGE)
        code_at = -(-ctypes.addressof(code) // PAGE) * PAGE
        self._uc.mem_map_ptr(
            memory.code_begin, code_bytes, uc_api.UC_PROT_READ | uc_api.UC_PROT_EXEC, code_at
        )
        self._counter = InstructionCounter(self._uc, memory.code_begin, code, code_at)
        self._quickly = QuickRegisters(self._uc)
        self._all = ManyRegisters(self._uc, (*_VALUES, arm.UC_ARM_REG_SP, arm.UC_ARM_REG_XPSR))
        self.data = (ctypes.c_char * data_bytes).from_buffer(mmap(-1, data_bytes))
        """Its data memory."""
        self._uc.mem_map_ptr(
            memory.data_begin, data_bytes, uc_api.UC_PROT_ALL, ctypes.addressof(self.data)
        )
        self._register_pages = register_pages
        self._accessors: list[Any] = []
        """Functions that the emulator calls, which must live on."""
        self._contexts: list[Any] = []
        """Room for what an interrupt puts aside, to be used again."""
        for page in sorted(register_pages):
            self._map_registers(page)
            self._counter.look_at(page, page + PAGE - 1)
        for segment in image.segments:
            self._load(segment.address, segment.data)
        self.on_break: Callable[[], None] = lambda: None
        """Called when a breakpoint is reached, within whatever runs."""
        self.stops = Breakpoints(self._uc)
        self.is_looked_at = False
        """A debugger is there, and wants to find its way through the stack."""
        self._bus_fault: BaseException | None = None
        self.patience = PATIENCE
        self._since_rest = 0
        self._accesses = 0
        self._runs = False
        self._has_context: list[Any] = []
        """What the handler that runs put aside."""

    def _load(self, address: int, data: bytes) -> None:
        memory = self.memory
        if not memory.has_code(address, len(data)) and not memory.has_data(address, len(data)):
            raise FirmwareError(
                f"The image has {len(data)} bytes at {address:#010x}, where the part has no memory.",
                where=self.image.path,
                cure="Link it with the memory of this part.",
            )
        self._uc.mem_write(address, data)

    def has(self, address: int, count: int) -> bool:
        """Whether data memory has these bytes."""
        return self.memory.has_data(address, count)

    def read(self, address: int, count: int) -> bytes:
        """Bytes of memory; raises :class:`CpuError` where there is none."""
        try:
            return bytes(self._uc.mem_read(address, count))
        except uc_api.UcError as fault:
            raise CpuError(f"there is no memory at {address:#010x}", self.pc) from fault

    def write(self, address: int, data: bytes) -> None:
        """Put bytes into memory, as DMA does; raises :class:`CpuError` where there is none."""
        if not self.has(address, len(data)):
            raise CpuError(
                f"{len(data)} bytes were to be written to {address:#010x}, where there is no memory",
                self.pc,
            )
        self._uc.mem_write(address, data)

    @property
    def pc(self) -> int:
        """Address of the instruction that comes next."""
        return self._quickly.read(arm.UC_ARM_REG_PC) & ~1

    @property
    def sp(self) -> int:
        """The stack pointer."""
        return self._quickly.read(arm.UC_ARM_REG_SP)

    def reset(self) -> None:
        """Begin at the image's reset entry, as its vectors say."""
        begin = self.memory.code_begin
        stack = int.from_bytes(self.read(begin, 4), "little")
        entry = int.from_bytes(self.read(begin + 4, 4), "little")
        self._uc.reg_write(arm.UC_ARM_REG_SP, stack)
        self._uc.reg_write(arm.UC_ARM_REG_LR, 0xFFFFFFFF)
        self._uc.reg_write(arm.UC_ARM_REG_PC, entry | 1)

    def vector(self, line: int) -> int:
        """Entry of an interrupt line's handler."""
        address = self.memory.code_begin + 4 * (16 + line)
        return int.from_bytes(self.read(address, 4), "little")

    @property
    def instructions(self) -> int:
        """Instructions that ran since the processor was made, up to the one that it is at."""
        return self._counter.before(self.pc) if self._runs else self._counter.settled

    @property
    def work(self) -> int:
        """What the host has done for it, in instructions: an access to a register is many."""
        return self.instructions + self._accesses * ACCESS_INSTRUCTIONS

    @property
    def is_cut(self) -> bool:
        """The processor stopped because it was let run no further."""
        return self._counter.is_over

    @property
    def is_masked(self) -> bool:
        """The program holds interrupts back."""
        return bool(self._quickly.read(arm.UC_ARM_REG_PRIMASK) & 1)

    @property
    def in_handler(self) -> bool:
        """A handler has begun and is not over."""
        return bool(self._has_context)

    def cut_after(self, instructions: int) -> None:
        """Let what runs go on for so many instructions, and to the end of their block."""
        self._counter.stop_at(self.instructions + instructions)

    def run(self, most: int | None = None, *, ends_unmasked: bool = False) -> None:
        """Go on from where the processor stands, until it sleeps, somebody stops it, its handler is
        over, so many instructions are done, or, where wanted, interrupts are held back no longer."""
        self._counter.begin(self.patience if most is None else most, ends_unmasked=ends_unmasked)
        self._go(self.pc | 1, _HANDLER_END if self.in_handler else 0)

    def gets_on(self) -> None:
        """The program waits for something, or has fetched or sent something: it does not go round in
        circles."""
        self._since_rest = 0

    def enter(self, entry: int) -> None:
        """Begin a handler as an interrupt would."""
        context = self._contexts.pop() if self._contexts else self._uc.context_save()
        self._uc.context_update(context)
        self._has_context.append(context)
        self._stack_frame()
        status = self._quickly.read(arm.UC_ARM_REG_XPSR)
        if status & _IF_THEN:  # the handler does not begin within the conditional instructions
            self._uc.reg_write(arm.UC_ARM_REG_XPSR, status & ~_IF_THEN)
        self._quickly.write(arm.UC_ARM_REG_LR, EXCEPTION_RETURN)
        self._quickly.write(arm.UC_ARM_REG_PC, entry | 1)

    def leave(self) -> bool:
        """Come back from a handler that is over to where the processor stood; whether it is."""
        if not self.in_handler or self.pc != _HANDLER_END:
            return False
        self.abandon()
        return True

    def abandon(self) -> None:
        """Come back from a handler, wherever it is."""
        context = self._has_context.pop()
        self._uc.context_restore(context)
        self._contexts.append(context)

    def _stack_frame(self) -> None:
        """What an interrupt leaves on the stack (Armv7-M, B1.5.6); only a debugger ever looks at
        what it says."""
        sp = self.sp
        frame = sp - 32 & ~7
        if frame < self.memory.data_begin:
            raise CpuError("the stack has grown beyond its memory", self.pc)
        if self.is_looked_at:
            values = [self.register(number) for number in (0, 1, 2, 3, 12, _LR, _PC, _XPSR)]
            values[-1] |= _ALIGNED * bool(sp & 4)
            self.write(frame, b"".join(value.to_bytes(4, "little") for value in values))
        self._quickly.write(arm.UC_ARM_REG_SP, frame)

    def stop(self) -> None:
        """Let the processor rest after the instruction that it is at."""
        self._uc.emu_stop()

    def values(self) -> tuple[tuple[int, ...], int]:
        """r0 to r12 and lr, as they are while a register of a peripheral is read, and one number of flags and
        stack pointer."""
        values = self._all.read()
        return values[:-2], values[-2] << 32 | values[-1]

    def snapshot(self) -> tuple[Any, bytes]:
        """Registers and data memory, to come back to."""
        return self._uc.context_save(), self.data.raw

    def restore(self, snapshot: tuple[Any, bytes]) -> None:
        """Registers and data memory as they were."""
        context, data = snapshot
        self._uc.context_restore(context)
        self._uc.mem_write(self.memory.data_begin, data)

    def _go(self, begin: int, until: int) -> None:
        counter = self._counter
        self._bus_fault = None
        since = counter.settled
        while True:
            self.stops.begin()
            self._runs = True
            try:
                self._uc.emu_start(begin, until)
            except uc_api.UcError as fault:
                if not (
                    until and self.pc == until
                ):  # the return from a handler is an exception to the emulator
                    raise self._explain(fault) from fault
            finally:
                self._runs = False
                counter.settle(self.pc)
            if not self.stops.was_reached:
                break
            self.stops.go_on_from(self.pc)
            self.on_break()
            begin = self.pc | 1
        if self._bus_fault is not None:
            raise self._bus_fault
        self._since_rest += counter.settled - since
        if self._since_rest >= self.patience:
            raise CpuError(
                "the program has gone round and round for seconds without sleeping", self.pc
            )

    def register(self, number: int) -> int:
        """r0 to r12, sp, lr, pc and xpsr, in this order."""
        return int(self._uc.reg_read(_REGISTERS[number])) & 0xFFFFFFFF

    def set_register(self, number: int, value: int) -> None:
        """Set one of the same."""
        self._uc.reg_write(_REGISTERS[number], value | 1 if number == _PC else value)

    def read_any(self, address: int, count: int) -> bytes:
        """Bytes of memory, or of registers of peripherals; raises :class:`CpuError` where there is
        nothing."""
        if address // PAGE * PAGE in self._register_pages:
            return bytes(self._bus.peek(address + at) for at in range(count))
        return self.read(address, count)

    def write_any(self, address: int, data: bytes) -> None:
        """Put bytes into memory or code; raises :class:`CpuError` where there is neither."""
        try:
            self._uc.mem_write(address, data)
        except uc_api.UcError as fault:
            raise CpuError(f"there is no memory at {address:#010x}", self.pc) from fault
        self._counter.forget()

    def _explain(self, fault: Any) -> CpuError:
        """A sentence for what the processor could not do."""
        if self._bus_fault is not None and isinstance(self._bus_fault, CpuError):
            return self._bus_fault
        if self.sp < self.memory.data_begin + 64:
            return CpuError("the stack has grown beyond its memory", self.pc)
        match fault.errno:
            case uc_api.UC_ERR_READ_UNMAPPED | uc_api.UC_ERR_READ_PROT:
                what = "the program reads from an address where there is nothing"
            case uc_api.UC_ERR_WRITE_UNMAPPED:
                what = "the program writes to an address where there is nothing"
            case uc_api.UC_ERR_WRITE_PROT:
                what = "the program writes to an address that can only be read"
            case uc_api.UC_ERR_FETCH_UNMAPPED | uc_api.UC_ERR_FETCH_PROT:
                what = "the program goes on at an address where there is no code"
            case uc_api.UC_ERR_INSN_INVALID | uc_api.UC_ERR_EXCEPTION:
                what = "the program comes to an instruction that the processor does not know"
            case _:
                what = f"the processor stopped: {fault}"
        return CpuError(what, self.pc)

    def _map_registers(self, page: int) -> None:
        """Let accesses to a page go to the bus, without what the emulator's own interface does with
        each of them."""
        bus_read, bus_write = self._bus.read, self._bus.write

        def read(_handle: Any, offset: int, size: int, _data: Any) -> int:
            self._since_rest += ACCESS_INSTRUCTIONS
            self._accesses += 1
            if self._since_rest >= self.patience:
                self._uc.emu_stop()
            try:
                return bus_read(page + offset, size)
            except Exception as fault:
                self._bus_fault = fault
                self._uc.emu_stop()
                return 0

        def write(_handle: Any, offset: int, size: int, value: int, _data: Any) -> None:
            try:
                bus_write(page + offset, size, value)
            except Exception as fault:
                self._bus_fault = fault
                self._uc.emu_stop()

        self._accessors.append(map_accesses(self._uc, page, PAGE, read, write))
