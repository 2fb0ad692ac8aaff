"""Choosing a remedy that does cure."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from contextvars import ContextVar

from wattigram.core.advise.findings.finding import Finding
from wattigram.core.base.errors import EditError
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import Edit, apply_edit

_TRYING: ContextVar[bool] = ContextVar("trying a fix", default=False)


def first_effective_fix(
    workspace: Workspace, edits: Iterable[Edit], is_cured: Callable[[Workspace], bool]
) -> Edit | None:
    """The first edit that the part can hold and after which the design is as wanted; None where
    none is.

    Whether a rule is content is asked of the rule itself, which must not look for cures of its own
    meanwhile.
    """
    if _TRYING.get():
        return None
    token = _TRYING.set(True)
    try:
        for edit in edits:
            try:
                changed = apply_edit(workspace, edit)
            except EditError:
                continue
            if is_cured(changed):
                return edit
        return None
    finally:
        _TRYING.reset(token)


def rule_satisfied(
    rule: Callable[[Workspace], Iterable[Finding]], signal: str, code: str = ""
) -> Callable[[Workspace], bool]:
    """Whether a rule has nothing more to say of a signal, or nothing of that code."""

    def is_cured(workspace: Workspace) -> bool:
        return not any(
            finding.signal == signal and finding.code.startswith(code)
            for finding in rule(workspace)
        )

    return is_cured


def round_up(value: float) -> float:
    """The next of 1, 2, 5, 10, 20 … at or above a positive value; a limit that one would type."""
    exponent = math.floor(math.log10(value))
    return next(
        choice
        for choice in (float(f"{digit}e{exponent}") for digit in (1, 2, 5, 10))
        if choice >= value
    )
