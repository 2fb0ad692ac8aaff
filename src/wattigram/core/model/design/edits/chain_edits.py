"""Edits of what a converter's signals share, and of its slots."""

from __future__ import annotations

from fractions import Fraction
from typing import ClassVar, Literal

from msgspec import Struct

from wattigram.core.base.errors import EditError
from wattigram.core.base.quantity import format_si
from wattigram.core.model.design.edits.edit import need_chain, need_signal, with_chain
from wattigram.core.model.design.edits.reaction_edits import without_reactions
from wattigram.core.model.design.project import Chain, Project, Slot
from wattigram.core.model.design.trigger import FollowTrigger, TimerTrigger


class SetDivider(Struct, frozen=True):
    """Divide the bus clock by another number for one converter."""

    converter: str
    divider: int

    @property
    def label(self) -> str:
        return f"Divide the clock of {self.converter} by {self.divider}"

    def apply(self, project: Project) -> Project:
        return with_chain(project, self.converter, divider=self.divider)


class SetBits(Struct, frozen=True):
    """Convert with another resolution."""

    converter: str
    bits: int

    @property
    def label(self) -> str:
        return f"Convert with {self.bits} bits on {self.converter}"

    def apply(self, project: Project) -> Project:
        return with_chain(project, self.converter, bits=self.bits)


class SetAlignment(Struct, frozen=True):
    """Put codes to the other end of their items."""

    converter: str
    alignment: Literal["right", "left"]

    @property
    def label(self) -> str:
        return f"Align codes of {self.converter} {self.alignment}"

    def apply(self, project: Project) -> Project:
        return with_chain(project, self.converter, alignment=self.alignment)


class SetCalibration(Struct, frozen=True):
    """Calibrate at start-up, or do not."""

    converter: str
    calibrate: bool

    @property
    def label(self) -> str:
        return (
            f"{'Calibrate' if self.calibrate else 'Do not calibrate'} {self.converter} at start-up"
        )

    def apply(self, project: Project) -> Project:
        return with_chain(project, self.converter, calibrate=self.calibrate)


class SetPeriod(Struct, frozen=True):
    """Trigger at another period; a follower's leader is changed."""

    converter: str
    every_s: Fraction

    @property
    def label(self) -> str:
        return f"Trigger {self.converter} every {format_si(self.every_s, 's', 6)}"

    def apply(self, project: Project) -> Project:
        chain = need_chain(project, self.converter)
        if isinstance(chain.trigger, FollowTrigger):
            return SetPeriod(chain.trigger.follows, self.every_s).apply(project)
        if not isinstance(chain.trigger, TimerTrigger):
            raise EditError(
                f"{self.converter} is not started by a timer.",
                cure="Choose a timer as its trigger first.",
            )
        trigger = chain.trigger.replaced(
            period_s=self.every_s, prescaler_register=None, period_register=None
        )
        return with_chain(project, self.converter, trigger=trigger)


class SetBufferLength(Struct, frozen=True):
    """Make a loop longer or shorter."""

    scripts_say: ClassVar[str] = "SetLoopItems"

    converter: str
    items: int

    @property
    def label(self) -> str:
        return f"Use {self.items} samples in the circular buffer of {self.converter}"

    def apply(self, project: Project) -> Project:
        chain = need_chain(project, self.converter)
        return with_chain(project, self.converter, buffer=chain.buffer.replaced(samples=self.items))


class SetElementWidth(Struct, frozen=True):
    """Let DMA move items of another width."""

    scripts_say: ClassVar[str] = "SetItemWidth"

    converter: str
    width_bits: int

    @property
    def label(self) -> str:
        return f"Store elements of {self.width_bits} bits from {self.converter}"

    def apply(self, project: Project) -> Project:
        chain = need_chain(project, self.converter)
        return with_chain(
            project, self.converter, buffer=chain.buffer.replaced(element_bits=self.width_bits)
        )


class SetSampling(Struct, frozen=True):
    """Sample one slot, counted from 0, for another time."""

    converter: str
    place: int
    cycles: float
    signal: str = ""

    @property
    def label(self) -> str:
        return f"Sample {self.signal or f'slot {self.place + 1} of {self.converter}'} for {self.cycles} clk"

    def apply(self, project: Project) -> Project:
        chain = _with_place(project, self.converter, self.place)
        slots = list(chain.slots)
        slots[self.place] = slots[self.place].replaced(sampling_cycles=self.cycles)
        return with_chain(project, self.converter, slots=tuple(slots))


class MoveSlot(Struct, frozen=True):
    """Take a slot from one place to another."""

    converter: str
    place: int
    to: int

    @property
    def label(self) -> str:
        return f"Move slot {self.place + 1} of {self.converter} to place {self.to + 1}"

    def apply(self, project: Project) -> Project:
        chain = _with_place(project, self.converter, self.place)
        _with_place(project, self.converter, self.to)
        slots = list(chain.slots)
        slots.insert(self.to, slots.pop(self.place))
        return with_chain(project, self.converter, slots=tuple(slots))


class AddSlot(Struct, frozen=True):
    """Convert a signal in one more slot, at the end of the sequence."""

    converter: str
    signal: str
    sampling_cycles: float

    @property
    def label(self) -> str:
        return f"Convert {self.signal} on {self.converter}"

    def apply(self, project: Project) -> Project:
        need_signal(project, self.signal)
        chain = need_chain(project, self.converter)
        slot = Slot(signal=self.signal, sampling_cycles=self.sampling_cycles)
        return with_chain(project, self.converter, slots=(*chain.slots, slot))


class RemoveSlot(Struct, frozen=True):
    """Take a slot, counted from 0, out of the sequence."""

    converter: str
    place: int

    @property
    def label(self) -> str:
        return f"Remove slot {self.place + 1} of {self.converter}"

    def apply(self, project: Project) -> Project:
        chain = _with_place(project, self.converter, self.place)
        if len(chain.slots) > 1:
            slots = tuple(slot for place, slot in enumerate(chain.slots) if place != self.place)
            return with_chain(project, self.converter, slots=slots)
        followers = [other for other in project.chains if _follows(other, self.converter)]
        if followers:
            raise EditError(
                f"{followers[0].converter} is triggered by {self.converter}, whose last slot this "
                "is.",
                cure=f"Remove the slots of {followers[0].converter} first.",
            )
        left = without_reactions(
            project,
            lambda one: self.converter in one.converters,
        )
        return project.replaced(
            **left, chains=tuple(other for other in project.chains if other is not chain)
        )


class AddChain(Struct, frozen=True):
    """Put a converter to use."""

    chain: Chain

    @property
    def label(self) -> str:
        return f"Use {self.chain.converter}"

    def apply(self, project: Project) -> Project:
        return project.replaced(chains=(*project.chains, self.chain))


def _with_place(project: Project, converter: str, place: int) -> Chain:
    chain = need_chain(project, converter)
    if not 0 <= place < len(chain.slots):
        raise EditError(f"{converter} has no slot {place + 1}.", cure=f"It has {len(chain.slots)}.")
    return chain


def _follows(chain: Chain, converter: str) -> bool:
    return isinstance(chain.trigger, FollowTrigger) and chain.trigger.follows == converter
