"""What a design knows of an image's memory: whose items lie in a loop, and where the next one goes."""

from __future__ import annotations

from dataclasses import dataclass

from wattigram.core.design import Chain, Dma, Signal, Workspace, signal_scale
from wattigram.core.errors import RegisterError
from wattigram.core.firmware.names import c_identifiers
from wattigram.core.image import CType, Place
from wattigram.core.registers import register_map
from wattigram.core.timing import slot_order

LOOP = "wg_loop_"
_WORD = CType("uint32_t", "unsigned", 4)


@dataclass(frozen=True)
class LoopLook:
    """A loop in memory: its chain, the signal of each slot, and the register that says how far DMA has come."""

    chain: Chain
    signals: tuple[Signal, ...]
    place: Place | None

    def signal_at(self, index: int) -> Signal:
        """Whose item lies at an index."""
        return self.signals[index % len(self.signals)]

    def volts(self, workspace: Workspace, index: int, item: int) -> float:
        """An item by its signal's scale, in the signal's own volts."""
        signal = self.signal_at(index)
        scale = signal_scale(workspace, self.chain, signal.name)
        code = item >> scale.shift if scale.shift >= 0 else item << -scale.shift
        if scale.signed and code >> (scale.item_bits - 1) & 1:
            code -= 1 << scale.item_bits
        return signal.at_source(code * scale.lsb_v / scale.gain)


def loop_look(workspace: Workspace, name: str) -> LoopLook | None:
    """What is known of a variable, where it is a chain's loop."""
    if not name.startswith(LOOP):
        return None
    names = c_identifiers(chain.converter for chain in workspace.project.chains)
    for chain in workspace.project.chains:
        if name == f"{LOOP}{names[chain.converter]}":
            order = slot_order(workspace, chain)
            signals = tuple(workspace.project.signal(chain.slots[place].signal) for place in order)
            return LoopLook(chain, signals, _write_place(workspace, chain))
    return None


def _write_place(workspace: Workspace, chain: Chain) -> Place | None:
    if not isinstance(chain.retrieval, Dma):
        return None
    try:
        found = register_map(workspace.part).find(chain.retrieval.channel, "place")
    except RegisterError:
        return None
    return Place(f"{chain.retrieval.channel} place", found.address, _WORD)
