"""What is wrong or doubtful in a design: sentences with numbers, and cures that are edits."""

# Importing a module of rules registers them.
from wattigram.core.findings import (  # noqa: F401
    clock,
    comparators,
    generators,
    levels,
    loops,
    order,
    output_pins,
    pins,
    reading,
    reduce,
    registers,
    retrieval,
    routes,
    sampling,
    timers,
    triggers,
    twins,
    windows,
)
from wattigram.core.findings.finding import Finding, find_all, rules

__all__ = ["Finding", "find_all", "rules"]
