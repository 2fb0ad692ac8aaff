"""How sizes, laps and the processor's share came about."""

from __future__ import annotations

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Found,
    Given,
    Place,
    looked_for,
    rounded,
    short,
)
from wattigram.core.advise.explanations.expression import Number
from wattigram.core.advise.explanations.timing import (
    bus_clock,
    conversion,
    slot_length,
)
from wattigram.core.advise.explanations.triggers import scan_rate
from wattigram.core.base.quantity import format_percent
from wattigram.core.model.design import Chain, Dma, Fifo, Polling, Workspace
from wattigram.core.predict.timing import (
    gap_cycles,
    has_isr,
    item_bits,
    main_cycles,
    retrieval_timing,
    takes_turns,
)


def _place(chain: Chain) -> Place:
    return Place(chain.converter, 0, chain.slots[0].signal, "transfer")


def _length(chain: Chain) -> Given:
    there = _place(chain)
    return Given(
        "length", "length", chain.buffer.samples, "", f"{chain.buffer.name}: length", there
    )


def buffer_bytes(_workspace: Workspace, chain: Chain) -> Explanation:
    """Memory that a buffer takes."""
    there = _place(chain)
    origin = f"{chain.buffer.name}: element width"
    width = Given("width", "element width", item_bits(chain), "bit", origin, there)
    return Explanation("bytes", "length * width / 8", (_length(chain), width), "", short(8))


def _slots(chain: Chain) -> Given:
    origin = f"{chain.converter}: sequence"
    place = Place(chain.converter, facet="start")
    return Given("slots", "slots", len(chain.slots), "", origin, place)


def wrap_time(workspace: Workspace, chain: Chain) -> Explanation:
    """From one wrap of a buffer to the next."""
    rate = Derived("rate", "scan rate", scan_rate(workspace, chain))
    terms = (_length(chain), _slots(chain), rate)
    return Explanation("wrap time", "length / slots / rate", terms, "s", rounded(4))


def _read_period(chain: Chain) -> Given | None:
    """How often the program reads the newest, where no interrupt tells of it."""
    if chain.read_period_s is None:
        return None
    origin = f"{chain.buffer.name}: read newest every"
    return Given("each", "read newest every", chain.read_period_s, "s", origin, _place(chain))


def isr_clocks(workspace: Workspace, chain: Chain) -> Explanation:
    """Clocks of the processor that a call takes; an ISR with its entry and exit."""
    work = Given(
        "work", "ISR cycles", chain.buffer.isr_cycles, "clk", chain.buffer.name, _place(chain)
    )
    if not has_isr(chain):
        return Explanation("read", "work", (work,), "clk", _clocks)
    processor, part = workspace.part.processor, f"part: processor of {workspace.part.name}"
    terms = (
        Given("entry", "interrupt entry", processor.interrupt_entry_cycles, "clk", part),
        work,
        Given("leaving", "interrupt exit", processor.interrupt_exit_cycles, "clk", part),
    )
    return Explanation("ISR", "entry + work + leaving", terms, "clk", _clocks)


def _clocks(value: Number, unit: str) -> str:
    return f"{int(value)} {unit}"


def isr_time(workspace: Workspace, chain: Chain) -> Explanation:
    """The same in seconds."""
    clocks = Derived("clocks", "clocks", isr_clocks(workspace, chain))
    return Explanation("ISR", "clocks / clock", (clocks, bus_clock(workspace)), "s", rounded(3))


def main_time(workspace: Workspace, chain: Chain) -> Explanation:
    """What the main loop does with each half that an ISR has told it of."""
    origin = f"{chain.buffer.name}: main loop cycles"
    clocks = Given("clocks", "clocks", main_cycles(chain), "clk", origin, _place(chain))
    terms = (clocks, bus_clock(workspace))
    return Explanation("main loop per half", "clocks / clock", terms, "s", rounded(3))


def waits_for_others(workspace: Workspace, chain: Chain) -> Explanation:
    """The longest that ISRs of other converters hold up this one's: each comes first once."""
    others = [
        other
        for other in workspace.project.chains
        if other.converter != chain.converter and takes_turns(workspace, other)
    ]
    jitter = Given(
        "jitter",
        "interrupt jitter",
        workspace.part.processor.interrupt_jitter_cycles,
        "clk",
        f"part: processor of {workspace.part.name}",
    )
    terms: list[Given | Derived | Found] = [jitter, bus_clock(workspace)]
    for number, other in enumerate(others):
        title = f"ISR of {other.converter}"
        terms.append(Derived(f"isr{number}", title, isr_time(workspace, other)))
    formula = " + ".join(f"isr{number} + jitter / clock" for number in range(len(others)))
    return Explanation("waits for other ISRs", formula, tuple(terms), "s", rounded(3))


