"""Mistakes that the design's own findings name already: they come before whatever merely looks like
one."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from wattigram.core.advise.findings import Finding, find_all
from wattigram.core.capture.take import Take
from wattigram.core.judge.causes.base import OTHERWISE_NAMED, LikelyCause
from wattigram.core.model.design import Chain

UNSEEN_FIT = 0.9
"""Of an error that the design has, where no tester measures its symptom."""
WARNED_FIT = 0.6
OF_EVENTS = ("window", "comparator", "chain-st")
EVENT_KINDS = frozenset({"threshold", "edges", "trip"})
WITHOUT_SYMPTOM = frozenset(
    {"pin-beyond-limits", "twin-stage-differs", "registers-cannot-hold", "twin-same-converter"}
)
"""What endangers a part, or an aim, and shows in no stream by itself."""
OF_PAIRS = "twin"
LOADS = frozenset({"processor-busy", "processor-overloaded", "software-in-path"})


def name_of(code: str) -> str:
    """The cause's name of a finding."""
    return OTHERWISE_NAMED.get(code, code)


def is_known(take: Take, cause: LikelyCause) -> bool:
    """Whether the design's findings say so too, of the same signal or converter: what they do not
    only looks like it."""
    return any(
        name_of(finding.code) == cause.cause
        and (not finding.signal or finding.signal in cause.signals or bool(cause.converter))
        and (not finding.converter or not cause.converter or finding.converter == cause.converter)
        for finding in find_all(take.workspace)
    )


def design_causes(
    take: Take, failing: Mapping[str, set[str]], causes: list[LikelyCause]
) -> Iterator[LikelyCause]:
    """Errors of the design that no tester named, and its warnings where nothing at all was.

    Parameters
    ----------
    failing : kinds of expectations that fail, by signal
    causes : what testers came to
    """
    named = {cause.cause for cause in causes}
    for severity, fit in (("error", UNSEEN_FIT), ("warning", WARNED_FIT)):
        for finding in find_all(take.workspace):
            code = name_of(finding.code)
            if finding.severity != severity or code in named or finding.code in WITHOUT_SYMPTOM:
                continue
            for signal, kinds in failing.items():
                if severity == "warning" and any(
                    signal in cause.signals or cause.converter for cause in causes
                ):
                    continue
                if _concerns(take, finding, signal, kinds):
                    named.add(code)
                    yield LikelyCause(
                        signal,
                        code,
                        finding.title,
                        fit,
                        finding.message,
                        finding.remedy,
                        finding.converter if not finding.signal else "",
                    )
                    break


def _concerns(take: Take, finding: Finding, signal: str, kinds: set[str]) -> bool:
    """Whether what fails of a signal could come from a finding."""
    if finding.code.startswith(OF_EVENTS):
        return finding.signal in {"", signal} and bool(kinds & EVENT_KINDS)
    if finding.code.startswith(OF_PAIRS):
        return finding.signal == signal and "redundant-pair" in kinds
    if finding.signal:
        return finding.signal == signal
    chain = take.workspace.project.chain_of(signal)
    return finding.converter in {"", chain.converter if isinstance(chain, Chain) else signal}
