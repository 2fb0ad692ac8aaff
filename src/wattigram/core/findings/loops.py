"""Rules on loops, items and handlers."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.design import Chain, Workspace
from wattigram.core.design.edits import SetItemWidth, SetLoopItems
from wattigram.core.findings.finding import Finding, rule
from wattigram.core.quantity import brief
from wattigram.core.timing import loop_timing


@rule
def loop_out_of_step(workspace: Workspace) -> Iterator[Finding]:
    """Signals rotate through each other's places from lap to lap; or a half holds a torn cycle."""
    for chain in workspace.project.chains:
        loop = loop_timing(workspace, chain)
        if loop.halves_in_step:
            continue
        remedy = _better_length(workspace, chain)
        cycles = f"{loop.items} items hold {loop.items / loop.slots:.4g} cycles of {loop.slots}"
        if not loop.in_step:
            yield Finding(
                "loop-out-of-step",
                "error",
                loop.name,
                f"{loop.name} splits a cycle",
                f"{cycles}: after one lap every value lands {loop.items % loop.slots} places along, in its neighbour's.",
                remedy,
                converter=chain.converter,
            )
        else:
            yield Finding(
                "half-mark-in-cycle",
                "warning",
                loop.name,
                f"The half mark of {loop.name} falls inside a cycle",
                f"{cycles}, an odd number: each half is handed over with part of a cycle.",
                remedy,
                converter=chain.converter,
            )


def _better_length(workspace: Workspace, chain: Chain) -> SetLoopItems | None:
    dma = workspace.part.dma_channel(chain.loop.dma)
    unit = 2 * len(chain.slots)
    below, above = chain.loop.items // unit * unit, -(-chain.loop.items // unit) * unit
    choices = [items for items in (above, below) if items >= unit and (dma is None or items <= dma.items_max)]
    if not choices:
        return None
    return SetLoopItems(chain.converter, min(choices, key=lambda items: abs(items - chain.loop.items)))


@rule
def item_too_narrow(workspace: Workspace) -> Iterator[Finding]:
    """The upper bits are cut off: readings fold over, 8 of 12 bits leave a sawtooth."""
    for chain in workspace.project.chains:
        if chain.loop.width_bits >= chain.bits:
            continue
        dma = workspace.part.dma_channel(chain.loop.dma)
        wide = sorted(width for width in (dma.widths if dma else ()) if width >= chain.bits)
        yield Finding(
            "item-too-narrow",
            "error",
            chain.loop.name,
            f"{chain.loop.name} cuts codes off",
            f"A code has {chain.bits} bits, an item {chain.loop.width_bits}: the upper {chain.bits - chain.loop.width_bits} "
            f"are lost and readings fold over every {1 << chain.loop.width_bits} counts.",
            SetItemWidth(chain.converter, wide[0]) if wide else None,
            converter=chain.converter,
        )


@rule
def handler_too_slow(workspace: Workspace) -> Iterator[Finding]:
    """Halves are overwritten before they are read; the program around the handler stands still."""
    for chain in workspace.project.chains:
        loop = loop_timing(workspace, chain)
        if loop.load.share <= 1:
            continue
        yield Finding(
            "handler-too-slow",
            "error",
            chain.loop.name,
            f"The handler of {chain.loop.name} misses its deadline",
            f"It takes {brief(loop.load.cycles / workspace.bus_clock_hz, 's')} and a mark comes every {brief(loop.half_s, 's')}: "
            f"{float(loop.load.share) * 100:.0f} % of the processor.",
            converter=chain.converter,
        )
