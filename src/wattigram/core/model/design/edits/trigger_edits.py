"""Edits of how a chain is clocked, started and fetched from."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct

from wattigram.core.base.errors import EditError
from wattigram.core.model.design.edits.edit import need_chain, need_signal, with_chain
from wattigram.core.model.design.edits.reaction_edits import without_reactions
from wattigram.core.model.design.project import Project, Step
from wattigram.core.model.design.reaction import ComparatorSwitched
from wattigram.core.model.design.retrieval import Reader, Retrieval
from wattigram.core.model.design.stage import Comparator
from wattigram.core.model.design.trigger import Trigger
from wattigram.core.model.field_types import PerTrigger

RETRIEVALS = {
    "polling": "by polling",
    "interrupt": "by interrupt",
    "fifo": "from its FIFO",
    "dma": "by DMA",
}
TRIGGERS = {
    "software": "by software",
    "free-running": "by itself, free-running",
    "timer": "by a timer",
    "edge": "by an external edge",
    "comparator": "by a comparator",
    "threshold": "by a threshold's event",
    "converter": "with another converter",
}
PER_TRIGGER = {
    "conversion": "one conversion",
    "scan": "one scan",
    "continuous": "scans continuously",
}


class SetClock(Struct, frozen=True):
    """Clock a converter from another source, with another divider."""

    converter: str
    clock: Literal["bus", "internal"]
    divider: int

    @property
    def label(self) -> str:
        source = "the bus" if self.clock == "bus" else "its internal oscillator"
        return f"Clock {self.converter} from {source} ÷ {self.divider}"

    def apply(self, project: Project) -> Project:
        return with_chain(project, self.converter, clock=self.clock, divider=self.divider)


class SetTrigger(Struct, frozen=True):
    """Start a chain by something else."""

    converter: str
    trigger: Trigger

    @property
    def label(self) -> str:
        return f"Start {self.converter} {TRIGGERS[self.trigger.kind]}"

    def apply(self, project: Project) -> Project:
        return with_chain(project, self.converter, trigger=self.trigger)


class SetPerTrigger(Struct, frozen=True):
    """Let a trigger start one conversion, one pass, or passes without end."""

    converter: str
    per_trigger: PerTrigger

    @property
    def label(self) -> str:
        return f"Let a trigger of {self.converter} start {PER_TRIGGER[self.per_trigger]}"

    def apply(self, project: Project) -> Project:
        return with_chain(project, self.converter, per_trigger=self.per_trigger)


class SetRetrieval(Struct, frozen=True):
    """Fetch results in another way."""

    converter: str
    retrieval: Retrieval

    @property
    def label(self) -> str:
        return f"Read results of {self.converter} out {RETRIEVALS[self.retrieval.kind]}"

    def apply(self, project: Project) -> Project:
        return with_chain(project, self.converter, readout=self.retrieval)


class SetReader(Struct, frozen=True):
    """Let the program take items for something else."""

    converter: str
    reader: Reader

    @property
    def label(self) -> str:
        return (
            f"Read samples of {self.converter} as written"
            if self.reader == Reader()
            else (f"Read samples of {self.converter} otherwise")
        )

    def apply(self, project: Project) -> Project:
        return with_chain(project, self.converter, read_as=self.reader)


class SetStartup(Struct, frozen=True):
    """Start up in another order; None is the right one."""

    converter: str
    order: tuple[Step, ...] | None

    @property
    def label(self) -> str:
        return f"Start {self.converter} up in {'the right order' if self.order is None else 'another order'}"

    def apply(self, project: Project) -> Project:
        return with_chain(project, self.converter, startup=self.order)


class OrderSlots(Struct, frozen=True):
    """Put slots into another order, by their places counted from 0."""

    converter: str
    order: tuple[int, ...]

    @property
    def label(self) -> str:
        return f"Order the slots of {self.converter} as they are converted"

    def apply(self, project: Project) -> Project:
        chain = need_chain(project, self.converter)
        if sorted(self.order) != list(range(len(chain.slots))):
            raise EditError(
                f"{self.converter} has other slots than that.", cure="Name each of its places once."
            )
        return with_chain(
            project, self.converter, slots=tuple(chain.slots[place] for place in self.order)
        )


class SetSamplings(Struct, frozen=True):
    """Sample several slots for the same time; all of them where none is named."""

    converter: str
    cycles: float
    places: tuple[int, ...] = ()

    @property
    def label(self) -> str:
        which = f"{len(self.places)} slots" if self.places else "all slots"
        return f"Sample {which} of {self.converter} for {self.cycles} clk"

    def apply(self, project: Project) -> Project:
        chain = need_chain(project, self.converter)
        chosen = set(self.places or range(len(chain.slots)))
        slots = tuple(
            slot.replaced(sampling_cycles=self.cycles) if place in chosen else slot
            for place, slot in enumerate(chain.slots)
        )
        return with_chain(project, self.converter, slots=slots)


class RemoveChain(Struct, frozen=True):
    """Take a converter out of use; its signals stay."""

    converter: str

    @property
    def label(self) -> str:
        return f"Do not use {self.converter}"

    def apply(self, project: Project) -> Project:
        need_chain(project, self.converter)
        left = without_reactions(
            project,
            lambda one: self.converter in one.converters,
        )
        return project.replaced(
            **left,
            chains=tuple(chain for chain in project.chains if chain.converter != self.converter),
        )


class SetComparator(Struct, frozen=True):
    """Put a comparator on a signal, or change it."""

    comparator: Comparator

    @property
    def label(self) -> str:
        return f"{self.comparator.name} on {self.comparator.signal} at {self.comparator.threshold_v:g} V"

    def apply(self, project: Project) -> Project:
        need_signal(project, self.comparator.signal)
        names = [item.name for item in project.comparators]
        items = list(project.comparators)
        if self.comparator.name in names:
            items[names.index(self.comparator.name)] = self.comparator
        else:
            items.append(self.comparator)
        return project.replaced(comparators=tuple(items))


class RemoveComparator(Struct, frozen=True):
    """Use a comparator no more."""

    name: str

    @property
    def label(self) -> str:
        return f"Do not use {self.name}"

    def apply(self, project: Project) -> Project:
        left = without_reactions(
            project,
            lambda one: (
                isinstance(one.when, ComparatorSwitched) and one.when.comparator == self.name
            ),
        )
        return project.replaced(
            **left,
            comparators=tuple(item for item in project.comparators if item.name != self.name),
        )
