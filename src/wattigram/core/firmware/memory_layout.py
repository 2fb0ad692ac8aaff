"""What a design knows of an image's memory: whose items lie in a loop, and where the next one
goes."""

from __future__ import annotations

from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import RegisterError
from wattigram.core.contract.image import CType, MemoryLocation
from wattigram.core.firmware.c_names import c_identifiers
from wattigram.core.model.design import Chain, Dma, Signal, Workspace, reduced_volts, signal_scale
from wattigram.core.predict.timing import slot_order
from wattigram.core.silicon.registers import register_map

LOOP = "wg_buffer_"
_WORD = CType("uint32_t", "unsigned", 4)


class NumberScale(msgspec.Struct, frozen=True):
    """Numbers that are items of a signal, or values of the stage behind it, and so stand for
    volts."""

    signal: str
    reduced: bool = False

    def volts(self, workspace: Workspace, numbers: NDArray[Any]) -> NDArray[np.float64]:
        """In the signal's own volts, (n,) as ``numbers``; NaN where the signal is in no chain.

        Parameters
        ----------
        numbers : (n,) integers, as they lie in memory, or codes with a sign
        """
        chain = workspace.project.chain_of(self.signal)
        if chain is None:
            return np.full(len(numbers), np.nan)
        signal = workspace.project.signal(self.signal)
        whole = np.asarray(numbers).astype(np.int64)
        if self.reduced:
            return reduced_volts(workspace, chain, signal, whole & 0xFFFFFFFF)
        scale = signal_scale(workspace, chain, self.signal)
        return np.asarray(scale.item_volts(whole) / float(signal.scaling))


def number_scales(workspace: Workspace) -> tuple[NumberScale, ...]:
    """What numbers in memory may be: items of each converted signal, and values of its stage."""
    scales = []
    for signal in workspace.project.signals:
        if workspace.project.chain_of(signal.name) is not None:
            scales.append(NumberScale(signal.name))
            if signal.later_filter is not None:
                scales.append(NumberScale(signal.name, reduced=True))
    return tuple(scales)


class BufferLayout(msgspec.Struct, frozen=True):
    """A loop in memory: its chain, the signal of each slot, and the register that says how far DMA
    has come."""

    chain: Chain
    signals: tuple[Signal, ...]
    place: MemoryLocation | None

    def signal_at(self, index: int) -> Signal:
        """Whose item lies at an index."""
        return self.signals[index % len(self.signals)]

    def volts(self, workspace: Workspace, items: NDArray[Any]) -> NDArray[np.float64]:
        """All items, each by its signal's scale, in the signal's own volts; (n,) as ``items``."""
        values_v = np.empty(len(items))
        for place, signal in enumerate(self.signals):
            values_v[place :: len(self.signals)] = NumberScale(signal.name).volts(
                workspace, items[place :: len(self.signals)]
            )
        return values_v


def buffer_layout(workspace: Workspace, name: str) -> BufferLayout | None:
    """What is known of a variable, where it is a chain's loop."""
    if not name.startswith(LOOP):
        return None
    names = c_identifiers(chain.converter for chain in workspace.project.chains)
    for chain in workspace.project.chains:
        if name == f"{LOOP}{names[chain.converter]}":
            order = slot_order(workspace, chain)
            signals = tuple(workspace.project.signal(chain.slots[place].signal) for place in order)
            return BufferLayout(chain, signals, _write_place(workspace, chain))
    return None


def _write_place(workspace: Workspace, chain: Chain) -> MemoryLocation | None:
    if not isinstance(chain.readout, Dma) or chain.read_period_s is not None:
        return None
    try:
        place = register_map(workspace.part).find(chain.readout.channel, "place")
    except RegisterError:
        return None  # also where it counts what is left
    return MemoryLocation(f"{chain.readout.channel} place", place.address, _WORD)
