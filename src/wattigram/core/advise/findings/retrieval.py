"""Rules on handlers, FIFOs and DMA runs."""

from __future__ import annotations

import math
from collections.abc import Iterator
from fractions import Fraction
from functools import partial

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.fixes import first_effective_fix
from wattigram.core.base.quantity import format_percent, format_si
from wattigram.core.model.design import Chain, Dma, Fifo, Interrupt, Polling, Workspace
from wattigram.core.model.design.edits import CompositeEdit, Edit, SetBufferLength, SetRetrieval
from wattigram.core.predict.timing import (
    HELD_UP,
    RetrievalTiming,
    free_share,
    isr_service_s,
    looks_for_results,
    main_cycles,
    polling_wait_s,
    retrieval_timing,
    scan_timing,
    takes_turns,
)

_EVENT = {"dma": "mark", "fifo": "mark", "interrupt": "result", "polling": "result"}


@rule("handler-too-slow", cell="transfer")
def isr_too_slow(workspace: Workspace) -> Iterator[Finding]:
    """Results are overwritten before they are read, and little time is left for the rest of the program."""
    for chain in workspace.project.chains:
        timing = retrieval_timing(workspace, chain)
        if timing.reason not in {"ISR too slow", "no processor time"}:
            continue
        free = free_share(workspace, chain)
        left = ""
        if free < 1:
            left = f" Only {format_percent(free)} of the processor is left for it."
        elif timing.held_up_s:
            left = f" ISRs of other converters hold it up for up to {format_si(timing.held_up_s, 's', 3)} more."
        who = f"The ISR of {chain.buffer.name} misses its deadline"
        if looks_for_results(chain):
            who = f"The main loop comes too late to {chain.buffer.name}"
            left += _rounds(workspace, chain)
        yield Finding(
            "handler-too-slow",
            "error",
            chain.buffer.name,
            who,
            f"It takes {format_si(timing.service_s, 's')} and each {_EVENT[timing.kind]} leaves "
            f"{format_si(timing.deadline_s, 's')}: "
            f"{format_si(timing.lost_hz, 'S/s')} of {format_si(timing.items_hz, 'S/s')} are lost "
            f"({format_percent(timing.cpu_share)} of the processor wanted).{left}",
            _relief(workspace, chain, timing),
            converter=chain.converter,
        )


def _rounds(workspace: Workspace, chain: Chain) -> str:
    """How seldom the main loop looks, where that is known."""
    each, half = chain.buffer.round_cycles, main_cycles(chain)
    said = []
    if each is not None:
        said.append(f"looks once in {format_si(each / workspace.bus_clock_hz, 's', 3)}")
    if half:
        said.append(f"is kept for {format_si(half / workspace.bus_clock_hz, 's', 3)} by each half")
    kept = f" It {' and '.join(said)}." if said else ""
    if isinstance(chain.readout, Polling):
        gap = chain.buffer.gap_cycles
        kept += (
            " What a gap takes it besides is not stated; an image counts it, and more are lost then."
            if gap is None
            else f" Each gap takes it {format_si(gap / workspace.bus_clock_hz, 's', 3)} besides."
        )
    return kept


@rule("isr-held-up", cell="transfer")
def isr_held_up(workspace: Workspace) -> Iterator[Finding]:
    """Results are overwritten while the ISR of another converter runs."""
    for chain in workspace.project.chains:
        timing = retrieval_timing(workspace, chain)
        if timing.reason != HELD_UP:
            continue
        others = [
            (isr_service_s(workspace, other), other.buffer.name)
            for other in workspace.project.chains
            if other.converter != chain.converter and takes_turns(workspace, other)
        ]
        longest_s, longest = max(others)
        rest = "" if len(others) == 1 else f", all others together {_time(timing.held_up_s)}"
        spare_s = max(Fraction(0), timing.deadline_s - timing.service_s)
        yield Finding(
            "isr-held-up",
            "error",
            chain.buffer.name,
            f"The ISR of {chain.buffer.name} waits too long for that of {longest}",
            f"The ISR of {longest} takes {_time(longest_s)}{rest}, and no ISR interrupts another; each "
            f"{_EVENT[timing.kind]} of {chain.buffer.name} can wait {_time(spare_s)}: "
            f"{format_si(timing.lost_hz, 'S/s', 3)} of {format_si(timing.items_hz, 'S/s')} are lost, "
            "more or fewer as the two fall together. "
            f"Leave to the main loop what the ISR of {longest} need not do itself, or give "
            f"{chain.converter} more time.",
            _relief(workspace, chain, timing),
            converter=chain.converter,
        )


def _time(seconds: Fraction) -> str:
    return format_si(seconds, "s", 3)


def _relief(workspace: Workspace, chain: Chain, timing: RetrievalTiming) -> Edit | None:
    """DMA in place of a call for each result, a longer loop, or both; where the part has them."""
    return first_effective_fix(
        workspace, _reliefs(workspace, chain, timing), partial(_keeps_up, converter=chain.converter)
    )


def _keeps_up(workspace: Workspace, converter: str) -> bool:
    chain = workspace.project.chain(converter)
    return chain is not None and retrieval_timing(workspace, chain).lost_hz == 0


def _reliefs(workspace: Workspace, chain: Chain, timing: RetrievalTiming) -> Iterator[Edit]:
    free = free_share(workspace, chain)
    if not free or "dma" not in workspace.converter(chain).retrievals:
        return
    unit = 2 * len(chain.slots)
    call_s = timing.service_s / free + timing.held_up_s
    needed = 2 * call_s * timing.items_hz * Fraction(6, 5)
    longer = SetBufferLength(chain.converter, math.ceil(needed / unit) * unit)
    if isinstance(chain.readout, Dma):
        yield longer
        return
    taken = {other.dma for other in workspace.project.chains}
    channel = next(
        (name for group in workspace.part.dma for name in group.names if name not in taken), None
    )
    if channel is not None:
        by_dma = SetRetrieval(chain.converter, Dma(channel=channel))
        yield by_dma
        yield CompositeEdit((by_dma, longer), f"{by_dma.label}, with {longer.items} samples")


