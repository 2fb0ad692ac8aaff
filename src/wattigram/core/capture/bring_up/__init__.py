"""A board that runs for the first time, step by step: each step looks by itself whether it is done."""

from wattigram.core.capture.bring_up.clock_check import ClockCheck
from wattigram.core.capture.bring_up.link_check import LinkCheck
from wattigram.core.capture.bring_up.observing import observe
from wattigram.core.capture.bring_up.steps import BringUpFacts, Outcome, Step, bring_up_steps

__all__ = [
    "BringUpFacts",
    "ClockCheck",
    "LinkCheck",
    "Outcome",
    "Step",
    "bring_up_steps",
    "observe",
]
