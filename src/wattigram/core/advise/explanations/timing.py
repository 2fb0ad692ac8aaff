"""How instants, lengths and rates of a converter came about."""

from __future__ import annotations

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Given,
    Place,
    rounded,
    short,
)
from wattigram.core.model.design import Chain, TimerTrigger, Workspace
from wattigram.core.predict.timing import scan_timing, slot_order, starts_each


def bus_clock(workspace: Workspace) -> Given:
    """The clock of the bus, as the project states it."""
    origin = "project: bus clock"
    return Given("clock", "bus clock", workspace.bus_clock_hz, "Hz", origin, Place(facet="project"))


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


def scan_time(workspace: Workspace, chain: Chain) -> Explanation | None:
    """All slots of a scan, one after the other; None where something else comes between them."""
    if not is_plain(workspace, chain):
        return None
    return _sum_of_slots(workspace, chain, len(chain.slots), "scan time")


def _sum_of_slots(workspace: Workspace, chain: Chain, count: int, title: str) -> Explanation:
    terms = [
        Derived(f"s{place}", f"slot {place + 1}", slot_length(workspace, chain, place))
        for place in range(count)
    ]
    formula = " + ".join(term.name for term in terms)
    return Explanation(title, formula, tuple(terms), "s", rounded(6))


def sampling_instant(workspace: Workspace, chain: Chain, place: int) -> Explanation | None:
    """When a slot's voltage is frozen, after the scan's trigger; None where software comes between."""
    if not is_plain(workspace, chain) or scan_timing(workspace, chain).slots[place].repeats > 1:
        return None
    own = Derived("own", "sampling", sampling(workspace, chain, place))
    if place == 0:
        return Explanation("sampling instant", "own", (own,), "s", rounded(6))
    before = _sum_of_slots(workspace, chain, place, "slots before")
    return Explanation(
        "sampling instant",
        "before + own",
        (Derived("before", "slots before", before), own),
        "s",
        rounded(6),
    )


def trigger_period(workspace: Workspace, chain: Chain) -> Explanation | None:
    """What the timer makes of the period that is wanted; None without one."""
    own = workspace.project.own_trigger(chain)
    setting = scan_timing(workspace, chain).timer
    if not isinstance(own, TimerTrigger) or setting is None:
        return None
    there = Place(chain.converter, facet="start")
    return Explanation(
        "period",
        "prescaler * counts / clock",
        (
            Given("prescaler", "prescaler", setting.prescaler, "", f"{own.timer}", there),
            Given("counts", "counts", setting.period_counts, "", f"{own.timer}", there),
            bus_clock(workspace),
        ),
        "s",
        rounded(6),
    )


def slack(workspace: Workspace, chain: Chain) -> Explanation | None:
    """What is left of the period."""
    period, busy = trigger_period(workspace, chain), scan_time(workspace, chain)
    if period is None or busy is None:
        return None
    terms = (Derived("period", "period", period), Derived("busy", "scan time", busy))
    return Explanation("slack", "period - busy", terms, "s", rounded(6))


def scan_rate(workspace: Workspace, chain: Chain) -> Explanation | None:
    """Scans in a second; None where triggers are missed, or come unevenly."""
    period, cycle = trigger_period(workspace, chain), scan_timing(workspace, chain)
    if period is None or cycle.missed_hz or cycle.triggers_per_cycle != 1:
        return None
    return Explanation(
        "scan rate",
        "1 / period",
        (Derived("period", "period", period),),
        "Hz",
        short(6),
    )


def signal_rate(workspace: Workspace, chain: Chain, place: int) -> Explanation | None:
    """Samples of a slot's signal in a second, of all its slots."""
    rate, slot = scan_rate(workspace, chain), chain.slots[place]
    if rate is None or chain.read_period_s is not None:
        return None
    count = len(chain.places_of(slot.signal))
    there = Place(chain.converter, place, slot.signal, "sample")
    return Explanation(
        "rate",
        "slots * scans",
        (
            Given("slots", "slots of the signal", count, "", f"{chain.converter}: sequence", there),
            Derived("scans", "scan rate", rate),
        ),
        "Hz",
        short(5),
    )
