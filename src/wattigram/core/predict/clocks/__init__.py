"""Clocks that others count by: timers, and the bit clock of a UART."""

from wattigram.core.predict.clocks.timer import TimerSetting, set_timer, solve_timer, timer_setting
from wattigram.core.predict.clocks.uart import UartTiming, uart_timing

__all__ = ["TimerSetting", "UartTiming", "set_timer", "solve_timer", "timer_setting", "uart_timing"]
