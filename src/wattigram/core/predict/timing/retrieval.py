"""How results leave in time: processor load, deadlines, and what is lost."""

from __future__ import annotations

from fractions import Fraction

import msgspec

from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.retrieval import Dma, Fifo, Polling
from wattigram.core.model.design.workspace import Workspace, cached
from wattigram.core.predict.timing.circular_buffer import buffer_timing
from wattigram.core.predict.timing.cycle import ScanTiming, scan_timing
from wattigram.core.predict.timing.isr_cost import software_step, starts_each
from wattigram.core.predict.timing.losses import Queue, overflowed_share, overwritten_share


class RetrievalTiming(msgspec.Struct, frozen=True):
    """What fetching a chain's results asks of the processor.

    Attributes
    ----------
    events_hz, service_s : Fraction
        Calls of the handler per second if all are served, and processor time of each.
    cpu_share : Fraction
        Their product; polling leaves nothing for anything else and counts as 1.
        Of a single run, while it lasts.
    deadline_s : Fraction
        From an event until what it announces is overwritten.
    overwrites : bool
        Whether anything ever is; a single run by DMA leaves its samples where they are.
    items_hz, lost_hz : Fraction
        Items produced per second, and those of them that never reach the program.
    reason : str
        Why items are lost; "" where none are.
    """

    kind: str
    events_hz: Fraction
    cycles: int
    service_s: Fraction
    cpu_share: Fraction
    deadline_s: Fraction
    items_hz: Fraction
    lost_hz: Fraction
    reason: str = ""
    overwrites: bool = True

    @property
    def sustained_hz(self) -> Fraction:
        """Items per second that reach the program."""
        return self.items_hz - self.lost_hz


@cached
def retrieval_timing(workspace: Workspace, chain: Chain) -> RetrievalTiming:
    """Load, deadline and losses of a chain's retrieval, chains before it served first."""
    cycle = scan_timing(workspace, chain)
    step = software_step(workspace, chain)
    is_endless = cycle.items_limit is None or cycle.is_single_run
    items_hz = len(chain.slots) * cycle.handed_rate_hz if is_endless else Fraction(0)
    each, depth = _unit(chain, workspace.converter(chain).fifo_items)
    events_hz = items_hz / each
    processor = workspace.part.processor
    cycles = chain.buffer.isr_cycles
    if not isinstance(chain.readout, Polling) and chain.read_period_s is None:
        cycles += processor.interrupt_entry_cycles + processor.interrupt_exit_cycles
    service_s = cycles / workspace.bus_clock_hz
    share = Fraction(1) if isinstance(chain.readout, Polling) else events_hz * service_s
    free = free_share(workspace, chain)
    # Whoever reads the newest wants no others.
    keeps_all = isinstance(chain.readout, Dma) and (
        cycle.is_single_run or chain.read_period_s is not None
    )
    deadline_s = _deadline_s(workspace, chain, cycle, each, depth)
    lost_hz, reason = Fraction(0), ""
    if isinstance(chain.readout, Dma) and not (
        chain.readout.circular or chain.readout.ends_as_meant
    ):
        lost_hz, reason = items_hz, "frozen"
    elif _times_out(workspace, chain):
        lost_hz, reason = items_hz, "time-out"
    elif free <= 0 and items_hz:
        lost_hz, reason = items_hz, "no processor time"
    elif items_hz and cycle.served is not None and not isinstance(chain.readout, (Dma, Fifo)):
        lost_hz = items_hz * Fraction(cycle.served.lost).limit_denominator(10**9)
        reason = "ISR too slow" if lost_hz else ""
    elif (
        items_hz
        and not keeps_all
        and (service_s + step.jitter_s) / free >= _shortest_s(workspace, chain, deadline_s)
        and not starts_each(workspace, chain)
    ):
        lost_hz = items_hz * _lost_share(workspace, chain, cycle, depth, free)
        reason = "ISR too slow" if lost_hz else ""
    return RetrievalTiming(
        chain.readout.kind,
        events_hz,
        cycles,
        service_s,
        share,
        deadline_s,
        items_hz,
        lost_hz,
        reason,
        not keeps_all,
    )


