"""What a judge comes to: an outcome with its number and limits."""

from __future__ import annotations

from dataclasses import dataclass

from wattigram.core.proof.verdict import Outcome


@dataclass(frozen=True)
class Judged:
    """An outcome; see :class:`~wattigram.core.proof.verdict.Verdict`."""

    outcome: Outcome
    measured: float | None
    unit: str
    low: float | None
    high: float | None
    samples: int
    note: str


def not_judged(note: str) -> Judged:
    """There is nothing to judge, and why."""
    return Judged("open", None, "", None, None, 0, note)


def within(measured: float, low: float | None, high: float | None) -> Outcome:
    """Whether a number lies within its limits."""
    inside = (low is None or measured >= low) and (high is None or measured <= high)
    return "holds" if inside else "fails"
