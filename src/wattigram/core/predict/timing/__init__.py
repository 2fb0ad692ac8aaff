"""When things happen: exact, in integers and fractions."""

from wattigram.core.predict.timing.circular_buffer import (
    BufferTiming,
    buffer_numbers,
    buffer_timing,
    item_bits,
)
from wattigram.core.predict.timing.contention import held_up_s, is_contended, takes_turns
from wattigram.core.predict.timing.cycle import (
    ScanTiming,
    SlotTiming,
    left_by_others,
    scan_timing,
    signal_rate_hz,
    slot_order,
    slot_repeats,
    started_after_s,
)
from wattigram.core.predict.timing.isr_cost import (
    RAMP_STEP_CYCLES,
    RAMP_STEP_SPREAD,
    SoftwareStep,
    gap_cycles,
    half_results,
    has_isr,
    isr_service_cycles,
    isr_service_s,
    looks_for_results,
    main_cycles,
    repoints,
    restart_step,
    software_step,
    starts_each,
)
from wattigram.core.predict.timing.main_loop_work import kept_by
from wattigram.core.predict.timing.retrieval import (
    HELD_UP,
    RetrievalTiming,
    free_share,
    polling_wait_s,
    retrieval_timing,
)
from wattigram.core.predict.timing.route_timing import RouteTiming, route_timing
from wattigram.core.predict.timing.serial_wires import (
    OtherEnd,
    line_formats,
    misread_words,
    other_end,
    sending_source,
)
from wattigram.core.predict.timing.startup import STEP_NAMES, StartupCheck, right_order, startup
from wattigram.core.predict.timing.trigger import TriggerTiming, trigger_timing

__all__ = [
    "HELD_UP",
    "RAMP_STEP_CYCLES",
    "RAMP_STEP_SPREAD",
    "STEP_NAMES",
    "BufferTiming",
    "OtherEnd",
    "RetrievalTiming",
    "RouteTiming",
    "ScanTiming",
    "SlotTiming",
    "SoftwareStep",
    "StartupCheck",
    "TriggerTiming",
    "buffer_numbers",
    "buffer_timing",
    "free_share",
    "gap_cycles",
    "half_results",
    "has_isr",
    "held_up_s",
    "is_contended",
    "isr_service_cycles",
    "isr_service_s",
    "item_bits",
    "kept_by",
    "left_by_others",
    "line_formats",
    "looks_for_results",
    "main_cycles",
    "misread_words",
    "other_end",
    "polling_wait_s",
    "repoints",
    "restart_step",
    "retrieval_timing",
    "right_order",
    "route_timing",
    "scan_timing",
    "sending_source",
    "signal_rate_hz",
    "slot_order",
    "slot_repeats",
    "software_step",
    "started_after_s",
    "starts_each",
    "startup",
    "takes_turns",
    "trigger_timing",
]
