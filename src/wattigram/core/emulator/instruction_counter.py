"""What must be quick of the processor: instructions are counted in machine code of the host, made when
it is first wanted, for a call of Python for each block of code would take longer than what it counts;
and registers are read straight."""

from __future__ import annotations

import ctypes
from collections.abc import Callable, Sequence
from functools import cache, partial
from typing import Any, ClassVar

import unicorn
from llvmlite import binding
from unicorn import arm_const as arm

uc_api: Any = unicorn  # its type hints are incomplete
NEVER = (1 << 63) - 1
"""A limit that no count comes to."""
_WIDE = 0b11101
"""Upper five bits of the first half of the shortest instruction that has two halves (Armv7-M,
A5.1)."""

_CODE = f"""
%state = type {{ i64, i64, i64, i64, i64, i64, i64, i64, i64, i64 }}

; Called before a block of code runs, with its address and its bytes.
define void @count(ptr %processor, i64 %address, i32 %bytes, ptr %state) {{
entry:
  %count = load i64, ptr %state
  %limit_at = getelementptr %state, ptr %state, i32 0, i32 1
  %limit = load i64, ptr %limit_at
  %block_at = getelementptr %state, ptr %state, i32 0, i32 5
  %block_bytes_at = getelementptr %state, ptr %state, i32 0, i32 6
  %is_over = icmp uge i64 %count, %limit
  br i1 %is_over, label %over, label %in_limit

in_limit:
  %masked_at = getelementptr %state, ptr %state, i32 0, i32 9
  %asked = load i64, ptr %masked_at
  %is_asked = icmp ne i64 %asked, 0
  br i1 %is_asked, label %ask, label %runs

ask: ; interrupts are held back: the processor stops as soon as they are not
  %mask = alloca i32
  store i32 0, ptr %mask
  %got = call i32 @uc_reg_read(ptr %processor, i32 {arm.UC_ARM_REG_PRIMASK}, ptr %mask)
  %mask_now = load i32, ptr %mask
  %mask_bit = and i32 %mask_now, 1
  %is_masked = icmp ne i32 %mask_bit, 0
  br i1 %is_masked, label %runs, label %over

over: ; the block does not run now, and is counted when it does
  %is_over_at = getelementptr %state, ptr %state, i32 0, i32 7
  store i64 1, ptr %is_over_at
  store i64 0, ptr %block_bytes_at
  %stopped = call i32 @uc_emu_stop(ptr %processor)
  ret void

runs:
  %bytes64 = zext i32 %bytes to i64
  store i64 %address, ptr %block_at
  store i64 %bytes64, ptr %block_bytes_at
  %code_at = getelementptr %state, ptr %state, i32 0, i32 2
  %code_begin = load i64, ptr %code_at
  %code_bytes_at = getelementptr %state, ptr %state, i32 0, i32 3
  %code_bytes = load i64, ptr %code_bytes_at
  %host_at = getelementptr %state, ptr %state, i32 0, i32 4
  %host = load ptr, ptr %host_at
  %offset = sub i64 %address, %code_begin
  %is_code = icmp ult i64 %offset, %code_bytes
  %narrow = lshr i64 %bytes64, 1
  br i1 %is_code, label %code, label %done

code:
  %known_at = getelementptr %state, ptr %state, i32 0, i32 8
  %knowns = load ptr, ptr %known_at
  %index = lshr i64 %offset, 1
  %known_of = getelementptr i32, ptr %knowns, i64 %index
  %known = load i32, ptr %known_of
  %known_bytes = lshr i32 %known, 16
  %is_known = icmp eq i32 %known_bytes, %bytes
  %known_count32 = and i32 %known, 65535
  %known_count = zext i32 %known_count32 to i64
  br i1 %is_known, label %done, label %next

next:
  %place = phi i64 [ 0, %code ], [ %place_after, %next ]
  %number = phi i64 [ 0, %code ], [ %number_after, %next ]
  %from = add i64 %offset, %place
  %half_at = getelementptr i8, ptr %host, i64 %from
  %half = load i16, ptr %half_at
  %upper = lshr i16 %half, 11
  %is_wide = icmp uge i16 %upper, {_WIDE}
  %step = select i1 %is_wide, i64 4, i64 2
  %place_after = add i64 %place, %step
  %number_after = add i64 %number, 1
  %more = icmp ult i64 %place_after, %bytes64
  br i1 %more, label %next, label %counted

counted:
  %count32 = trunc i64 %number_after to i32
  %upper_bytes = shl i32 %bytes, 16
  %now_known = or i32 %upper_bytes, %count32
  store i32 %now_known, ptr %known_of
  br label %done

done: ; code that lies in data memory is taken as all narrow
  %found = phi i64 [ %narrow, %runs ], [ %known_count, %code ], [ %number_after, %counted ]
  %sum = add i64 %count, %found
  store i64 %sum, ptr %state
  ret void
}}

; That somebody looks at an access makes the emulator know which instruction it is of.
define void @look(ptr %processor, i32 %kind, i64 %address, i32 %bytes, i64 %value, ptr %data) {{
  ret void
}}

declare i32 @uc_emu_stop(ptr)
declare i32 @uc_reg_read(ptr, i32, ptr)
"""