@rule("dma-not-endless", cell="transfer")
def frozen_after_one_run(workspace: Workspace) -> Iterator[Finding]:
    """The buffer fills once and then keeps the same numbers for ever."""
    for chain in workspace.project.chains:
        if not isinstance(chain.readout, Dma) or chain.readout.circular:
            continue
        if chain.readout.ends_as_meant:
            continue
        if scan_timing(workspace, chain).items_limit is not None:
            continue
        timing = retrieval_timing(workspace, chain)
        filled_s = chain.buffer.samples / timing.items_hz
        yield Finding(
            "dma-not-endless",
            "error",
            chain.buffer.name,
            f"{chain.buffer.name} fills once and freezes",
            f"{chain.readout.channel} stops after {chain.buffer.samples} samples, "
            f"{format_si(filled_s, 's', 3)} after the start, and "
            f"{chain.converter} goes on: nothing that comes later reaches memory. Where one bufferful "
            "is all that is wanted, choose a single run.",
            SetRetrieval(chain.converter, chain.readout.replaced(circular=True)),
            converter=chain.converter,
        )


@rule("single-run-circular", cell="transfer")
def single_run_goes_round(workspace: Workspace) -> Iterator[Finding]:
    """One bufferful is wanted, and the first samples of it are written over."""
    for chain in workspace.project.chains:
        if not isinstance(chain.readout, Dma):
            continue
        if not (chain.readout.single_run and chain.readout.circular):
            continue
        timing = retrieval_timing(workspace, chain)
        if not timing.items_hz:
            continue
        yield Finding(
            "single-run-circular",
            "error",
            chain.buffer.name,
            f"{chain.buffer.name} goes on after its single run",
            f"{chain.buffer.samples} samples are wanted and no more; {chain.readout.channel} is "
            "circular, and writes over the first of them "
            f"{format_si(chain.buffer.samples / timing.items_hz, 's', 3)} after the start.",
            SetRetrieval(chain.converter, chain.readout.replaced(circular=False)),
            converter=chain.converter,
        )


@rule("read-too-often", cell="transfer")
def read_before_there_is_more(workspace: Workspace) -> Iterator[Finding]:
    """The program comes for the newest results more often than there are new ones."""
    for chain in workspace.project.chains:
        cycle = scan_timing(workspace, chain)
        if cycle.read_period_s is None or cycle.read_period_s >= cycle.cycle_s:
            continue
        assert isinstance(chain.readout, Dma)
        yield Finding(
            "read-too-often",
            "warning",
            chain.buffer.name,
            f"{chain.converter} is read more often than it converts",
            f"The program reads the newest every {format_si(cycle.read_period_s, 's', 3)}, and a scan "
            f"comes every {format_si(cycle.cycle_s, 's', 3)}: the same values are taken again, and "
            "count as new ones for filters and thresholds.",
            SetRetrieval(chain.converter, chain.readout.replaced(read_period_s=cycle.cycle_s)),
            converter=chain.converter,
        )


@rule("dma-no-increment", cell="transfer")
def address_fixed(workspace: Workspace) -> Iterator[Finding]:
    """The first item changes all the time, all others stay zero."""
    for chain in workspace.project.chains:
        if isinstance(chain.readout, Dma) and not chain.readout.increment:
            yield Finding(
                "dma-no-increment",
                "error",
                chain.buffer.name,
                f"{chain.readout.channel} always writes the same sample",
                f"Its memory address does not move on: sample 0 of {chain.buffer.name} is overwritten "
                "again and again, the other "
                f"{chain.buffer.samples - 1} stay zero.",
                SetRetrieval(chain.converter, chain.readout.replaced(increment=True)),
                converter=chain.converter,
            )


@rule("polling-times-out", cell="transfer")
def time_out_too_short(workspace: Workspace) -> Iterator[Finding]:
    """Polling reports a time-out each time, no value ever comes."""
    for chain in workspace.project.chains:
        if not isinstance(chain.readout, Polling) or chain.readout.timeout_s is None:
            continue
        if retrieval_timing(workspace, chain).reason != "time-out":
            continue
        wait_s = polling_wait_s(workspace, chain)
        yield Finding(
            "polling-times-out",
            "error",
            chain.converter,
            f"Polling {chain.converter} gives up too early",
            f"It waits {format_si(chain.readout.timeout_s, 's')}, and a result can take "
            f"{format_si(wait_s, 's')}: each attempt ends "
            "without a value.",
            SetRetrieval(
                chain.converter,
                chain.readout.replaced(timeout_s=Fraction(math.ceil(2 * wait_s * 10**6), 10**6)),
            ),
            converter=chain.converter,
        )


@rule("processor-load")
def processor_full(workspace: Workspace) -> Iterator[Finding]:
    """Little or nothing is left for the rest of the program."""
    for chain in workspace.project.chains:
        timing = retrieval_timing(workspace, chain)
        if (
            isinstance(chain.readout, (Interrupt, Fifo))
            and timing.lost_hz == 0
            and timing.cpu_share > 0.5
        ):
            yield Finding(
                "processor-load",
                "warning",
                chain.buffer.name,
                f"{chain.buffer.name} keeps the processor busy",
                f"Its ISR takes {format_percent(timing.cpu_share)} of the processor: "
                f"{format_si(timing.events_hz, 'Hz')} × {timing.cycles} clk.",
                _relief(workspace, chain, timing),
                converter=chain.converter,
            )
