"""Likely causes: mistakes whose symptoms fit what a take shows, ranked by how well they fit.

A cause is looked for only where something fails. Each tester returns nothing rather than a guess.
"""

# Importing a module of testers registers them.
from wattigram.core.judge.causes import (  # noqa: F401
    events,
    expectations_and_costs,
    item_format,
    levels,
    loopback,
    missing_samples,
    own_code,
    rates,
    settling,
    stages,
)
from wattigram.core.judge.causes.base import (
    LikelyCause,
    cause_tests,
    likely_causes,
    never_converted,
    register_differences,
)
from wattigram.core.judge.causes.expectations_and_costs import expectation_beside
from wattigram.core.judge.causes.known import design_causes, is_known
from wattigram.core.judge.causes.reactions import reaction_causes
from wattigram.core.judge.causes.routes import route_causes
from wattigram.core.judge.causes.settling import neighbour_points

__all__ = [
    "LikelyCause",
    "cause_codes",
    "design_causes",
    "expectation_beside",
    "is_known",
    "likely_causes",
    "neighbour_points",
    "never_converted",
    "reaction_causes",
    "register_differences",
    "route_causes",
]

_OTHERS = frozenset(
    {
        "signal-not-converted",
        "expectation-beside-bench",
        "firmware-differs",
        "firmware-failed",
        "reaction-late",
        "baud-differs",
    }
)
"""Codes of causes that are found in other ways than by a test of one failing signal."""


def cause_codes() -> frozenset[str]:
    """Codes of all causes, beside those of findings, any of which may be one where it was made up of a design."""
    return _OTHERS.union(*(known.codes for known in cause_tests()))