class _State(ctypes.Structure):
    _fields_: ClassVar = [
        ("count", ctypes.c_uint64),
        ("limit", ctypes.c_uint64),
        ("code_begin", ctypes.c_uint64),
        ("code_bytes", ctypes.c_uint64),
        ("code", ctypes.c_void_p),
        ("block_at", ctypes.c_uint64),
        ("block_bytes", ctypes.c_uint64),
        ("is_over", ctypes.c_uint64),
        ("known", ctypes.c_void_p),
        ("ends_unmasked", ctypes.c_uint64),
    ]


def _emulator_library() -> Any:
    """The library of the emulator, whose C interface takes functions of machine code."""
    return uc_api.unicorn_py3.unicorn.uclib


@cache
def _functions() -> tuple[Any, int, int]:
    """The compiled code, which must live on, and the addresses of ``count`` and ``look``."""
    binding.initialize_native_target()
    binding.initialize_native_asmprinter()
    for name in ("uc_emu_stop", "uc_reg_read"):
        place = ctypes.cast(getattr(_emulator_library(), name), ctypes.c_void_p).value
        assert place is not None
        binding.add_symbol(name, place)
    target = binding.Target.from_default_triple().create_target_machine(opt=2)
    engine = binding.create_mcjit_compiler(binding.parse_assembly(_CODE), target)
    engine.finalize_object()
    return engine, engine.get_function_address("count"), engine.get_function_address("look")


