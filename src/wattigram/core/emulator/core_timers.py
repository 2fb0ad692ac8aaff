"""What a Cortex-M core has beside its interrupt controller: its cycle counter and SysTick
(Armv7-M, C1.8 and B3.3)."""

from __future__ import annotations

from enum import IntEnum
from typing import Protocol

SYSTICK = "SysTick"
"""Stands for the owner of its exception."""
SYSTICK_LINE = -1
"""Its exception is the one before the first interrupt line's."""
TRACE_PAGE = 0xE0001000
_TICK_WAITS = 1 << 26
_TRACE_ON = 1 << 24
_ON, _TELLS, _WRAPPED = 1, 2, 1 << 16
_BITS = 0xFFFFFF


class CoreRegister(IntEnum):
    """Where each of these registers lies."""

    CYCLES_CONTROL = 0xE0001000
    CYCLES = 0xE0001004
    CONTROL = 0xE000E010
    RELOAD = 0xE000E014
    COUNT = 0xE000E018
    INTERRUPT_STATE = 0xE000ED04
    DEBUG_CONTROL = 0xE000EDFC


CORE_REGISTERS = frozenset(CoreRegister)
_COUNTING = frozenset({CoreRegister.CONTROL, CoreRegister.COUNT, CoreRegister.INTERRUPT_STATE})


class CoreTime(Protocol):
    """Who knows the time, and what waits."""

    @property
    def ticks(self) -> int:
        """Clocks of the core since reset."""

    def is_pending(self, owner: str) -> bool:
        """Whether an interrupt waits."""

    def on_alarm(self, due: int) -> None:
        """SysTick comes to 0 at that clock."""


class CoreTimers:
    """Registers of the core's own timers."""

    def __init__(self, time: CoreTime) -> None:
        self._time = time
        self._debug = 0
        self._cycles_on = False
        self._cycles_zero = 0
        """Clock at which the cycle counter would have been 0."""
        self._cycles_held = 0
        self._control = 0
        self._reload = 0
        self._begun = 0
        """Clock at which SysTick's count was loaded."""
        self._period = 0
        """Clocks from there to the next time; 0 while it stands."""
        self._has_wrapped = False
        self._unraised: int | None = None
        """Clock of the first time that it came to 0 and nobody has been told: a program may look a few
        clocks before its interrupt is raised."""

    def has(self, address: int) -> bool:
        """Whether one of these registers lies at an address."""
        return address in CORE_REGISTERS

    def counts(self, address: int) -> bool:
        """Whether SysTick's count shows there, or how often it came to 0."""
        return address in _COUNTING

    @property
    def tells(self) -> bool:
        """SysTick's exception is let."""
        return bool(self._control & _ON and self._control & _TELLS)

    @property
    def due(self) -> int | None:
        """Clock at which its exception is to be raised next; None where it never is."""
        if self._unraised is not None:
            return self._unraised
        return self._begun + self._period if self.tells and self._period else None

    def read(self, address: int) -> int:
        """A register as the program reads it."""
        match address:
            case CoreRegister.CYCLES_CONTROL:
                return int(self._cycles_on)
            case CoreRegister.CYCLES:
                return self._cycles()
            case CoreRegister.CONTROL:
                self._go_on(self._time.ticks)
                value = self._control | (_WRAPPED if self._has_wrapped else 0)
                self._has_wrapped = False
                return value
            case CoreRegister.RELOAD:
                return self._reload
            case CoreRegister.COUNT:
                return self._count()
            case CoreRegister.INTERRUPT_STATE:
                self._go_on(self._time.ticks)
                waits = self._unraised is not None or self._time.is_pending(SYSTICK)
                return _TICK_WAITS if waits else 0
            case _:
                return self._debug

    def peek(self, address: int) -> int:
        """A register as a debugger reads it: nothing is changed by that, and no time is looked at."""
        match address:
            case CoreRegister.CYCLES_CONTROL:
                return int(self._cycles_on)
            case CoreRegister.CONTROL:
                return self._control
            case CoreRegister.RELOAD:
                return self._reload
            case CoreRegister.DEBUG_CONTROL:
                return self._debug
            case _:
                return 0

    def write(self, address: int, value: int) -> None:
        """A register is written."""
        match address:
            case CoreRegister.CYCLES_CONTROL:
                self._switch_cycles(bool(value & 1 and self._debug & _TRACE_ON))
            case CoreRegister.CYCLES:
                self._cycles_held = value
                self._cycles_zero = self._time.ticks - value
            case CoreRegister.CONTROL:
                self._switch(value & 7)
            case CoreRegister.RELOAD:
                self._go_on(self._time.ticks)
                self._reload = value & _BITS
            case CoreRegister.COUNT:
                self._has_wrapped = False
                self._load(self._time.ticks)
            case CoreRegister.DEBUG_CONTROL:
                self._debug = value
            case _:
                pass

    def came(self, now: int) -> None:
        """Its exception is raised at this clock; it counts on."""
        self._go_on(now)
        self._unraised = None
        self._tell()

    def _cycles(self) -> int:
        now = self._time.ticks
        return (now - self._cycles_zero if self._cycles_on else self._cycles_held) & 0xFFFFFFFF

    def _switch_cycles(self, on: bool) -> None:
        if on != self._cycles_on:
            held = self._cycles()
            self._cycles_on, self._cycles_held = on, held
            self._cycles_zero = self._time.ticks - held

    def _switch(self, control: int) -> None:
        was_on = self._control & _ON
        self._go_on(self._time.ticks)
        self._control = control
        if not control & _ON:
            self._period = 0
        elif not was_on or not self._period:
            self._load(self._time.ticks)
        self._tell()

    def _load(self, now: int) -> None:
        """Count from the reload's value on, with the next clock."""
        self._begun = now
        self._period = self._reload + 1 if self._reload and self._control & _ON else 0
        self._tell()

    def _go_on(self, now: int) -> None:
        """Times that it came to 0 until now; a reload that was written holds from the next on."""
        while self._period and now >= self._begun + self._period:
            self._has_wrapped = True
            self._begun += self._period
            if self.tells and self._unraised is None:
                self._unraised = self._begun
            self._period = self._reload + 1 if self._reload else 0

    def _count(self) -> int:
        now = self._time.ticks
        self._go_on(now)
        return max(0, self._period - 1 - (now - self._begun)) if self._period else 0

    def _tell(self) -> None:
        due = self.due
        if due is not None:
            self._time.on_alarm(due)
