"""How instants, lengths and rates of a converter came about."""

from __future__ import annotations

from fractions import Fraction

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Found,
    Given,
    Place,
    looked_for,
    rounded,
    short,
    stated,
)
from wattigram.core.base.quantity import format_percent
from wattigram.core.model.design import Chain, Workspace
from wattigram.core.predict.timing import (
    ScanTiming,
    looks_for_results,
    restart_step,
    scan_timing,
    slot_order,
    starts_each,
)


def bus_clock(workspace: Workspace) -> Given:
    """The clock of the bus, as the project states it."""
    origin = "project: bus clock"
    return Given("clock", "bus clock", workspace.bus_clock_hz, "Hz", origin, Place(facet="project"))


def reference(workspace: Workspace) -> Given:
    """What the converters measure against."""
    origin, place = f"reference {workspace.project.reference}", Place(facet="project")
    return Given("reference", "reference", workspace.reference_v, "V", origin, place)


def timer_clock(workspace: Workspace, timer: str) -> Given | Derived:
    """What a timer's prescaler gets: the bus clock, or a share of it."""
    group = workspace.part.timer(timer)
    if group is None or group.clock_divider == 1:
        return bus_clock(workspace)
    divider = Given("divider", "divider", group.clock_divider, "", f"part: {timer}")
    terms = (bus_clock(workspace), divider)
    return Derived(
        "clock", "timer clock", Explanation("timer clock", "clock / divider", terms, "Hz", short(6))
    )


def converter_clock(workspace: Workspace, chain: Chain) -> Explanation:
    """The bus clock, or the converter's own, divided."""
    converter = workspace.converter(chain)
    clock = Place(chain.converter, facet="clock")
    source_hz = converter.source_clock_hz(workspace.bus_clock_hz, chain.clock == "internal")
    origin = (
        f"part: internal oscillator of {chain.converter}"
        if chain.clock == "internal"
        else "project: bus clock"
    )
    place = None if chain.clock == "internal" else Place(facet="project")
    return Explanation(
        "converter clock",
        "source / divider",
        (
            Given("source", "clock", source_hz, "Hz", origin, place),
            Given("divider", "divider", chain.divider, "", f"{chain.converter}: clock", clock),
        ),
        "Hz",
        short(4),
    )


def clock_range(workspace: Workspace, chain: Chain) -> tuple[Explanation, ...]:
    """Slowest and quickest clock that the part allows."""
    converter, part = workspace.converter(chain), f"part: {chain.converter}"
    ends = (
        ("slowest clock", converter.clock_low_hz),
        ("quickest clock", converter.clock_limit_hz(chain.bits)),
    )
    return tuple(stated(title, hz, "Hz", part, None, short(4)) for title, hz in ends)


def oscillator(workspace: Workspace, chain: Chain) -> tuple[Explanation, ...]:
    """The converter's own oscillator; none where it has none."""
    known, part = workspace.converter(chain).oscillator, f"part: {chain.converter}"
    if known is None:
        return ()
    return (
        stated("internal oscillator", known.clock_hz, "Hz", part, None, short(4)),
        stated(
            "its tolerance",
            known.tolerance,
            "",
            part,
            None,
            lambda value, _unit: format_percent(value),
        ),
    )


def sampling(workspace: Workspace, chain: Chain, place: int) -> Explanation:
    """Length of a slot's sampling."""
    slot = chain.slots[place]
    there = Place(chain.converter, place, slot.signal, "sample")
    return Explanation(
        "sampling",
        "cycles / clock",
        (
            Given(
                "cycles",
                "sampling clocks",
                slot.sampling,
                "clk",
                f"{chain.converter}, slot {place + 1}",
                there,
            ),
            Derived("clock", "converter clock", converter_clock(workspace, chain)),
        ),
        "s",
        rounded(3),
    )


def conversion(workspace: Workspace, chain: Chain) -> Explanation:
    """From the held instant to the code: a clock for each bit, and some more."""
    extra = workspace.converter(chain).conversion_cycles(0)
    return Explanation(
        "conversion",
        "(bits + more) / clock",
        (
            Given(
                "bits",
                "resolution",
                chain.bits,
                "",
                f"{chain.converter}: resolution",
                Place(chain.converter, facet="clock"),
            ),
            Given("more", "clocks besides", extra, "", f"part: {chain.converter}"),
            Derived("clock", "converter clock", converter_clock(workspace, chain)),
        ),
        "s",
        rounded(3),
    )


