"""Reactions that do not come as they should."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings import find_all
from wattigram.core.capture.take import Take
from wattigram.core.judge.causes.base import LikelyCause, difference_cause
from wattigram.core.judge.causes.involved_peripherals import moved_owners, reaction_owners
from wattigram.core.judge.causes.own_code import FIT, told
from wattigram.core.model.design import Reaction

LATE_FIT = 0.95


def reaction_causes(take: Take, reaction: Reaction) -> list[LikelyCause]:
    """Causes for one reaction that fails, the best fit first; empty where nothing fits."""
    causes = [*_own_code(take, reaction), *_too_late(take, reaction)]
    differing = difference_cause(take, reaction.name, reaction_owners(take.workspace, reaction))
    return [*([differing] if differing is not None else []), *causes]


def _own_code(take: Take, reaction: Reaction) -> Iterator[LikelyCause]:
    """Own code wrote what the reaction moves."""
    owners = moved_owners(take.workspace, reaction)
    writes = [write for write in take.late_writes if write.owner in owners]
    if writes:
        title, evidence = told(take, writes)
        yield LikelyCause(reaction.name, "own-code-writes", title, FIT, evidence)


def _too_late(take: Take, reaction: Reaction) -> Iterator[LikelyCause]:
    """It cannot be sooner, which could be seen before."""
    for finding in find_all(take.workspace):
        if finding.code == "reaction-late" and finding.signal == reaction.name:
            yield LikelyCause(
                reaction.name,
                finding.code,
                finding.title,
                LATE_FIT,
                finding.message,
                finding.remedy,
            )
