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
from wattigram.core.advise.explanations.outputs import (
    dac_count,
    pwm_bits,
    pwm_duty,
    pwm_mean,
    pwm_rate,
    pwm_settling,
    update_rate,
    wave_rate,
)
from wattigram.core.advise.explanations.program import processor_share, worst_latency
from wattigram.core.advise.explanations.serial_lines import (
    baud,
    character_time,
    throughput,
    wire_time,
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
    "baud",
    "buffer_bytes",
    "character_time",
    "conversion",
    "converter_clock",
    "count_volts",
    "cutoff",
    "dac_count",
    "latency",
    "lines",
    "output_rate",
    "processor_share",
    "pwm_bits",
    "pwm_duty",
    "pwm_mean",
    "pwm_rate",
    "pwm_settling",
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
    "throughput",
    "trigger_period",
    "update_rate",
    "wave_rate",
    "wire_time",
    "worst_latency",
    "wrap_time",
]