def slot_length(workspace: Workspace, chain: Chain, place: int) -> Explanation:
    """Sampling and conversion of a slot, as often as they are repeated."""
    repeats = scan_timing(workspace, chain).slots[place].repeats
    slot = chain.slots[place]
    terms: list[Given | Derived] = [
        Derived("sampling", "sampling", sampling(workspace, chain, place)),
        Derived("conversion", "conversion", conversion(workspace, chain)),
    ]
    formula = "sampling + conversion"
    if repeats > 1:
        formula = "repeats * (sampling + conversion)"
        there = Place(chain.converter, place, slot.signal, "filter")
        terms.insert(
            0, Given("repeats", "repeats", repeats, "", f"{slot.signal}: filter in hardware", there)
        )
    title = f"slot {place + 1}"
    return Explanation(title, formula, tuple(terms), "s", rounded(4))


def is_plain(workspace: Workspace, chain: Chain) -> bool:
    """One trigger starts a scan, whose slots follow each other without software between."""
    cycle = scan_timing(workspace, chain)
    return not (
        chain.per_trigger == "conversion"
        or starts_each(workspace, chain)
        or cycle.trigger.by_software
        or slot_order(workspace, chain) != list(range(len(chain.slots)))
    )


def _starts_singly(workspace: Workspace, chain: Chain) -> bool:
    """Each trigger starts one slot."""
    return (
        chain.per_trigger == "conversion" and scan_timing(workspace, chain).trigger.pace != "self"
    )


def scan_time(workspace: Workspace, chain: Chain) -> Explanation:
    """All slots of a scan, one after the other, with what software does between them; the first of them
    where each has a trigger of its own."""
    cycle, count = scan_timing(workspace, chain), len(chain.slots)
    if cycle.served is not None:
        return looked_for(
            "scan time",
            cycle.busy_s,
            "s",
            "followed from scan to scan: its slots, the wait until the program has seen each result, its work, and the "
            "start of the next scan, later where a half is full; the mean",
            (
                Derived("slots", "slots", _sum_of_slots(workspace, chain, count, "slots")),
                *software_terms(workspace, chain),
            ),
            rounded(6),
        )
    if _starts_singly(workspace, chain):
        first = Derived("first", "slot 1", _with_software(workspace, chain, 0))
        return Explanation("scan time", "first", (first,), "s", rounded(6))
    if not starts_each(workspace, chain):
        return _sum_of_slots(workspace, chain, count, "scan time")
    if restart_step(workspace, chain).round_s:
        terms = [
            Derived(f"s{place}", f"slot {place + 1}", _with_software(workspace, chain, place))
            for place in range(count)
        ]
        formula = " + ".join(term.name for term in terms)
        return _with_halves(workspace, cycle, formula, tuple(terms))
    slots = Derived("slots", "slots", _sum_of_slots(workspace, chain, count, "slots"))
    number = Given("count", "slots of the scan", count, "", f"{chain.converter}: sequence")
    each = _between(workspace, chain, slot_length(workspace, chain, 0))
    between = Derived("between", "software after each", each)
    return _with_halves(workspace, cycle, "slots + count * between", (slots, number, between))


def _with_halves(
    workspace: Workspace, cycle: ScanTiming, formula: str, terms: tuple[Given | Derived, ...]
) -> Explanation:
    """A scan whose slots software starts one by one, with what it does for halves that are full."""
    if not cycle.longer:
        return Explanation("scan time", formula, terms, "s", rounded(6))
    how = "by which scans are longer that come after a half was full, over all scans; the mean"
    clocks = sum((one.more / one.passes for one in cycle.longer), Fraction(0))
    halves = Found("halves", "halves that are full", clocks, "clk", how)
    clock = bus_clock(workspace)
    return Explanation(
        "scan time",
        f"{formula} + halves / {clock.name}",
        (*terms, halves, clock),
        "s",
        rounded(6),
    )


