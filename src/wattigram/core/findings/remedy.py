"""Choosing a remedy that does cure."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable

from wattigram.core.design import Workspace
from wattigram.core.design.edits import Edit, apply_edit
from wattigram.core.errors import EditError


def first_cure(workspace: Workspace, edits: Iterable[Edit], is_cured: Callable[[Workspace], bool]) -> Edit | None:
    """The first edit that the part can hold and after which the design is as wanted; None where none is."""
    for edit in edits:
        try:
            changed = apply_edit(workspace, edit)
        except EditError:
            continue
        if is_cured(changed):
            return edit
    return None


def round_up(value: float) -> float:
    """The next of 1, 2, 5, 10, 20 … at or above a positive value; a limit that one would type."""
    exponent = math.floor(math.log10(value))
    return next(choice for choice in (float(f"{digit}e{exponent}") for digit in (1, 2, 5, 10)) if choice >= value)
