"""What is wired to the board's pins."""

from wattigram.core.bench.evaluate import (
    source_crossings,
    source_extent_v,
    source_slope_v_s,
    source_span_s,
    source_voltage,
)
from wattigram.core.bench.model import (
    DrivingSource,
    Floating,
    Follow,
    Level,
    Ramp,
    Sine,
    Source,
    Steps,
    Wiring,
    resolve_source,
)

__all__ = [
    "DrivingSource",
    "Floating",
    "Follow",
    "Level",
    "Ramp",
    "Sine",
    "Source",
    "Steps",
    "Wiring",
    "resolve_source",
    "source_crossings",
    "source_extent_v",
    "source_slope_v_s",
    "source_span_s",
    "source_voltage",
]
