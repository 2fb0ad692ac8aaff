"""How the program's part, and what is late by it, came about."""

from __future__ import annotations

from wattigram.core.advise.explanations.buffers import wrap_time
from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Given,
    Place,
    rounded,
    short,
)
from wattigram.core.advise.explanations.filters import latency
from wattigram.core.advise.explanations.timing import bus_clock, conversion, signal_rate
from wattigram.core.model.design import Chain, Reaction, Signal, Threshold, Workspace
from wattigram.core.predict.program import reaction_rate_hz
from wattigram.core.predict.timing import retrieval_timing


def processor_share(workspace: Workspace, reaction: Reaction) -> Explanation | None:
    """How much of the processor's time a reaction takes; None where nobody knows how often it comes."""
    rate_hz = reaction_rate_hz(workspace, reaction)
    if reaction.cycles is None or rate_hz is None:
        return None
    there = Place(section="reactions", output=reaction.name)
    return Explanation(
        "keeps the processor",
        "clocks / clock * rate",
        (
            Given("clocks", "clocks", reaction.cycles, "clk", f"{reaction.name}: clocks", there),
            bus_clock(workspace),
            Given("rate", "how often", rate_hz, "Hz", f"{reaction.name}: when", there),
        ),
        "",
        lambda value, _unit: f"{float(value):.3%}",
    )


def worst_latency(
    workspace: Workspace, chain: Chain, signal: Signal, window: Threshold
) -> Explanation | None:
    """From a lasting crossing at the pin to the event, at most; None where another converter, or software that
    paces the chain, has a part in it."""
    place = chain.places_of(signal.name)[0]
    rate = signal_rate(workspace, chain, place)
    if rate is None or window.minus_signal is not None or signal.slot_filter is not None:
        return None
    there = Place(chain.converter, place, signal.name, "thresholds")
    each = Explanation(
        "a value each", "1 / rate", (Derived("rate", "rate", rate),), "s", rounded(4)
    )
    if window.input == "filtered" and signal.later_filter is not None:
        of_stage = latency(workspace, chain, signal)
        if of_stage is None:
            return None
        each = of_stage
    terms: list[Given | Derived] = [
        Derived("each", each.title, each),
        Given("times", "consecutive", window.consecutive, "", f"{signal.name}: threshold", there),
        Derived("conversion", "conversion", conversion(workspace, chain)),
    ]
    formula = "each * times + conversion"
    if window.done_in == "software":
        if chain.readout.kind == "dma":
            wrap = wrap_time(workspace, chain)
            if wrap is None:
                return None
            terms.append(Derived("wrap", "wrap time", wrap))
            formula += " + wrap / 2"
        terms.append(Derived("service", "ISR and what follows", _service(workspace, chain)))
        formula += " + service"
    return Explanation("worst latency", formula, tuple(terms), "s", rounded(3))


def _service(workspace: Workspace, chain: Chain) -> Explanation:
    """What the ISR, and the main loop after it, take."""
    cycles = retrieval_timing(workspace, chain).cycles
    there = Place(chain.converter, 0, chain.slots[0].signal, "transfer")
    given = Given("clocks", "clocks of the ISR", cycles, "clk", chain.buffer.name, there)
    return Explanation(
        "ISR and what follows", "clocks / clock", (given, bus_clock(workspace)), "s", short(4)
    )
