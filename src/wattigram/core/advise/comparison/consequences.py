"""What an edit would change, before it is made."""

from __future__ import annotations

from typing import Literal

import msgspec

from wattigram.core.advise.comparison.figures import compare_designs, value_text
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import EditError
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import Edit, apply_edit


class Consequence(msgspec.Struct, frozen=True):
    """One line: a finding that comes or goes, a figure that changes, or why it cannot be done."""

    kind: Literal["comes", "goes", "changes", "refused"]
    text: str


def consequences(workspace: Workspace, edit: Edit) -> tuple[Consequence, ...]:
    """What would be different after an edit; empty where nothing is."""
    try:
        after = apply_edit(workspace, edit)
    except EditError as fault:
        return (Consequence("refused", str(fault)),)
    before = {(finding.code, finding.message): finding for finding in find_all(workspace)}
    now = {(finding.code, finding.message): finding for finding in find_all(after)}
    changed = [
        Consequence("comes", finding.message) for key, finding in now.items() if key not in before
    ]
    changed += [
        Consequence("goes", finding.message) for key, finding in before.items() if key not in now
    ]
    for difference in compare_designs(workspace, after):
        if not difference.is_equal and difference.subject != "whole design":
            before_text, after_text = (
                value_text(difference.a, difference.unit),
                value_text(difference.b, difference.unit),
            )
            changed.append(
                Consequence(
                    "changes",
                    f"{difference.subject}, {difference.figure}: {before_text} → {after_text}",
                )
            )
    return tuple(changed)
