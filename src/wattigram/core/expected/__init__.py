"""The stream that every signal should produce: design + bench, by calculation."""

from wattigram.core.expected.events import ExpectedEvent, expected_events
from wattigram.core.expected.instants import Instants, StampedInstants, SteadyInstants, unwrap_stamps
from wattigram.core.expected.routes import ExpectedValues, expected_values
from wattigram.core.expected.stream import (
    BAND_SIGMAS,
    ExpectedStream,
    History,
    band_half_width_v,
    expected_raw,
    expected_reduced,
    expected_settled_at,
    workspace_at,
)

__all__ = [
    "BAND_SIGMAS",
    "ExpectedEvent",
    "ExpectedStream",
    "ExpectedValues",
    "History",
    "Instants",
    "StampedInstants",
    "SteadyInstants",
    "band_half_width_v",
    "expected_events",
    "expected_raw",
    "expected_reduced",
    "expected_settled_at",
    "expected_values",
    "unwrap_stamps",
    "workspace_at",
]
