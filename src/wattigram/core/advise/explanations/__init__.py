"""Where numbers come from: formulas with their values, and the origins of those."""

from wattigram.core.advise.explanations.accuracy import (
    count_volts,
    raw_noise,
    settling_time,
    source_count_volts,
    step_left,
)
from wattigram.core.advise.explanations.buffers import buffer_bytes, scans_held, wrap_time
from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Given,
    Place,
    lines,
)
from wattigram.core.advise.explanations.filters import (
    accumulator,
    cutoff,
    latency,
    output_rate,
    raw_rate,
)
from wattigram.core.advise.explanations.timing import (
    conversion,
    converter_clock,
    sampling,
    sampling_instant,
    scan_rate,
    scan_time,
    signal_rate,
    slack,
    trigger_period,
)

__all__ = [
    "Derived",
    "Explanation",
    "Given",
    "Place",
    "accumulator",
    "buffer_bytes",
    "conversion",
    "converter_clock",
    "count_volts",
    "cutoff",
    "latency",
    "lines",
    "output_rate",
    "raw_noise",
    "raw_rate",
    "sampling",
    "sampling_instant",
    "scan_rate",
    "scan_time",
    "scans_held",
    "settling_time",
    "signal_rate",
    "slack",
    "source_count_volts",
    "step_left",
    "trigger_period",
    "wrap_time",
]
