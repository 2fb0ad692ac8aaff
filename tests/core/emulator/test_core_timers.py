"""The core's cycle counter and SysTick, register by register."""

from __future__ import annotations

from wattigram.core.emulator.core_timers import SYSTICK, CoreTimers

CONTROL, RELOAD, COUNT, STATE = 0xE000E010, 0xE000E014, 0xE000E018, 0xE000ED04
DEBUG, CYCLES_CONTROL, CYCLES = 0xE000EDFC, 0xE0001000, 0xE0001004


class Time:
    """A clock that is put forward by hand."""

    def __init__(self) -> None:
        self.ticks = 0
        self.pending: set[str] = set()
        self.alarms: list[int] = []

    def is_pending(self, owner: str) -> bool:
        return owner in self.pending

    def on_alarm(self, due: int) -> None:
        self.alarms.append(due)


def running(reload: int, at: int = 0) -> tuple[Time, CoreTimers]:
    time = Time()
    core = CoreTimers(time)
    time.ticks = at
    core.write(RELOAD, reload)
    core.write(COUNT, 0)
    core.write(CONTROL, 7)
    return time, core


def test_it_comes_once_a_period_and_counts_down_between() -> None:
    time, core = running(999, at=50)
    assert core.due == 1050
    assert time.alarms[-1] == 1050
    time.ticks = 51
    assert core.read(COUNT) == 998
    time.ticks = 1049
    assert core.read(COUNT) == 0
    time.ticks = 1050
    core.came(1050)
    assert core.read(COUNT) == 999
    assert core.due == 2050


def test_the_count_flag_is_taken_by_reading_it() -> None:
    time, core = running(9)
    time.ticks = 10
    assert core.read(CONTROL) == 7 | 1 << 16
    assert core.read(CONTROL) == 7


def test_a_program_that_looks_before_its_interrupt_sees_that_it_waits() -> None:
    """Its period is counted by somebody, in whatever order things are looked at."""
    time, core = running(99)
    time.ticks = 103
    assert core.read(COUNT) == 96
    assert core.read(STATE) == 1 << 26
    assert core.due == 100
    core.came(100)
    assert core.read(STATE) == 0
    assert core.due == 200
    time.pending.add(SYSTICK)
    assert core.read(STATE) == 1 << 26


def test_a_reload_holds_from_the_next_period_on_and_writing_the_count_begins_anew() -> None:
    time, core = running(99)
    time.ticks = 40
    core.write(RELOAD, 9)
    assert core.due == 100
    time.ticks = 100
    core.came(100)
    assert core.due == 110
    time.ticks = 105
    core.write(COUNT, 1234)
    assert core.due == 115


def test_off_or_without_interrupt_it_never_comes() -> None:
    time, core = running(99)
    core.write(CONTROL, 5)
    assert core.due is None
    time.ticks = 30
    assert core.read(COUNT) == 69
    core.write(CONTROL, 0)
    assert core.read(COUNT) == 0


def test_cycles_count_once_they_may_and_can_be_set() -> None:
    time = Time()
    core = CoreTimers(time)
    core.write(CYCLES_CONTROL, 1)  # nobody has switched tracing on
    time.ticks = 10
    assert core.read(CYCLES) == 0
    core.write(DEBUG, 1 << 24)
    core.write(CYCLES_CONTROL, 1)
    time.ticks = 110
    assert core.read(CYCLES) == 100
    core.write(CYCLES, 0xFFFFFFF0)
    time.ticks = 130
    assert core.read(CYCLES) == 4
    core.write(CYCLES_CONTROL, 0)
    time.ticks = 500
    assert core.read(CYCLES) == 4
