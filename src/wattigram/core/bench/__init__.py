"""What is wired to the board's pins."""

from wattigram.core.bench.evaluate import source_extent_v, source_span_s, source_voltage
from wattigram.core.bench.model import (
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
    "Floating",
    "Follow",
    "Level",
    "Ramp",
    "Sine",
    "Source",
    "Steps",
    "Wiring",
    "resolve_source",
    "source_extent_v",
    "source_span_s",
    "source_voltage",
]
