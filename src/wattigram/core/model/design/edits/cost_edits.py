"""Edits of what the program takes in clocks, stated or counted."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import ClassVar, Literal

from msgspec import Struct

from wattigram.core.model.design.edits.edit import need_chain, with_chain
from wattigram.core.model.design.project import Chain, Project

ClockField = Literal["main_cycles", "round_cycles", "start_cycles", "gap_cycles"]

COUNTED = {
    "isr_cycles": "the ISR of {converter} takes {cycles} clk",
    "main_cycles": "the main loop takes {cycles} clk for each half of {converter}",
    "round_cycles": "the main loop looks for results of {converter} every {cycles} clk",
    "start_cycles": "the main loop starts {converter} {cycles} clk after it has found results",
    "gap_cycles": "the main loop takes {cycles} clk more where it finds results of {converter} lost",
}
"""What is said of clocks that were counted, by the field that states them."""


class SetIsrCost(Struct, frozen=True):
    """State what the handler costs, and where they are given, what the main loop does for each half, how long its
    round is when it finds nothing, when it has started what comes next, and what a gap takes it."""

    scripts_say: ClassVar[str] = "SetHandler"

    converter: str
    cycles: int
    main_cycles: int | None = None
    round_cycles: int | None = None
    start_cycles: int | None = None
    gap_cycles: int | None = None

    @classmethod
    def counted(cls, converter: str, totals: Mapping[str, int], number: int) -> SetIsrCost | None:
        """What a board counted of the chain of this number; None where it counted nothing."""
        isr, main, each, start, gap = (
            totals.get(f"{what}.{number}") for what in ("handler", "main", "round", "start", "gap")
        )
        return None if isr is None else cls(converter, isr, main, each, start, gap)

    @property
    def stated(self) -> dict[str, int]:
        """Fields of the buffer that it gives."""
        found = {
            "isr_cycles": self.cycles,
            "main_cycles": self.main_cycles,
            "round_cycles": self.round_cycles,
            "start_cycles": self.start_cycles,
            "gap_cycles": self.gap_cycles,
        }
        return {name: cycles for name, cycles in found.items() if cycles is not None}

    @property
    def label(self) -> str:
        then = "" if self.main_cycles is None else f", the main loop then {self.main_cycles} clk"
        if self.round_cycles is not None:
            then += f"; it looks every {self.round_cycles} clk"
        return f"The ISR of {self.converter} takes {self.cycles} clk{then}"

    def apply(self, project: Project) -> Project:
        chain = need_chain(project, self.converter)
        return with_chain(project, self.converter, buffer=chain.buffer.replaced(**self.stated))


class SetMainCost(Struct, frozen=True):
    """State what the main loop does for each half of a buffer, how long its round is, when it starts what
    comes next, or what a gap takes it; None takes all but the first of these back."""

    converter: str
    cycles: int | None
    field: ClockField = "main_cycles"

    @property
    def label(self) -> str:
        if self.cycles is None:
            return f"The main loop of {self.converter} only looks for results"
        said = {
            "main_cycles": f"takes {self.cycles} clk for each half of {self.converter}",
            "round_cycles": f"looks for results of {self.converter} every {self.cycles} clk",
            "start_cycles": f"starts {self.converter} {self.cycles} clk after it found results",
            "gap_cycles": f"takes {self.cycles} clk more for lost results of {self.converter}",
        }
        return f"The main loop {said[self.field]}"

    def apply(self, project: Project) -> Project:
        chain = need_chain(project, self.converter)
        return with_chain(
            project, self.converter, buffer=chain.buffer.replaced(**{self.field: self.cycles})
        )


def cost_notes(chain: Chain, counted: SetIsrCost) -> Iterator[str]:
    """What was counted, where that is not what the design says."""
    for field, cycles in counted.stated.items():
        says = getattr(chain.buffer, field)
        if cycles != says:
            what = COUNTED[field].format(converter=chain.converter, cycles=cycles)
            told = "states none" if says is None else f"says {says}"
            yield f"{what}, counted; the design {told}."