def _with_software(workspace: Workspace, chain: Chain, place: int) -> Explanation:
    """A slot, and what software does until the next can start."""
    own = slot_length(workspace, chain, place)
    if not starts_each(workspace, chain):
        return own
    terms = (
        Derived("own", "conversion of it", own),
        Derived("between", "software after it", _between(workspace, chain, own)),
    )
    return Explanation(own.title, "own + between", terms, "s", rounded(4))


def software_terms(workspace: Workspace, chain: Chain) -> tuple[Given | Found, ...]:
    """Clocks of the program from a result to the next start."""
    step, clock_hz = restart_step(workspace, chain), workspace.bus_clock_hz
    there = Place(chain.converter, 0, chain.slots[0].signal, "transfer")
    part, buffer = f"part: processor of {workspace.part.name}", chain.buffer.name
    looks = looks_for_results(chain)
    if step.round_s:
        stated = f"{buffer}: main loop"
        return (
            Given("round", "main loop round", step.round_s * clock_hz, "clk", stated, there),
            Given(
                "work", "until it starts the next", step.handle_s * clock_hz, "clk", stated, there
            ),
            Given("leave", "until it looks again", step.leave_s * clock_hz, "clk", stated, there),
        )
    notice = "half a round of its polling" if looks else "interrupt entry, half its jitter"
    work = Given("handle", "work", step.handle_s * clock_hz, "clk", buffer, there)
    restart = Given(
        "restart",
        "pointing and starting",
        step.restart_s * clock_hz,
        "clk",
        f"part: {chain.converter}",
    )
    return (
        Given("notice", f"until noticed: {notice}", step.notice_s * clock_hz, "clk", part),
        *([work] if chain.readout.kind in {"polling", "interrupt"} else []),
        restart,
    )


def _between(workspace: Workspace, chain: Chain, own: Explanation) -> Explanation:
    """What software does after a slot before it starts the next one itself."""
    terms = software_terms(workspace, chain)
    clock = bus_clock(workspace)
    if not restart_step(workspace, chain).round_s:
        total = " + ".join(term.name for term in terms)
        return Explanation(
            "software after each", f"({total}) / clock", (*terms, clock), "s", rounded(4)
        )
    looks = "max(0, ceil((own * clock - leave) / round)) * round"
    return Explanation(
        "software after it",
        f"(leave + {looks} + work) / clock - own",
        (*terms, Derived("own", "conversion of it", own), clock),
        "s",
        rounded(4),
    )


def _sum_of_slots(workspace: Workspace, chain: Chain, count: int, title: str) -> Explanation:
    terms = [
        Derived(f"s{place}", f"slot {place + 1}", slot_length(workspace, chain, place))
        for place in range(count)
    ]
    formula = " + ".join(term.name for term in terms)
    return Explanation(title, formula, tuple(terms), "s", rounded(6))


def sampling_instant(workspace: Workspace, chain: Chain, place: int) -> Explanation:
    """When a slot's voltage is frozen, after the scan's trigger."""
    timing = scan_timing(workspace, chain).slots[place]
    own = Derived("own", "sampling", sampling(workspace, chain, place))
    terms: list[Given | Derived | Found] = [own]
    formula = "own"
    if timing.repeats > 1:
        slot = chain.slots[place]
        there = Place(chain.converter, place, slot.signal, "filter")
        terms += [
            Given(
                "repeats",
                "repeats",
                timing.repeats,
                "",
                f"{slot.signal}: filter in hardware",
                there,
            ),
            Derived("conversion", "conversion", conversion(workspace, chain)),
        ]
        formula = "(repeats - 1) * (own + conversion) + own"
    if place and is_plain(workspace, chain):
        before = _sum_of_slots(workspace, chain, place, "slots before")
        terms.insert(0, Derived("before", "slots before", before))
        formula = f"before + {formula}"
    elif timing.start_s:
        how = (
            "the trigger that finds the converter free"
            if _starts_singly(workspace, chain)
            else ("slots before it, with what software does between them")
        )
        start = Found(
            "start",
            "start",
            timing.start_s,
            "s",
            how,
            (Derived("busy", "scan time", scan_time(workspace, chain)),),
        )
        terms.insert(0, start)
        formula = f"start + {formula}"
    return Explanation("sampling instant", formula, tuple(terms), "s", rounded(6))
