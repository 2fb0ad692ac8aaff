"""The verdict on one expectation."""

from __future__ import annotations

from typing import Literal

import msgspec

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.model.design import Expectation

Outcome = Literal["holds", "fails", "open"]
MARKS: dict[str, str] = {"holds": "✓", "fails": "✕", "open": "○"}


class Verdict(msgspec.Struct, frozen=True):
    """Whether an expectation holds, with its numbers.

    Attributes
    ----------
    text : str
        The expectation as a sentence: "Coil current is 50 Hz ± 0.2 %".
    measured, low, high : float or None
        In ``unit``; a limit that does not exist is None.
    samples : int
        Samples that the verdict rests on.
    note : str
        What was seen: "50.003 Hz ± 0.004", "3 of 3 crossings".
    """

    index: int
    expectation: Expectation
    text: str
    outcome: Outcome
    measured: float | None
    unit: str
    low: float | None
    high: float | None
    samples: int
    note: str

    @property
    def signal(self) -> str:
        """The signal judged."""
        return self.expectation.signal

    @property
    def kind(self) -> str:
        """Kind of the expectation."""
        return self.expectation.kind

    @property
    def measured_text(self) -> str:
        """The measured value for people; "" where there is none."""
        return value_text(self.measured, self.unit)

    @property
    def limits_text(self) -> str:
        """The limits for people."""
        if self.low is not None and self.high is not None:
            return f"{value_text(self.low, self.unit)} to {value_text(self.high, self.unit)}"
        if self.high is not None:
            return f"at most {value_text(self.high, self.unit)}"
        return f"at least {value_text(self.low, self.unit)}" if self.low is not None else ""


def value_text(value: float | None, unit: str) -> str:
    """A number with its unit, to the digits that matter."""
    if value is None:
        return ""
    if unit == "V":
        return format_volts(value)
    return format_si(value, unit, 6 if unit == "Hz" else 4)


def outcome_text(outcome: str) -> str:
    """An outcome as people read it; scripts know what could not be judged as "open"."""
    return "not judged" if outcome == "open" else outcome
