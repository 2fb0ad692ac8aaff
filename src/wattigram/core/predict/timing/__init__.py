"""When things happen: exact, in integers and fractions."""

from wattigram.core.predict.timing.circular_buffer import LoopTiming, item_bits, loop_numbers, loop_timing
from wattigram.core.predict.timing.cycle import CycleTiming, SlotTiming, cycle_timing, slot_order, slot_repeats
from wattigram.core.predict.timing.isr_cost import SoftwareStep, repoints, software_step, starts_each
from wattigram.core.predict.timing.retrieval import RetrievalTiming, free_share, polling_wait_s, retrieval_timing
from wattigram.core.predict.timing.route_timing import RouteTiming, route_timing
from wattigram.core.predict.timing.startup import STEP_NAMES, StartUp, right_order, startup
from wattigram.core.predict.timing.trigger import TriggerTiming, trigger_timing

__all__ = [
    "STEP_NAMES",
    "CycleTiming",
    "LoopTiming",
    "RetrievalTiming",
    "RouteTiming",
    "SlotTiming",
    "SoftwareStep",
    "StartUp",
    "TriggerTiming",
    "cycle_timing",
    "free_share",
    "item_bits",
    "loop_numbers",
    "loop_timing",
    "polling_wait_s",
    "repoints",
    "retrieval_timing",
    "right_order",
    "route_timing",
    "slot_order",
    "slot_repeats",
    "software_step",
    "starts_each",
    "startup",
    "trigger_timing",
]
