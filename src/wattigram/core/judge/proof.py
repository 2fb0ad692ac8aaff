"""All expectations of a project held against a take."""

from __future__ import annotations

from collections.abc import Callable
from html import escape
from pathlib import Path

import msgspec
from msgspec.structs import replace

from wattigram.core.capture.take import Take
from wattigram.core.contract.link import FAILED
from wattigram.core.judge.causes import (
    LikelyCause,
    design_causes,
    expectation_beside,
    is_known,
    likely_causes,
    never_converted,
    reaction_causes,
    register_differences,
    route_causes,
)
from wattigram.core.judge.expectation_judges import judge
from wattigram.core.judge.verdict import Verdict
from wattigram.core.judge.wording import expectation_text
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits.changes import fix_text


class Proof(msgspec.Struct, frozen=True):
    """Verdicts on a take, and likely causes of what fails."""

    take: Path
    build_id: str
    mark_matches: bool
    verdicts: tuple[Verdict, ...]
    causes: tuple[LikelyCause, ...]
    differences: tuple[str, ...] = ()
    """Registers that the board's firmware set up otherwise than the take's design, where it was
    watched."""
    fault: str = ""
    """How the board's firmware failed; "" where it did not."""

    def _repr_html_(self) -> str:
        """A table, where notebooks show it."""
        rows = "".join(
            f"<tr><td>{escape(one.outcome)}</td><td>{escape(one.text)}</td><td>{escape(one.note)}</td></tr>"
            for one in self.verdicts
        )
        causes = "".join(f"<div>likely cause: {escape(cause.title)}</div>" for cause in self.causes)
        return f"<table><tr><th></th><th>expectation</th><th>seen</th></tr>{rows}</table>{causes}"

    def count(self, outcome: str) -> int:
        """Number of verdicts of one outcome."""
        return sum(verdict.outcome == outcome for verdict in self.verdicts)

    @property
    def all_hold(self) -> bool:
        """Everything could be judged and holds, and the firmware did not fail."""
        return self.passes(open_too=False)

    def passes(self, open_too: bool) -> bool:
        """Nothing fails and something holds; what could not be judged counts as passed only with
        ``open_too``."""
        judged = self.count("fails") == 0 and self.count("holds") > 0 and not self.fault
        return judged and (open_too or self.count("open") == 0)


def prove(
    workspace: Workspace, take: Take, progress: Callable[[float], None] | None = None
) -> Proof:
    """Judge the project's expectations on a take.

    The expected streams come from the design that the take carries; the expectations from the
    project as it is now. Expectations on signals that the take's design does not know stay open.
    """
    project = take.workspace.project
    signals = {signal.name for signal in project.signals}
    known = signals | {route.name for route in project.routes}
    known |= {reaction.name for reaction in project.reactions}
    verdicts: list[Verdict] = []
    expectations = workspace.project.expectations
    for index, expectation in enumerate(expectations):
        if expectation.signal in known:
            verdicts += judge(take, index, expectation)
        else:
            text = expectation_text(expectation)
            note = "the take's design has no such signal"
            verdicts.append(
                Verdict(index, expectation, text, "open", None, "", None, None, 0, note)
            )
        if progress is not None:
            progress(0.8 * (index + 1) / len(expectations))
    failing: dict[str, set[str]] = {}
    for verdict in verdicts:
        if verdict.outcome == "fails":
            failing.setdefault(verdict.signal, set()).add(verdict.kind)
    for verdict in verdicts:
        if (
            verdict.outcome == "fails" and verdict.kind == "redundant-pair"
        ):  # either of the two may be at fault
            failing.setdefault(
                take.workspace.project.signal(verdict.signal).partner or verdict.signal, set()
            ).add("redundant-pair")
    causes: list[LikelyCause] = []
    for name, kinds in failing.items():
        causes += likely_causes(take, name, kinds)
        route = project.route(name)
        if route is not None:
            causes += route_causes(take, route)
        reaction = project.reaction(name)
        if reaction is not None:
            causes += reaction_causes(take, reaction)
    for verdict in verdicts:
        if (
            verdict.outcome == "open"
            and verdict.signal in signals
            and take.workspace.project.chain_of(verdict.signal) is None
        ):
            causes += never_converted(take, verdict.signal)
    causes += design_causes(take, failing, causes)
    explained = {name for cause in causes for name in cause.signals}
    for verdict in verdicts:
        if verdict.outcome == "fails" and verdict.signal not in explained:
            beside = expectation_beside(take, verdict)
            if beside is not None:
                causes.append(beside)
                explained.add(verdict.signal)
    if progress is not None:
        progress(1.0)
    causes = [
        _with_fix(workspace, cause)
        for cause in _once_each(causes, [is_known(take, cause) for cause in causes])
    ]
    if take.fault:
        signal = next(iter(failing), expectations[0].signal if expectations else "")
        causes.insert(0, LikelyCause(signal, "firmware-failed", FAILED, 1.0, take.fault, None))
    matches = take.build_id == workspace.build_id
    differing = tuple(
        register_difference.text for register_difference in register_differences(take)
    )
    return Proof(
        take.path, take.build_id, matches, tuple(verdicts), tuple(causes), differing, take.fault
    )


def _with_fix(workspace: Workspace, cause: LikelyCause) -> LikelyCause:
    """The cause with what its remedy would change in the project as it is now; without one that
    changes nothing."""
    if cause.remedy is None:
        return cause
    text = fix_text(workspace.project, cause.remedy)
    return replace(cause, fix=text) if text else replace(cause, remedy=None)


def _once_each(causes: list[LikelyCause], known: list[bool]) -> list[LikelyCause]:
    """What the design has as a finding first, then the best fit; each cause once, with its best
    evidence.

    What concerns a converter as a whole, or several signals alike, is one cause with all of them
    named.
    """
    # Of causes that fit alike the one that explains more comes first.
    ranked = sorted(
        zip(causes, known, strict=True),
        key=lambda one: (not one[1], -round(one[0].fit, 2), not one[0].converter, -one[0].fit),
    )
    kept: list[LikelyCause] = []
    for cause, _is_known in ranked:
        place = next((place for place, first in enumerate(kept) if _is_same(first, cause)), None)
        if place is None:
            kept.append(cause)
        elif cause.signal not in kept[place].signals:
            kept[place] = replace(kept[place], others=(*kept[place].others, cause.signal))
    return kept


def _is_same(first: LikelyCause, cause: LikelyCause) -> bool:
    """Whether two causes of one kind concern the same converter, the same signal, or are one by
    their title."""
    alike = (first.converter or first.title) == (cause.converter or cause.title)
    return first.cause == cause.cause and (alike or cause.signal in first.signals)
