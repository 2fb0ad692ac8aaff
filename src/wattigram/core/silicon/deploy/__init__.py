"""From a design and its bench to the effective configuration that a board runs from."""

from wattigram.core.silicon.deploy.pin_drives import effective_bench
from wattigram.core.silicon.deploy.processing_config import effective_taps
from wattigram.core.silicon.deploy.program_config import (
    effective_outputs,
    fixed_point,
    period_ticks,
)
from wattigram.core.silicon.deploy.project_config import effective_config

__all__ = [
    "effective_bench",
    "effective_config",
    "effective_outputs",
    "effective_taps",
    "fixed_point",
    "period_ticks",
]
