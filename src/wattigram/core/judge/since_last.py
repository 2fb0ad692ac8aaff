"""What has changed from one proof to the next."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from wattigram.core.judge.verdict import Verdict, outcome_text
from wattigram.core.model.design import FigureExpectation, SineExpectation


class Change(msgspec.Struct, frozen=True):
    """What a verdict was before: its outcome, and what was measured then."""

    before: Verdict
    now: Verdict

    @property
    def is_turned(self) -> bool:
        """It comes to something else."""
        return self.before.outcome != self.now.outcome

    @property
    def text(self) -> str:
        """What it was, with its number."""
        measured = self.before.measured_text
        return outcome_text(self.before.outcome) + (f", {measured}" if measured else "")


def changes(before: Iterable[Verdict], now: Iterable[Verdict]) -> dict[int, Change]:
    """Of verdicts, by their places, what each was before; those that were not there before have none.

    A verdict is the same one where it is about the same figure of the same signal, though its limits may have
    been moved.
    """
    left: dict[tuple[str, ...], list[Verdict]] = {}
    for verdict in before:
        left.setdefault(_subject(verdict), []).append(verdict)
    found = {}
    for place, verdict in enumerate(now):
        known = left.get(_subject(verdict))
        if known:
            found[place] = Change(known.pop(0), verdict)
    return found


def _subject(verdict: Verdict) -> tuple[str, ...]:
    aim = verdict.expectation
    if isinstance(aim, FigureExpectation):
        return aim.kind, aim.signal, aim.measure, aim.figure, aim.input, aim.other or ""
    if isinstance(aim, SineExpectation):  # "is", "amplitude" or "rms": each by itself
        return aim.kind, aim.signal, verdict.text.removeprefix(aim.signal).split()[0]
    return aim.kind, aim.signal
