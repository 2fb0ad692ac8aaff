"""Reactions that do not come as they should."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.base.quantity import format_si
from wattigram.core.capture.take import Take
from wattigram.core.judge.causes.base import LikelyCause, difference_cause
from wattigram.core.judge.causes.involved_peripherals import moved_owners, reaction_owners
from wattigram.core.judge.causes.own_code import FIT, told
from wattigram.core.model.design import (
    Chain,
    Dma,
    Reaction,
    ReactionExpectation,
    Workspace,
)
from wattigram.core.model.design.edits import SetBufferLength
from wattigram.core.predict.program import reaction_timing

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
    """It cannot be sooner: values wait until a half of the buffer is full."""
    workspace = take.workspace
    timing = reaction_timing(workspace, reaction)
    allowed_s = [
        expectation.within_s
        for expectation in workspace.project.expectations
        if isinstance(expectation, ReactionExpectation) and expectation.signal == reaction.name
    ]
    if not allowed_s or timing.latest_s <= min(allowed_s):
        return
    chain = _waiting(workspace, reaction)
    remedy = None
    if chain is not None and timing.most_s:
        unit = 2 * len(chain.slots)
        share = max(0.0, float(min(allowed_s)) - float(timing.load_s)) / float(timing.most_s)
        length = int(chain.buffer.samples * share) // unit * unit
        remedy = SetBufferLength(chain.converter, length) if length >= unit else None
    yield LikelyCause(
        reaction.name,
        "reaction-late",
        f"{reaction.name} cannot be in time",
        LATE_FIT,
        f"It comes up to {format_si(timing.latest_s, 's', 4)} after its value was held, for that "
        f"waits until others are fetched with it; {format_si(min(allowed_s), 's', 4)} are allowed",
        remedy,
    )


def _waiting(workspace: Workspace, reaction: Reaction) -> Chain | None:
    """The chain whose buffer a reaction waits for."""
    project = workspace.project
    cause = getattr(reaction.when, "signal", "")
    chain = (
        project.chain_of(cause) if cause else project.chain(getattr(reaction.when, "converter", ""))
    )
    return chain if chain is not None and isinstance(chain.readout, Dma) else None
