"""The stream that every signal should produce: design + bench, by calculation."""

from wattigram.core.predict.expected.events import ExpectedEvent, expected_events
from wattigram.core.predict.expected.pointed_inputs import (
    Pointing,
    input_name,
    pointed_outputs,
    read_everywhere,
    with_pointings,
)
from wattigram.core.predict.expected.program_values import (
    expected_program_values,
    setter_of,
)
from wattigram.core.predict.expected.reading_band import ReadingBand
from wattigram.core.predict.expected.route_values import ExpectedValues, expected_values
from wattigram.core.predict.expected.sample_times import (
    SampleTimes,
    SteadyTimes,
    TimestampedTimes,
    unwrap_stamps,
)
from wattigram.core.predict.expected.stream import (
    BAND_SIGMAS,
    ExpectedStream,
    History,
    band_half_width_v,
    expected_filtered,
    expected_raw,
    expected_settled,
    expected_settled_at,
    workspace_at,
)

__all__ = [
    "BAND_SIGMAS",
    "ExpectedEvent",
    "ExpectedStream",
    "ExpectedValues",
    "History",
    "Pointing",
    "ReadingBand",
    "SampleTimes",
    "SteadyTimes",
    "TimestampedTimes",
    "band_half_width_v",
    "expected_events",
    "expected_filtered",
    "expected_program_values",
    "expected_raw",
    "expected_settled",
    "expected_settled_at",
    "expected_values",
    "input_name",
    "pointed_outputs",
    "read_everywhere",
    "setter_of",
    "unwrap_stamps",
    "with_pointings",
    "workspace_at",
]
