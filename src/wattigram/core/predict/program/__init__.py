"""What the program's reactions come to: values, times, text."""

from wattigram.core.predict.program.reaction_timing import (
    ReactionTiming,
    fetch_wait_s,
    filter_delay_s,
    longest_bytes,
    reaction_timing,
    sent_bytes,
    wire_s,
)
from wattigram.core.predict.program.scaled_values import (
    ScaledEnds,
    scaled_ends,
    volts_per_code,
)

__all__ = [
    "ReactionTiming",
    "ScaledEnds",
    "fetch_wait_s",
    "filter_delay_s",
    "longest_bytes",
    "reaction_timing",
    "scaled_ends",
    "sent_bytes",
    "volts_per_code",
    "wire_s",
]
