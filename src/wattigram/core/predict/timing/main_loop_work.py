"""What a main loop does besides waiting for the results of a converter that it starts."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.retrieval import Interrupt, Polling
from wattigram.core.model.design.trigger import FollowTrigger
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.timing.isr_cost import (
    half_results,
    has_isr,
    isr_service_cycles,
    looks_for_results,
    main_cycles,
)
from wattigram.core.predict.timing.passes import Halves


def kept_by(workspace: Workspace, chain: Chain) -> tuple[Halves, ...]:
    """What a main loop that looks for the end of a pass does besides: for halves and FIFOs that are full, its
    own and those of the converters that follow it. None for others: an ISR comes between whatever the main
    loop does."""
    if not looks_for_results(chain):
        return ()
    followers = [
        other
        for other in workspace.project.chains
        if what_follows(other) == chain.converter and other.per_trigger != "continuous"
    ]
    own = Halves(
        len(chain.slots),
        half_results(chain),
        Fraction(isr_service_cycles(workspace, chain) if _tells_halves(chain) else 0),
        Fraction(main_cycles(chain)),
    )
    return (own, *(one for follower in followers for one in _led_halves(workspace, follower)))


def what_follows(chain: Chain) -> str:
    """The converter whose trigger a chain has; "" where it has its own."""
    return chain.trigger.follows if isinstance(chain.trigger, FollowTrigger) else ""


def _tells_halves(chain: Chain) -> bool:
    """Its ISR is called for a half, or a FIFO, that is full."""
    return has_isr(chain) and not isinstance(chain.readout, Interrupt)


def _led_halves(workspace: Workspace, chain: Chain) -> Iterator[Halves]:
    """Work on what a converter gives that is started with each pass of another: it comes while that waits for
    its own results."""
    slots = 1 if chain.per_trigger == "conversion" else len(chain.slots)
    isr = isr_service_cycles(workspace, chain) if has_isr(chain) else chain.buffer.isr_cycles
    if isinstance(chain.readout, (Interrupt, Polling)):
        unit = chain.results_per_isr
        calls = max(1, slots // unit)
        yield Halves(calls, Fraction(max(calls, unit)), Fraction(0), Fraction(isr * calls))
    work = main_cycles(chain) + (isr if _tells_halves(chain) else 0)
    yield Halves(slots, half_results(chain), Fraction(0), Fraction(work))
