"""All expectations of a project held against a take."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from wattigram.core.design import Workspace
from wattigram.core.link import FAILED
from wattigram.core.proof.causes import LikelyCause, likely_causes, never_converted, register_differences, route_causes
from wattigram.core.proof.judge import expectation_text, judge
from wattigram.core.proof.verdict import Verdict
from wattigram.core.take import Take


@dataclass(frozen=True)
class Proof:
    """Verdicts on a take, and likely causes of what fails."""

    take: Path
    build_mark: str
    mark_matches: bool
    verdicts: tuple[Verdict, ...]
    causes: tuple[LikelyCause, ...]
    differences: tuple[str, ...] = ()
    """Registers that the board's firmware set up otherwise than the take's design, where it was watched."""
    fault: str = ""
    """How the board's firmware failed; "" where it did not."""

    def count(self, outcome: str) -> int:
        """Number of verdicts of one outcome."""
        return sum(verdict.outcome == outcome for verdict in self.verdicts)

    @property
    def all_hold(self) -> bool:
        """Nothing fails, something could be judged, and the firmware did not fail."""
        return self.count("fails") == 0 and self.count("holds") > 0 and not self.fault


def prove(workspace: Workspace, take: Take, progress: Callable[[float], None] | None = None) -> Proof:
    """Judge the project's expectations on a take.

    The expected streams come from the design that the take carries; the expectations from the
    project as it is now. Expectations on signals that the take's design does not know stay open.
    """
    project = take.workspace.project
    known = {signal.name for signal in project.signals} | {route.name for route in project.routes}
    verdicts: list[Verdict] = []
    expectations = workspace.project.expectations
    for index, expectation in enumerate(expectations):
        if expectation.signal in known:
            verdicts += judge(take, index, expectation)
        else:
            text = expectation_text(expectation)
            note = "the take's design has no such signal"
            verdicts.append(Verdict(index, expectation, text, "open", None, "", None, None, 0, note))
        if progress is not None:
            progress(0.8 * (index + 1) / len(expectations))
    failing = {verdict.signal: None for verdict in verdicts if verdict.outcome == "fails"}
    for verdict in verdicts:
        if verdict.outcome == "fails" and verdict.kind == "twin":  # either of the two may be at fault
            failing[take.workspace.project.signal(verdict.signal).twin_of or verdict.signal] = None
    causes: list[LikelyCause] = []
    for name in failing:
        causes += likely_causes(take, name)
        route = project.route(name)
        if route is not None:
            causes += route_causes(take, route)
    for verdict in verdicts:
        if (
            verdict.outcome == "open"
            and verdict.signal in known
            and take.workspace.project.chain_of(verdict.signal) is None
        ):
            causes += never_converted(take, verdict.signal)
    if progress is not None:
        progress(1.0)
    causes = _once_each(causes)
    if take.fault:
        signal = next(iter(failing), expectations[0].signal if expectations else "")
        causes.insert(0, LikelyCause(signal, "firmware-failed", FAILED, 1.0, take.fault, None))
    matches = take.build_mark == workspace.build_mark
    differing = tuple(one.text for one in register_differences(take))
    return Proof(take.path, take.build_mark, matches, tuple(verdicts), tuple(causes), differing, take.fault)


def _once_each(causes: list[LikelyCause]) -> list[LikelyCause]:
    """The best fit first; what concerns a converter as a whole is named once, with its best evidence."""
    # Of causes that fit alike the one that explains more comes first.
    ranked = sorted(causes, key=lambda cause: (-round(cause.fit, 2), not cause.converter, -cause.fit))
    named: set[tuple[str, str]] = set()
    kept = []
    for cause in ranked:
        if cause.converter:
            key = (cause.cause, cause.converter)
            if key in named:
                continue
            named.add(key)
        kept.append(cause)
    return kept
