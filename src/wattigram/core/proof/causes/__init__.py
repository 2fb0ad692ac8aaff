"""Likely causes: mistakes whose symptoms fit what a take shows, ranked by how well they fit.

A cause is looked for only where something fails. Each tester returns nothing rather than a guess.
"""

# Importing a module of testers registers them.
from wattigram.core.proof.causes import (  # noqa: F401
    beside,
    judging,
    levels,
    loopback,
    memory,
    neighbours,
    rates,
    silence,
    stages,
)
from wattigram.core.proof.causes.base import LikelyCause, likely_causes, never_converted, register_differences
from wattigram.core.proof.causes.beside import expectation_beside
from wattigram.core.proof.causes.known import design_causes, is_known
from wattigram.core.proof.causes.neighbours import neighbour_points
from wattigram.core.proof.causes.routes import route_causes

__all__ = [
    "LikelyCause",
    "design_causes",
    "expectation_beside",
    "is_known",
    "likely_causes",
    "neighbour_points",
    "never_converted",
    "register_differences",
    "route_causes",
]