def isr_rate(workspace: Workspace, chain: Chain) -> Explanation:
    """Calls in a second, if all are served."""
    slots, title = _slots(chain), "ISR rate"
    each = _read_period(chain)
    if each is not None:
        return Explanation("read rate", "1 / each", (each,), "Hz", short(4))
    rate = Derived("rate", "scan rate", scan_rate(workspace, chain))
    if isinstance(chain.readout, Dma):
        terms: tuple[Given | Derived, ...] = (rate, slots, _length(chain))
        return Explanation(title, "rate * slots / max(1, floor(length / 2))", terms, "Hz", short(4))
    unit = Given(
        "unit", "results a call", _unit(chain), "", f"{chain.buffer.name}: readout", _place(chain)
    )
    return Explanation(title, "rate * slots / unit", (rate, slots, unit), "Hz", short(4))


def _unit(chain: Chain) -> int:
    return chain.readout.watermark if isinstance(chain.readout, Fifo) else chain.results_per_isr


def cpu_share(workspace: Workspace, chain: Chain) -> Explanation:
    """How much of the processor's time fetching takes."""
    title = "processor"

    def write(value: Number, _unit: str) -> str:
        return format_percent(value)

    if isinstance(chain.readout, Polling):
        how = "a program that polls does nothing else"
        return looked_for(title, 1, "", how, (), write)
    terms: list[Given | Derived] = [
        Derived("rate", "ISR rate", isr_rate(workspace, chain)),
        Derived("isr", "ISR", isr_time(workspace, chain)),
    ]
    formula = "rate * isr"
    if main_cycles(chain):
        terms.append(Derived("later", "main loop per half", main_time(workspace, chain)))
        formula = "rate * (isr + later)"
    return Explanation(title, formula, tuple(terms), "", write)


def deadline(workspace: Workspace, chain: Chain) -> Explanation:
    """From a call until what it tells of is overwritten."""
    each = _read_period(chain)
    if each is not None:
        return Explanation("deadline", "each", (each,), "s", rounded(4))
    if isinstance(chain.readout, Dma):
        wrap = Derived("wrap", "wrap time", wrap_time(workspace, chain))
        return Explanation("deadline", "wrap / 2", (wrap,), "s", rounded(4))
    shown_s = retrieval_timing(workspace, chain).deadline_s
    scan = Derived("scan", "scan rate", scan_rate(workspace, chain))
    terms: list[Given | Derived] = [
        Derived(f"s{place}", f"slot {place + 1}", slot_length(workspace, chain, place))
        for place in range(len(chain.slots))
    ]
    how = "the shortest time from a result until the one that is written over it, along the scan"
    return looked_for("deadline", shown_s, "s", how, (scan, *terms), rounded(4))


def results_lost(workspace: Workspace, chain: Chain) -> Explanation:
    """Results in a second that never reach the program."""
    timing = retrieval_timing(workspace, chain)
    how = f"{timing.reason}: followed call by call, with the waits that calls hand on to the next"
    terms: list[Given | Derived] = [Derived("isr", "ISR", isr_time(workspace, chain))]
    if timing.overwrites:
        terms.append(Derived("deadline", "deadline", deadline(workspace, chain)))
    if gap_cycles(chain):
        there = Place(chain.converter, 0, chain.slots[0].signal, "transfer")
        stated = f"{chain.buffer.name}: after a gap"
        terms.append(Given("gap", "after a gap", gap_cycles(chain), "clk", stated, there))
        how += "; where some were lost, what came before is sent by itself, and that keeps it too"
    return looked_for("lost", timing.lost_hz, "S/s", how, tuple(terms), short(4))


def newest_age(workspace: Workspace, chain: Chain) -> Explanation:
    """How old the newest result is at most when the program reads it."""
    terms = (
        Derived("rate", "scan rate", scan_rate(workspace, chain)),
        Derived("conversion", "conversion", conversion(workspace, chain)),
    )
    return Explanation("newest at most", "1 / rate + conversion", terms, "s", rounded(4))


def scans_held(_workspace: Workspace, chain: Chain) -> Explanation:
    """Whole scans of a buffer."""
    return Explanation(
        "scans per buffer",
        "length / slots",
        (_length(chain), _slots(chain)),
        "",
        lambda value, _unit: f"{float(value):g}",
    )
