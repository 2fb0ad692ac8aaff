"""Rules on what the part's registers can hold."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.base.errors import RegisterError
from wattigram.core.model.design import Workspace
from wattigram.core.silicon.registers import design_writes


@rule("registers-cannot-hold")
def registers_cannot_hold_it(workspace: Workspace) -> Iterator[Finding]:
    """Firmware cannot be written; the virtual board runs the design as if it could be."""
    if not workspace.part.blocks:
        return
    try:
        design_writes(workspace)
    except RegisterError as fault:
        yield Finding(
            "registers-cannot-hold",
            "warning",
            f"registers of {workspace.part.name}",
            "No firmware can be written for this",
            f"{fault} Until then the virtual board runs the design as if it could.",
            None,
        )