def free_share(workspace: Workspace, chain: Chain) -> Fraction:
    """What the chains before this one leave of the processor; polling takes what interrupts
    leave."""
    free = Fraction(1)
    for other in workspace.project.chains:
        if isinstance(other.readout, Polling):
            continue
        if other.converter == chain.converter:
            if not isinstance(chain.readout, Polling):
                break
            continue
        timing = retrieval_timing(workspace, other)
        free -= min(timing.cpu_share, Fraction(1))
    return max(free, Fraction(0))


def _unit(chain: Chain, fifo_items: int) -> tuple[int, int]:
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


def _ends(cycle: ScanTiming, count: int) -> list[Fraction]:
    """Instants at which the first ``count`` results are ready."""
    slots = len(cycle.slots)
    return [
        number // slots * cycle.cycle_s + cycle.slots[number % slots].end_s
        for number in range(count)
    ]


def _deadline_s(
    workspace: Workspace, chain: Chain, cycle: ScanTiming, each: int, depth: int
) -> Fraction:
    """Shortest time from an event until the first of its items is overwritten."""
    if isinstance(chain.readout, Dma):
        return buffer_timing(workspace, chain).half_s
    slots = len(chain.slots)
    further = depth - each + 1 if isinstance(chain.readout, Fifo) else each
    ends = _ends(cycle, 2 * slots + further)
    return min(ends[number + further] - ends[number] for number in range(slots))


def polling_wait_s(workspace: Workspace, chain: Chain) -> Fraction:
    """How long a polling program waits for a result: all of a cycle that it starts itself, else
    what it is early."""
    cycle = scan_timing(workspace, chain)
    if cycle.trigger.by_software:
        return cycle.busy_s
    each, depth = _unit(chain, workspace.converter(chain).fifo_items)
    spare_s = (
        _deadline_s(workspace, chain, cycle, each, depth)
        - chain.buffer.isr_cycles / workspace.bus_clock_hz
    )
    return max(spare_s, Fraction(0))


def _times_out(workspace: Workspace, chain: Chain) -> bool:
    """The program gives up before the result can be there."""
    retrieval = chain.readout
    if not isinstance(retrieval, Polling) or retrieval.timeout_s is None:
        return False
    return polling_wait_s(workspace, chain) > retrieval.timeout_s


def _shortest_s(workspace: Workspace, chain: Chain, deadline_s: Fraction) -> Fraction:
    """Shortest time between two units of a chain that hands over single results; waits may add up
    over a scan."""
    if isinstance(chain.readout, (Dma, Fifo)):
        return deadline_s
    return min(deadline_s, buffer_timing(workspace, chain).half_s)


def _lost_share(
    workspace: Workspace, chain: Chain, cycle: ScanTiming, depth: int, free: Fraction
) -> Fraction:
    """Share of items lost, event by event: a call finds the newest unit, what came between is
    overwritten.

    A FIFO keeps the oldest items instead, as many as it holds.
    """
    step = software_step(workspace, chain)
    clock_hz = workspace.bus_clock_hz
    entry_s, rest_s = (
        (step.notice_s - step.jitter_s / 2) / free,
        (step.handle_s + step.leave_s) / free,
    )
    if isinstance(chain.readout, Fifo):
        ready = [end * clock_hz for end in _ends(cycle, len(chain.slots))]
        queue = Queue(chain.readout.watermark, depth)
        share = overflowed_share(
            ready,
            cycle.cycle_s * clock_hz,
            queue,
            entry_s * clock_hz,
            rest_s * clock_hz,
            step.jitter,
        )
        return Fraction(share).limit_denominator(10**9)
    if isinstance(chain.readout, Dma):
        period_s = cycle.cycle_s * chain.buffer.samples / 2 / len(chain.slots)
        ready, unit = [period_s * clock_hz], 1
    else:
        unit = chain.results_per_isr
        period_s = cycle.cycle_s
        ready = [end * clock_hz for end in _ends(cycle, len(chain.slots))]
    share = overwritten_share(
        ready, period_s * clock_hz, unit, entry_s * clock_hz, rest_s * clock_hz, step.jitter
    )
    return Fraction(share).limit_denominator(10**9)
