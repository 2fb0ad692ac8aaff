"""A finding, and the register of the rules that make them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from inspect import cleandoc
from typing import Literal

import msgspec
from msgspec.structs import replace

from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import Edit
from wattigram.core.model.design.edits.changes import fix_text

Severity = Literal["error", "warning", "note"]
Find = Callable[[Workspace], Iterator["Finding"]]
Cell = Literal["", "signal", "front end", "sample", "transfer", "filter", "thresholds"]
"""A column of the Chain page."""
_ORDER = {"error": 0, "warning": 1, "note": 2}
_RULES: dict[str, list[Rule]] = {}
"""Rules by the module that they stand in."""


class Finding(msgspec.Struct, frozen=True):
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
    accepted: str = ""
    """Why it may stay; "" where nobody has accepted it."""
    formerly: str = ""
    """Why it was accepted, when it said something else; "" where it was not."""
    why: str = ""
    """What comes of it where nobody mends it, in a sentence."""


def _with_acceptance(workspace: Workspace, finding: Finding) -> Finding:
    """The finding with the reason for which it is accepted, if it says what was accepted."""
    for one in workspace.project.accepted:
        if (one.code, one.where) == (finding.code, finding.where):
            if one.says == finding.message:
                return replace(finding, accepted=one.reason)
            return replace(finding, formerly=one.reason)
    return finding


def _worth(workspace: Workspace, finding: Finding) -> Finding:
    """The finding with what its fix changes, and without a fix that offers what already is."""
    if finding.remedy is None:
        return finding
    text = fix_text(workspace.project, finding.remedy)
    return replace(finding, fix=text) if text else replace(finding, remedy=None)


class Rule(msgspec.Struct, frozen=True):
    """A rule with the codes of what it finds, and the column of the Chain page that they belong to,
    where there is one.
    """

    find: Find
    codes: tuple[str, ...]
    cell: Cell = ""

    @property
    def why(self) -> str:
        """What comes of what it finds: its own first words; "" where an interpreter left them out."""
        return " ".join(cleandoc(self.find.__doc__ or "").split())


def rule(*codes: str, cell: Cell = "") -> Callable[[Find], Find]:
    """Register a rule with the codes of what it finds; scripts know those, so they never change."""

    def register(find: Find) -> Find:
        _RULES.setdefault(find.__module__, []).append(Rule(find, codes, cell))
        return find

    return register


def rules_of(module: str) -> tuple[Rule, ...]:
    """The rules that stand in a module, in their order."""
    return tuple(_RULES.get(module, ()))


def ordered_findings(workspace: Workspace, rules: Iterable[Rule]) -> tuple[Finding, ...]:
    """Findings of some rules, the most severe first, else in the order of the rules; what is accepted last."""
    findings = []
    for known in rules:
        for finding in known.find(workspace):
            assert finding.code in known.codes, (
                f"{finding.code} is no code of {known.find.__name__}"
            )
            told = replace(finding, why=known.why)
            findings.append(_with_acceptance(workspace, _worth(workspace, told)))
    return tuple(
        sorted(findings, key=lambda finding: (bool(finding.accepted), _ORDER[finding.severity]))
    )
