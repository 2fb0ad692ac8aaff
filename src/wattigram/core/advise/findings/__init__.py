"""What is wrong or doubtful in a design: sentences with numbers, and cures that are edits."""

# Importing a module of rules registers them.
from wattigram.core.advise.findings import (  # noqa: F401
    buffers,
    clock,
    comparators,
    dac_outputs,
    filters,
    input_levels,
    input_pins,
    item_format,
    ordering,
    output_pins,
    redundant_pairs,
    registers,
    retrieval,
    routes,
    sampling,
    thresholds,
    timers,
    triggers,
)
from wattigram.core.advise.findings.finding import Finding, find_all, rules

__all__ = ["Finding", "find_all", "rules"]
