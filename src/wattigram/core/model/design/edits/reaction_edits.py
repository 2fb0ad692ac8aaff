"""Edits of reactions, and what becomes of reactions when something that they name goes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from msgspec import Struct

from wattigram.core.model.design.expectation import Expectation
from wattigram.core.model.design.project import Project
from wattigram.core.model.design.reaction import (
    BytesAction,
    PairTripped,
    Reaction,
    TextAction,
    TextValue,
    ThresholdCrossed,
    text_pieces,
    with_braces_doubled,
)

OF_REACTIONS = ("reaction", "text")
"""Kinds of expectations that speak of a reaction."""
OF_OTHERS = ("route", *OF_REACTIONS)
"""Kinds that speak of something else than a signal."""


class SetReaction(Struct, frozen=True):
    """Put a reaction in place of the one called ``name``, or add it; what is expected of it
    follows a new name."""

    name: str
    reaction: Reaction

    @property
    def label(self) -> str:
        return (
            f"Reaction {self.reaction.name}: {self.reaction.do.kind} on {self.reaction.when.kind}"
        )

    def apply(self, project: Project) -> Project:
        kept = [self.reaction if one.name == self.name else one for one in project.reactions]
        if project.reaction(self.name) is None:
            kept.append(self.reaction)
        expectations = tuple(
            item.replaced(signal=self.reaction.name)
            if item.kind in OF_REACTIONS and item.signal == self.name
            else item
            for item in project.expectations
        )
        return project.replaced(reactions=tuple(kept), expectations=expectations)


def without_reactions(
    project: Project, is_gone: Callable[[Reaction], bool]
) -> dict[str, tuple[Any, ...]]:
    """Reactions and expectations that are left where some reactions go."""
    gone = {reaction.name for reaction in project.reactions if is_gone(reaction)}
    expectations: tuple[Expectation, ...] = tuple(
        item
        for item in project.expectations
        if item.kind not in OF_REACTIONS or item.signal not in gone
    )
    kept = tuple(reaction for reaction in project.reactions if reaction.name not in gone)
    return {"reactions": kept, "expectations": expectations}


def names_signal(reaction: Reaction, name: str) -> bool:
    """Whether a reaction cannot be without a signal."""
    is_cause = getattr(reaction.when, "signal", None) == name
    return is_cause or name in {signal for signal, _input in reaction.readings}


def with_signal_renamed(reaction: Reaction, name: str, new_name: str) -> Reaction:
    """The reaction with another name for a signal, in its text too."""
    when, do = reaction.when, reaction.do
    if isinstance(when, (ThresholdCrossed, PairTripped)) and when.signal == name:
        when = when.replaced(signal=new_name)
    if isinstance(do, TextAction):
        do = do.replaced(text=_renamed_text(do.text, name, new_name))
    elif isinstance(do, BytesAction):
        do = do.replaced(signals=tuple(new_name if one == name else one for one in do.signals))
    elif getattr(do, "signal", None) == name:
        do = do.replaced(signal=new_name)
    return reaction.replaced(when=when, do=do)


def _renamed_text(text: str, name: str, new_name: str) -> str:
    parts = []
    for piece in text_pieces(text):
        if isinstance(piece, TextValue):
            signal = new_name if piece.signal == name else piece.signal
            raw = "raw " if piece.input == "raw" else ""
            parts.append(f"{{{with_braces_doubled(signal)}:{raw}{piece.form}}}")
        else:
            parts.append(with_braces_doubled(piece))
    return "".join(parts)


def with_threshold_removed(project: Project, signal: str, number: int) -> Project:
    """The project without reactions to a threshold, counted from 1; those after it count on."""
    left = without_reactions(project, lambda one: _threshold_of(one, signal) == number)
    moved = tuple(
        reaction.replaced(when=reaction.when.replaced(threshold=reaction.when.threshold - 1))
        if isinstance(reaction.when, ThresholdCrossed)
        and (_threshold_of(reaction, signal) or 0) > number
        else reaction
        for reaction in left["reactions"]
    )
    return project.replaced(**{**left, "reactions": moved})


def _threshold_of(reaction: Reaction, signal: str) -> int | None:
    when = reaction.when
    if isinstance(when, ThresholdCrossed) and when.signal == signal:
        return when.threshold
    return None