class InstructionCounter:
    """Counts the instructions of one processor, and stops it at a limit.

    ``code`` is the memory of its code, from ``code_begin`` on; it must stay where it is.
    """

    def __init__(
        self, processor: Any, code_begin: int, code: ctypes.Array[ctypes.c_char], code_at: int
    ) -> None:
        self._processor = processor
        self._code, self._code_at, self._code_begin = code, code_at, code_begin
        self._known = (ctypes.c_uint32 * (len(code) // 2))()
        """Bytes and instructions of the block that begins at each half-word, once it has been
        counted."""
        self._state = _State(
            limit=NEVER,
            code_begin=code_begin,
            code_bytes=ctypes.addressof(code) + len(code) - code_at,
            code=code_at,
            known=ctypes.addressof(self._known),
        )
        self._rests: dict[tuple[int, int, int], int] = {}
        _engine, count, _look = _functions()
        self._add(uc_api.UC_HOOK_BLOCK, count, 1, 0)

    def _add(self, kind: int, function: int, first: int, last: int) -> None:
        hook = ctypes.c_size_t()
        fault = _emulator_library().uc_hook_add(
            self._processor._uch,
            ctypes.byref(hook),
            kind,
            ctypes.c_void_p(function),
            ctypes.cast(ctypes.pointer(self._state), ctypes.c_void_p),
            ctypes.c_uint64(first),
            ctypes.c_uint64(last),
        )
        if fault:
            raise uc_api.UcError(fault)

    def look_at(self, first: int, last: int) -> None:
        """Let the processor say which instruction it is at while these addresses are accessed."""
        _engine, _count, look = _functions()
        self._add(uc_api.UC_HOOK_MEM_READ | uc_api.UC_HOOK_MEM_WRITE, look, first, last)

    def forget(self) -> None:
        """Code may have changed: all blocks are counted anew."""
        ctypes.memset(self._known, 0, ctypes.sizeof(self._known))
        self._rests.clear()

    def begin(self, most: int | None, *, ends_unmasked: bool = False) -> None:
        """The processor is about to run, for so many instructions, up to the next block; with
        ``ends_unmasked`` no further than to where the program lets interrupts come."""
        state = self._state
        state.is_over = 0
        state.block_bytes = 0
        state.ends_unmasked = ends_unmasked
        state.limit = NEVER if most is None else state.count + most

    def settle(self, pc: int) -> None:
        """The processor has stopped before an instruction: what of its block did not run is not
        counted."""
        state = self._state
        state.count = self.before(pc)
        state.block_bytes = 0

    def stop_at(self, count: int) -> None:
        """Stop once so many instructions have been counted, at the next block, if not before."""
        state = self._state
        state.limit = min(state.limit, max(0, count))

    @property
    def settled(self) -> int:
        """Instructions that ran, while the processor stands."""
        return int(self._state.count)

    @property
    def is_over(self) -> bool:
        """The processor stopped for the limit."""
        return bool(self._state.is_over)

    def before(self, pc: int) -> int:
        """Instructions that ran before the one at an address, which is that of now."""
        state = self._state
        begin, size = state.block_at, state.block_bytes
        if not begin <= pc < begin + size:
            return int(state.count)
        key = begin, size, pc
        rest = self._rests.get(key)
        if rest is None:
            rest = self._rests[key] = self._instructions(pc, begin + size)
        return int(state.count) - rest

    def _instructions(self, begin: int, end: int) -> int:
        """Instructions between two addresses."""
        count = 0
        offset = self._code_at - ctypes.addressof(self._code) - self._code_begin
        while begin < end:
            place = begin + offset
            upper = ord(self._code[place + 1]) >> 3 if 0 <= place < len(self._code) - 1 else 0
            begin += 4 if upper >= _WIDE else 2
            count += 1
        return count


class QuickRegisters:
    """Registers of 32 bits of a processor, without what its own interface looks up each time."""

    def __init__(self, processor: Any) -> None:
        library = _emulator_library()
        self._handle = processor._uch
        self._read, self._write = library.uc_reg_read, library.uc_reg_write
        self._value = ctypes.c_uint32()
        self._place = ctypes.byref(self._value)

    def read(self, register: int) -> int:
        """Value of a register, by the emulator's number of it."""
        self._read(self._handle, register, self._place)
        return self._value.value

    def write(self, register: int, value: int) -> None:
        """Set a register."""
        self._value.value = value
        self._write(self._handle, register, self._place)


class ManyRegisters:
    """Some registers of 32 bits, read at once."""

    def __init__(self, processor: Any, registers: Sequence[int]) -> None:
        self._count = len(registers)
        self._values = (ctypes.c_uint32 * self._count)()
        begin = ctypes.addressof(self._values)
        self._read = partial(
            _emulator_library().uc_reg_read_batch,
            processor._uch,
            (ctypes.c_int * self._count)(*registers),
            (ctypes.c_void_p * self._count)(*(begin + 4 * at for at in range(self._count))),
            self._count,
        )

    def read(self) -> tuple[int, ...]:
        """Their values, in the order in which they were named."""
        self._read()
        return tuple(self._values)


_READ = ctypes.CFUNCTYPE(
    ctypes.c_uint64, ctypes.c_void_p, ctypes.c_uint64, ctypes.c_uint, ctypes.c_void_p
)
_WRITE = ctypes.CFUNCTYPE(
    None, ctypes.c_void_p, ctypes.c_uint64, ctypes.c_uint, ctypes.c_uint64, ctypes.c_void_p
)


def map_accesses(
    processor: Any, begin: int, size: int, read: Callable[..., int], write: Callable[..., None]
) -> Any:
    """Let ``read(handle, offset, bytes, None)`` and ``write(handle, offset, bytes, value, None)`` serve a
    range of addresses; what is given back must live as long as the processor."""
    functions = _READ(read), _WRITE(write)
    fault = _emulator_library().uc_mmio_map(
        processor._uch, begin, size, functions[0], None, functions[1], None
    )
    if fault:
        raise uc_api.UcError(fault)
    return functions
