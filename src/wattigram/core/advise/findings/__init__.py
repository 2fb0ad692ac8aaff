"""What is wrong or doubtful in a design: sentences with numbers, and fixes that are edits.

A rule is a function that :func:`rule` registers with its codes; ``docs/cli.md`` has a row for each code.
"""

from __future__ import annotations

from wattigram.core.advise.findings import (
    buffers,
    clock,
    comparators,
    dac_outputs,
    filters,
    in_time,
    input_levels,
    input_pins,
    item_format,
    ordering,
    other_boards,
    output_pins,
    reactions,
    redundant_pairs,
    registers,
    retrieval,
    routes,
    sampling,
    serial_lines,
    thresholds,
    timers,
    triggers,
)
from wattigram.core.advise.findings.finding import Cell, Finding, Rule, ordered_findings, rules_of
from wattigram.core.model.design import Workspace

__all__ = ["RULES", "Cell", "Finding", "Rule", "cell_of", "find_all"]

_MODULES = (
    clock,
    comparators,
    dac_outputs,
    input_levels,
    buffers,
    ordering,
    input_pins,
    output_pins,
    item_format,
    filters,
    registers,
    retrieval,
    routes,
    serial_lines,
    sampling,
    timers,
    triggers,
    redundant_pairs,
    thresholds,
    reactions,
    other_boards,
    in_time,
)
RULES: tuple[Rule, ...] = tuple(rule for module in _MODULES for rule in rules_of(module.__name__))
"""All rules; findings of one severity come in this order."""
_CELLS = {code: rule.cell for rule in RULES for code in rule.codes}


def find_all(workspace: Workspace) -> tuple[Finding, ...]:
    """All findings of a design, the most severe first."""
    return ordered_findings(workspace, RULES)


def cell_of(code: str) -> Cell:
    """The column of the Chain page that a finding's code belongs to; "" for none."""
    return _CELLS.get(code, "")
