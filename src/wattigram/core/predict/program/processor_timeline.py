"""What the processor does over a stretch of time: ISRs, and what the main loop does between them."""

from __future__ import annotations

import math
from collections.abc import Iterator
from fractions import Fraction

import msgspec

from wattigram.core.model.design import (
    Chain,
    PeriodElapsed,
    Polling,
    Reaction,
    ResultsFetched,
    RunStarted,
    Workspace,
)
from wattigram.core.predict.program.reaction_timing import reaction_rate_hz
from wattigram.core.predict.timing import (
    buffer_timing,
    has_isr,
    isr_service_s,
    main_cycles,
    retrieval_timing,
)

MAIN_LOOP = "main loop"
MOST_BLOCKS = 160
"""Of all ISRs in the stretch that is shown; it is shorter where there would be more."""
EMPTY_S = Fraction(1, 1000)
"""The stretch where no ISR comes by itself."""
BEFORE = Fraction(1, 25)
"""Share of the stretch that lies before its first event."""


class Block(msgspec.Struct, frozen=True):
    """The processor is busy from ``begin_s`` to ``end_s``; ``pieces`` are those parts of it in which no
    ISR comes between."""

    label: str
    begin_s: Fraction
    end_s: Fraction
    pieces: tuple[tuple[Fraction, Fraction], ...]
    only_at_event: bool = False
    """It is shown where it may come, and comes only when something happens."""


class Lane(msgspec.Struct, frozen=True):
    """One ISR, or the main loop."""

    title: str
    blocks: tuple[Block, ...]
    tasks: tuple[str, ...] = ()
    """Of the main loop, in their order: what it does with halves, and reactions."""
    unstated: tuple[str, ...] = ()
    """Those whose clocks nobody has stated."""


class ProcessorTimeline(msgspec.Struct, frozen=True):
    """Lanes over a stretch of time.

    Attributes
    ----------
    begin_s, zero_s, end_s : Fraction
        The stretch, and the first event in it of the ISR that comes most seldom; after the start.
    isr_share, half_share, reaction_share : Fraction
        Of the processor's time, ISRs and what the main loop does with halves as stated or counted, reactions
        as far as they are stated.
    longest_isr_s : Fraction
        Of one call.
    """

    begin_s: Fraction
    zero_s: Fraction
    end_s: Fraction
    lanes: tuple[Lane, ...]
    isr_share: Fraction
    half_share: Fraction
    reaction_share: Fraction
    longest_isr_s: Fraction


class _Call(msgspec.Struct, frozen=True, order=True):
    due_s: Fraction
    lane: int
    number: int
    length_s: Fraction


class _Task(msgspec.Struct, frozen=True):
    """What the main loop does at once."""

    name: str
    cycles: int
    only_at_event: bool = False


class _Isrs(msgspec.Struct, frozen=True):
    """Calls of ISRs within the stretch: the time they take, and the halves of each converter's buffer
    that they fill, counted from 1, with when the program has each."""

    blocks: list[list[Block]]
    taken: list[tuple[Fraction, Fraction]]
    fills: dict[str, list[tuple[int, Fraction]]]


def processor_timeline(workspace: Workspace) -> ProcessorTimeline:
    """ISRs of chains at their events, one after the other, and in the main loop between them what is done with
    halves that DMA has filled, and reactions.

    A reaction that waits for a threshold or another event is shown after the first ISR, where it may
    come. Polled chains have no ISR: the main loop fetches their results whenever it can.
    """
    chains = [chain for chain in workspace.project.chains if has_isr(chain)]
    timings = [retrieval_timing(workspace, chain) for chain in chains]
    intervals = [1 / timing.events_hz for timing in timings if timing.events_hz]
    zero_s, span_s = _stretch_s(intervals, workspace)
    begin_s, end_s = zero_s - span_s * BEFORE, zero_s + span_s * (1 - BEFORE)
    calls = sorted(
        _Call(number / timing.events_hz, lane, number, isr_service_s(workspace, chain))
        for lane, (chain, timing) in enumerate(zip(chains, timings, strict=True))
        if timing.events_hz
        for number in range(
            max(1, math.ceil(begin_s * timing.events_hz)), math.floor(end_s * timing.events_hz) + 1
        )
    )
    isrs = _Isrs([[] for _ in chains], [], {chain.converter: [] for chain in chains})
    free_s = Fraction(0)
    for call in calls:
        entered_s = max(call.due_s, free_s)
        free_s = entered_s + call.length_s
        isrs.taken.append((entered_s, free_s))
        isrs.blocks[call.lane].append(Block("", entered_s, free_s, ((entered_s, free_s),)))
        chain, timing = chains[call.lane], timings[call.lane]
        each = timing.items_hz / timing.events_hz
        before, now = (_halves(chain, each * number) for number in (call.number - 1, call.number))
        isrs.fills[chain.converter] += [(half, free_s) for half in range(before + 1, now + 1)]
    lanes = [
        Lane(f"ISR of {chain.dma or chain.converter}", tuple(mine))
        for chain, mine in zip(chains, isrs.blocks, strict=True)
    ]
    reactions = workspace.project.reactions
    if reactions or any(main_cycles(chain) for chain in chains):
        lanes.append(_main_loop(workspace, isrs, (begin_s, zero_s, end_s)))
    busy = [
        (reaction.cycles or 0) / workspace.bus_clock_hz * rate_hz
        for reaction in reactions
        if (rate_hz := reaction_rate_hz(workspace, reaction)) is not None
    ]
    return ProcessorTimeline(
        begin_s,
        zero_s,
        end_s,
        tuple(lanes),
        isr_share(workspace),
        half_share(workspace),
        sum(busy, Fraction(0)),
        max((call.length_s for call in calls), default=Fraction(0)),
    )


