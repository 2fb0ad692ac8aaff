"""A finding, and the register of the rules that make them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Literal

from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import Edit
from wattigram.core.model.design.edits.changes import fix_text

Severity = Literal["error", "warning", "note"]
Rule = Callable[[Workspace], Iterator["Finding"]]
_ORDER = {"error": 0, "warning": 1, "note": 2}
_RULES: list[Rule] = []


@dataclass(frozen=True)
class Finding:
    """Something wrong or doubtful.

    Attributes
    ----------
    code : str
        Stable name for scripts.
    where : str
        Place in the design, for people: "ADC 1, slot 3".
    title, message : str
        A few words; and a sentence with the numbers.
    remedy : Edit or None
        The edit that cures it, where one exists.
    signal, converter : str
        What it belongs to on the Chain page; "" where it belongs to none.
    """

    code: str
    severity: Severity
    where: str
    title: str
    message: str
    remedy: Edit | None = None
    signal: str = ""
    converter: str = ""

    fix: str = ""
    """What the remedy changes, for people; "" where it has none."""


def _worth(workspace: Workspace, finding: Finding) -> Finding:
    """The finding with what its fix changes, and without a fix that offers what already is."""
    if finding.remedy is None:
        return finding
    text = fix_text(workspace.project, finding.remedy)
    return replace(finding, fix=text) if text else replace(finding, remedy=None)


def rule(function: Rule) -> Rule:
    """Register a rule."""
    _RULES.append(function)
    return function


def rules() -> tuple[Rule, ...]:
    """All rules."""
    return tuple(_RULES)


def find_all(workspace: Workspace) -> tuple[Finding, ...]:
    """All findings of a design, the gravest first."""
    found = [_worth(workspace, finding) for one in _RULES for finding in one(workspace)]
    return tuple(sorted(found, key=lambda finding: _ORDER[finding.severity]))
