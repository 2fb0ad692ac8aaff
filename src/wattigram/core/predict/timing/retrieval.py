"""How results leave in time: processor load, deadlines, and what is lost."""

from __future__ import annotations

from fractions import Fraction

import msgspec

from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.retrieval import Dma, Fifo, Polling
from wattigram.core.model.design.workspace import Workspace, cached
from wattigram.core.predict.timing.contention import (
    held_up_s,
    is_contended,
    lost_in_turns,
    takes_turns,
)
from wattigram.core.predict.timing.cycle import ScanTiming, scan_timing
from wattigram.core.predict.timing.deadlines import (
    deadline_s,
    fetched_at_once,
    ready_s,
    shortest_s,
)
from wattigram.core.predict.timing.isr_cost import (
    gap_cycles,
    half_results,
    has_isr,
    main_cycles,
    service_cycles,
    software_step,
    starts_each,
)
from wattigram.core.predict.timing.losses import (
    Frames,
    MainLoop,
    Queue,
    overflowed_share,
    overwritten_share,
    passed_over_share,
)

HELD_UP = "ISR held up"
"""Why items are lost that would not be if there were no other ISR."""


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
    held_up_s : Fraction
        The longest that ISRs of other converters keep its call waiting.
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
    held_up_s: Fraction = Fraction(0)

    @property
    def sustained_hz(self) -> Fraction:
        """Items per second that reach the program."""
        return self.items_hz - self.lost_hz


@cached
def retrieval_timing(workspace: Workspace, chain: Chain) -> RetrievalTiming:
    """Load, deadline and losses of a chain's retrieval."""
    cycle = scan_timing(workspace, chain)
    is_endless = cycle.items_limit is None or cycle.is_single_run
    items_hz = len(chain.slots) * cycle.handed_rate_hz if is_endless else Fraction(0)
    each, _depth = fetched_at_once(chain, workspace.converter(chain).fifo_items)
    events_hz = items_hz / each
    cycles = service_cycles(workspace, chain)
    service_s = cycles / workspace.bus_clock_hz
    share, reason = _lost(workspace, chain, cycle) if items_hz else (Fraction(0), "")
    return RetrievalTiming(
        chain.readout.kind,
        events_hz,
        cycles,
        service_s,
        Fraction(1) if isinstance(chain.readout, Polling) else events_hz * service_s,
        deadline_s(workspace, chain, cycle),
        items_hz,
        items_hz * share,
        reason,
        not _keeps_all(chain, cycle),
        held_up_s(workspace, chain) if takes_turns(workspace, chain) else Fraction(0),
    )


def _keeps_all(chain: Chain, cycle: ScanTiming) -> bool:
    """Nothing is written over, or whoever reads the newest wants no others."""
    ends = cycle.is_single_run or chain.readout.ends_as_meant
    return isinstance(chain.readout, Dma) and (ends or chain.read_period_s is not None)


def _lost(workspace: Workspace, chain: Chain, cycle: ScanTiming) -> tuple[Fraction, str]:
    """Share of items that never reach the program, and why; "" where all do."""
    if isinstance(chain.readout, Dma) and not (
        chain.readout.circular or chain.readout.ends_as_meant
    ):
        return Fraction(1), "frozen"
    if _times_out(workspace, chain):
        return Fraction(1), "time-out"
    free = free_share(workspace, chain)
    if free <= 0:
        return Fraction(1), "no processor time"
    if cycle.served is not None and not isinstance(chain.readout, (Dma, Fifo)):
        share = Fraction(cycle.served.lost).limit_denominator(10**9)
    elif _keeps_all(chain, cycle) or starts_each(workspace, chain):
        share = Fraction(0)
    else:
        share = _lost_alone(workspace, chain, cycle, free)
        if takes_turns(workspace, chain) and is_contended(workspace):
            # One that is too slow by itself loses more where others come before it.
            reason = "ISR too slow" if share else HELD_UP
            share = _as_fraction(lost_in_turns(workspace).get(chain.converter, 0.0))
            return share, reason if share else ""
    return share, "ISR too slow" if share else ""


def free_share(workspace: Workspace, chain: Chain) -> Fraction:
    """What ISRs leave of the processor to the main loop, where this chain's results are polled; an ISR has
    it for itself when its turn comes."""
    if has_isr(chain):
        return Fraction(1)
    free = Fraction(1)
    for other in workspace.project.chains:
        if other.converter != chain.converter and has_isr(other):
            free -= min(retrieval_timing(workspace, other).cpu_share, Fraction(1))
    return max(free, Fraction(0))


def polling_wait_s(workspace: Workspace, chain: Chain) -> Fraction:
    """How long a polling program waits for a result: all of a cycle that it starts itself, else
    what it is early."""
    cycle = scan_timing(workspace, chain)
    if cycle.trigger.by_software:
        return cycle.busy_s
    spare_s = deadline_s(workspace, chain, cycle) - chain.buffer.isr_cycles / workspace.bus_clock_hz
    return max(spare_s, Fraction(0))


def _times_out(workspace: Workspace, chain: Chain) -> bool:
    """The program gives up before the result can be there."""
    retrieval = chain.readout
    if not isinstance(retrieval, Polling) or retrieval.timeout_s is None:
        return False
    return polling_wait_s(workspace, chain) > retrieval.timeout_s


def _lost_alone(workspace: Workspace, chain: Chain, cycle: ScanTiming, free: Fraction) -> Fraction:
    """Share of items lost, event by event: a call finds the newest unit, what came between is
    overwritten.

    A FIFO keeps the oldest items instead, as many as it holds.
    """
    step = software_step(workspace, chain)
    clock_hz = workspace.bus_clock_hz
    needed_s = service_cycles(workspace, chain) / clock_hz + step.jitter_s
    polls = isinstance(chain.readout, Polling)
    if polls:
        needed_s += main_cycles(chain) / clock_hz
    if needed_s / free < shortest_s(workspace, chain, cycle):
        return Fraction(0)
    entry = (step.notice_s - step.jitter_s / 2) / free * clock_hz
    rest = (step.handle_s + step.leave_s + step.later_s) / free * clock_hz
    period = cycle.cycle_s * clock_hz
    ready, unit = [end_s * clock_hz for end_s in ready_s(cycle, len(chain.slots))], 1
    if isinstance(chain.readout, Fifo):
        depth = workspace.converter(chain).fifo_items
        queue = Queue(chain.readout.watermark, depth)
        return _as_fraction(overflowed_share(ready, period, queue, entry, rest, step.jitter))
    if isinstance(chain.readout, Dma):
        period *= Fraction(chain.buffer.samples, 2 * len(chain.slots))
        ready = [period]
    else:
        unit = chain.results_per_isr
    if polls and (step.round_s or main_cycles(chain) or gap_cycles(chain)):
        loop = MainLoop(
            float((step.jitter + 1) / free),
            float(rest),
            Frames(
                float(half_results(chain)),
                float(main_cycles(chain) / free),
                float(gap_cycles(chain) / free),
            ),
        )
        return _as_fraction(passed_over_share(ready, period, unit, loop))
    return _as_fraction(overwritten_share(ready, period, unit, entry, rest, step.jitter))


def _as_fraction(share: float) -> Fraction:
    return Fraction(share).limit_denominator(10**9)
