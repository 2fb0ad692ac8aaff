"""How sizes, laps and the processor's share came about."""

from __future__ import annotations

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Given,
    Place,
    rounded,
    short,
)
from wattigram.core.advise.explanations.timing import scan_rate
from wattigram.core.model.design import Chain, Workspace
from wattigram.core.predict.timing import item_bits


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


def wrap_time(workspace: Workspace, chain: Chain) -> Explanation | None:
    """From one lap of a buffer to the next."""
    rate = scan_rate(workspace, chain)
    if rate is None:
        return None
    slots = Given(
        "slots",
        "slots",
        len(chain.slots),
        "",
        f"{chain.converter}: sequence",
        Place(chain.converter, facet="start"),
    )
    terms = (_length(chain), slots, Derived("rate", "scan rate", rate))
    return Explanation("wrap time", "length / slots / rate", terms, "s", rounded(4))


def scans_held(_workspace: Workspace, chain: Chain) -> Explanation:
    """Whole scans of a buffer."""
    slots = Given("slots", "slots", len(chain.slots), "", f"{chain.converter}: sequence")
    return Explanation(
        "scans per buffer",
        "length / slots",
        (_length(chain), slots),
        "",
        lambda value, _unit: f"{float(value):g}",
    )
