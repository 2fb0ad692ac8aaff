"""When things happen: exact, in integers and fractions."""

from wattigram.core.timing.cycle import CycleTiming, SlotTiming, cycle_timing
from wattigram.core.timing.loop import HandlerLoad, LoopTiming, loop_numbers, loop_timing
from wattigram.core.timing.timer import TimerSetting, chain_timer, solve_timer

__all__ = [
    "CycleTiming",
    "HandlerLoad",
    "LoopTiming",
    "SlotTiming",
    "TimerSetting",
    "chain_timer",
    "cycle_timing",
    "loop_numbers",
    "loop_timing",
    "solve_timer",
]
