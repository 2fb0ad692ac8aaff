"""What the program's reactions come to: values, times, text."""

from wattigram.core.predict.program.processor_timeline import (
    MAIN_LOOP,
    Block,
    Lane,
    ProcessorTimeline,
    half_share,
    isr_share,
    processor_timeline,
)
from wattigram.core.predict.program.reaction_text import (
    LEVEL,
    after_texts,
    do_texts,
    shown_text,
    threshold_name,
    typed_text,
    when_text,
)
from wattigram.core.predict.program.reaction_timing import (
    ReactionTiming,
    fetch_wait_s,
    filter_delay_s,
    longest_bytes,
    reaction_rate_hz,
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
    "LEVEL",
    "MAIN_LOOP",
    "Block",
    "Lane",
    "ProcessorTimeline",
    "ReactionTiming",
    "ScaledEnds",
    "after_texts",
    "do_texts",
    "fetch_wait_s",
    "filter_delay_s",
    "half_share",
    "isr_share",
    "longest_bytes",
    "processor_timeline",
    "reaction_rate_hz",
    "reaction_timing",
    "scaled_ends",
    "sent_bytes",
    "shown_text",
    "threshold_name",
    "typed_text",
    "volts_per_code",
    "when_text",
    "wire_s",
]