def isr_share(workspace: Workspace) -> Fraction:
    """Share of the processor's time that ISRs of chains take, as stated or counted."""
    shares = [
        min(
            retrieval_timing(workspace, chain).events_hz * isr_service_s(workspace, chain),
            Fraction(1),
        )
        for chain in workspace.project.chains
        if not isinstance(chain.readout, Polling)
    ]
    return sum(shares, Fraction(0))


def half_share(workspace: Workspace) -> Fraction:
    """Share of the processor's time that the main loop takes for halves that DMA has filled."""
    shares = [
        retrieval_timing(workspace, chain).events_hz * main_cycles(chain) / workspace.bus_clock_hz
        for chain in workspace.project.chains
    ]
    return sum(shares, Fraction(0))


def _halves(chain: Chain, items: Fraction) -> int:
    """Halves of its buffer that so many items fill."""
    whole, rest = divmod(items, chain.buffer.samples)
    return 2 * int(whole) + (rest >= chain.buffer.samples // 2)


def _stretch_s(intervals: list[Fraction], workspace: Workspace) -> tuple[Fraction, Fraction]:
    """From the first event of the ISR that comes most seldom on, as long as it is from one to the next,
    with no more events in it than can be told apart."""
    periods = [
        reaction.when.period_s
        for reaction in workspace.project.reactions
        if isinstance(reaction.when, PeriodElapsed)
    ]
    if not intervals:
        longest_s = max(periods, default=EMPTY_S)
        return longest_s, longest_s
    rate_hz = sum((1 / interval for interval in intervals), Fraction(0))
    return max(intervals), min(max(intervals), MOST_BLOCKS / rate_hz)


def _main_loop(
    workspace: Workspace, isrs: _Isrs, stretch_s: tuple[Fraction, Fraction, Fraction]
) -> Lane:
    """What the main loop does, in the order in which it comes to it, in the gaps that ISRs leave."""
    reactions = workspace.project.reactions
    halves = [
        _Task(f"half of {chain.buffer.name}", main_cycles(chain))
        for chain in workspace.project.chains
        if main_cycles(chain)
    ]
    due = [
        (at_s, number, task)
        for number, task in enumerate(halves)
        for chain in workspace.project.chains
        if task.name == f"half of {chain.buffer.name}"
        for _half, at_s in isrs.fills.get(chain.converter, ())
    ]
    for number, reaction in enumerate(reactions, start=len(halves)):
        only = not isinstance(reaction.when, (PeriodElapsed, ResultsFetched, RunStarted))
        if reaction.cycles is not None:
            causes_s = _causes_s(workspace, reaction, isrs, stretch_s)
            task = _Task(reaction.name, reaction.cycles, only)
            due += [(at_s, number, task) for at_s in causes_s]
    done, free_s = [], stretch_s[0]
    for at_s, _number, task in sorted(due, key=lambda one: one[:2]):
        length_s = task.cycles / workspace.bus_clock_hz
        pieces = tuple(_in_gaps(max(at_s, free_s), length_s, isrs.taken))
        free_s = pieces[-1][1] if pieces else max(at_s, free_s)
        begin_s = pieces[0][0] if pieces else free_s
        done.append(Block(task.name, begin_s, free_s, pieces, task.only_at_event))
    unstated = tuple(one.name for one in reactions if one.cycles is None)
    tasks = (*(one.name for one in halves), *(one.name for one in reactions))
    return Lane(MAIN_LOOP, tuple(done), tasks, unstated)


def _causes_s(
    workspace: Workspace,
    reaction: Reaction,
    isrs: _Isrs,
    stretch_s: tuple[Fraction, Fraction, Fraction],
) -> list[Fraction]:
    """When a reaction is due within the stretch; after the first ISR where it waits for an event."""
    begin_s, zero_s, end_s = stretch_s
    match reaction.when:
        case PeriodElapsed(period_s=period_s):
            return [at_s for _number, at_s in _every(period_s, begin_s, end_s)]
        case ResultsFetched(converter=converter, mark=mark):
            fills = isrs.fills.get(converter)
            if fills is None:  # the main loop fetches them
                chain = workspace.project.chain(converter)
                assert chain is not None
                fills = _every(buffer_timing(workspace, chain).half_s, begin_s, end_s)
            rest = {"each": (0, 1), "half": (1,), "full": (0,)}[mark]
            return [at_s for half, at_s in fills if half % 2 in rest]
        case RunStarted():
            return []
        case _:
            ends = [block.end_s for mine in isrs.blocks for block in mine if block.end_s >= zero_s]
            return [min(ends, default=zero_s)]


def _every(period_s: Fraction, begin_s: Fraction, end_s: Fraction) -> list[tuple[int, Fraction]]:
    """Multiples of a period within the stretch, with their numbers, as many as can be told apart."""
    first = max(1, math.ceil(begin_s / period_s))
    last = min(first + MOST_BLOCKS, math.floor(end_s / period_s))
    return [(number, number * period_s) for number in range(first, last + 1)]


def _in_gaps(
    begin_s: Fraction, length_s: Fraction, taken: list[tuple[Fraction, Fraction]]
) -> Iterator[tuple[Fraction, Fraction]]:
    """Work from an instant on, interrupted by what is taken already."""
    at_s, left_s = begin_s, length_s
    for busy_s, free_s in taken:
        if free_s <= at_s or left_s <= 0:
            continue
        if busy_s > at_s:
            piece_s = min(left_s, busy_s - at_s)
            yield at_s, at_s + piece_s
            left_s -= piece_s
        at_s = max(at_s, free_s)
    if left_s > 0:
        yield at_s, at_s + left_s
