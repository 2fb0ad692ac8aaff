"""Units of results that the program is called for, and how long they wait before they are overwritten."""

from __future__ import annotations

from fractions import Fraction

from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.retrieval import Dma, Fifo
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.timing.circular_buffer import buffer_timing
from wattigram.core.predict.timing.cycle import ScanTiming


def fetched_at_once(chain: Chain, fifo_items: int) -> tuple[int, int]:
    """Items that a call of the handler fetches, and items that can wait."""
    match chain.readout:
        case Dma(read_period_s=read_period_s) if read_period_s is not None:
            return len(chain.slots), len(chain.slots)
        case Dma():
            half = max(1, chain.buffer.samples // 2)
            return half, half
        case Fifo() as fifo:
            return fifo.watermark, fifo_items
        case _:
            return chain.results_per_isr, chain.results_per_isr


def ready_s(cycle: ScanTiming, count: int) -> list[Fraction]:
    """Instants at which the first ``count`` results are ready, in seconds after the first trigger."""
    slots = len(cycle.slots)
    return [
        number // slots * cycle.cycle_s + cycle.slots[number % slots].end_s
        for number in range(count)
    ]


def deadline_s(workspace: Workspace, chain: Chain, cycle: ScanTiming) -> Fraction:
    """Shortest time from an event until the first of its items is overwritten."""
    if isinstance(chain.readout, Dma):
        return buffer_timing(workspace, chain).half_s
    each, depth = fetched_at_once(chain, workspace.converter(chain).fifo_items)
    slots = len(chain.slots)
    further = depth - each + 1 if isinstance(chain.readout, Fifo) else each
    ends = ready_s(cycle, 2 * slots + further)
    return min(ends[number + further] - ends[number] for number in range(slots))


def shortest_s(workspace: Workspace, chain: Chain, cycle: ScanTiming) -> Fraction:
    """Shortest time between two units of a chain that hands over single results; waits may add up
    over a scan."""
    until_s = deadline_s(workspace, chain, cycle)
    if isinstance(chain.readout, (Dma, Fifo)):
        return until_s
    return min(until_s, buffer_timing(workspace, chain).half_s)
