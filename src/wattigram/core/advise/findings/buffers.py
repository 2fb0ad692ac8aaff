"""Rules on loops and items."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.model.design import Chain, Workspace
from wattigram.core.model.design.edits import SetBufferLength, SetElementWidth
from wattigram.core.predict.accuracy import accumulator_bits
from wattigram.core.predict.timing import buffer_timing


@rule("half-mark-in-cycle", "loop-out-of-step", cell="transfer")
def buffer_splits_scans(workspace: Workspace) -> Iterator[Finding]:
    """Signals rotate through each other's places from wrap to wrap; or a half ends within a scan."""
    for chain in workspace.project.chains:
        loop = buffer_timing(workspace, chain)
        if loop.halves_in_step or chain.readout.ends_as_meant:
            continue  # what is filled once has no wrap that could move anything
        remedy = _better_length(workspace, chain)
        cycles = f"{loop.items} samples hold {loop.items / loop.slots:.4g} scans of {loop.slots}"
        if not loop.in_step:
            yield Finding(
                "loop-out-of-step",
                "error",
                loop.name,
                f"{loop.name} splits a scan",
                f"{cycles}: after one wrap every value lands {loop.items % loop.slots} places "
                "along, in its neighbour's.",
                remedy,
                converter=chain.converter,
            )
        else:
            yield Finding(
                "half-mark-in-cycle",
                "warning",
                loop.name,
                f"The half-full event of {loop.name} falls inside a scan",
                f"{cycles}, an odd number: each half is handed over with part of a scan.",
                remedy,
                converter=chain.converter,
            )


def _better_length(workspace: Workspace, chain: Chain) -> SetBufferLength | None:
    dma = workspace.part.dma_channel(chain.dma) if chain.dma else None
    unit = 2 * len(chain.slots)
    below, above = chain.buffer.samples // unit * unit, -(-chain.buffer.samples // unit) * unit
    choices = [
        items
        for items in (above, below)
        if items >= unit and (dma is None or items <= dma.items_max)
    ]
    if not choices:
        return None
    return SetBufferLength(
        chain.converter, min(choices, key=lambda items: abs(items - chain.buffer.samples))
    )


@rule("item-drops-bits", "item-too-narrow", cell="transfer")
def item_too_narrow(workspace: Workspace) -> Iterator[Finding]:
    """The upper bits are cut off: readings fold over, 8 of 12 bits leave a sawtooth."""
    for chain in workspace.project.chains:
        needed, what, is_sum = _widest(workspace, chain)
        dma = workspace.part.dma_channel(chain.dma) if chain.dma else None
        if chain.buffer.element_bits >= needed:
            continue
        wide = sorted(width for width in (dma.widths if dma else (8, 16, 32)) if width >= needed)
        remedy = SetElementWidth(chain.converter, wide[0]) if wide else None
        if chain.alignment == "left" and not is_sum:
            yield Finding(
                "item-drops-bits",
                "note",
                chain.buffer.name,
                f"{chain.buffer.name} keeps the upper {chain.buffer.element_bits} bits",
                f"A left-aligned code has {needed} bits, a sample {chain.buffer.element_bits}: the "
                "lower "
                f"{needed - chain.buffer.element_bits} are dropped.",
                remedy,
                converter=chain.converter,
            )
            continue
        yield Finding(
            "item-too-narrow",
            "error",
            chain.buffer.name,
            f"{chain.buffer.name} cuts codes off",
            f"{what} has {needed} bits, a sample {chain.buffer.element_bits}: the upper "
            f"{needed - chain.buffer.element_bits} "
            f"are lost and readings fold over every {1 << chain.buffer.element_bits} counts.",
            remedy,
            converter=chain.converter,
        )


def _widest(workspace: Workspace, chain: Chain) -> tuple[int, str, bool]:
    """Bits of the widest item, what it is, and whether a stage makes it: such an item is
    right-aligned whatever is chosen."""
    widest = chain.bits, "A code", False
    for slot in chain.slots:
        stage = workspace.project.signal(slot.signal).slot_filter
        if stage is not None:
            bits = accumulator_bits(stage.count, chain.bits) - stage.shift
            if bits >= widest[0]:
                widest = bits, f"The {'mean' if stage.shift else 'sum'} of {slot.signal}", True
    return widest
