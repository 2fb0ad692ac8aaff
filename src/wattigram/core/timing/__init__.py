"""When things happen: exact, in integers and fractions."""

from wattigram.core.timing.cycle import CycleTiming, SlotTiming, cycle_timing, slot_order, slot_repeats
from wattigram.core.timing.loop import LoopTiming, item_bits, loop_numbers, loop_timing
from wattigram.core.timing.retrieval import RetrievalTiming, free_share, polling_wait_s, retrieval_timing
from wattigram.core.timing.routes import RouteTiming, route_timing
from wattigram.core.timing.software import SoftwareStep, repoints, software_step, starts_each
from wattigram.core.timing.startup import STEP_NAMES, StartUp, right_order, startup
from wattigram.core.timing.trigger import TriggerTiming, trigger_timing

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
