"""Edits of the board, its bench, and what must hold."""

from __future__ import annotations

from fractions import Fraction

from msgspec import Struct

from wattigram.core.base.errors import EditError
from wattigram.core.base.quantity import format_si
from wattigram.core.model.bench import Wiring
from wattigram.core.model.design.edits.edit import need_signal
from wattigram.core.model.design.expectation import Expectation
from wattigram.core.model.design.project import BoardReference, Project
from wattigram.core.model.design.rows import RowsSetup, SignalColumn


class SetProjectName(Struct, frozen=True):
    """Call the project something else."""

    name: str

    @property
    def label(self) -> str:
        return f"Call the project {self.name}"

    def apply(self, project: Project) -> Project:
        return project.replaced(name=self.name)


class SetRows(Struct, frozen=True):
    """Say how rows of other firmware are written, and which columns are which signals; other signals have none."""

    rows: RowsSetup | None
    columns: dict[str, SignalColumn]

    @property
    def label(self) -> str:
        return "Rows of other firmware" if self.rows is not None else "No rows of other firmware"

    def apply(self, project: Project) -> Project:
        for name in self.columns:
            need_signal(project, name)
        signals = tuple(
            signal.replaced(column=self.columns.get(signal.name)) for signal in project.signals
        )
        return project.replaced(rows=self.rows, signals=signals)


class SetReference(Struct, frozen=True):
    """Measure against another reference."""

    name: str

    @property
    def label(self) -> str:
        return f"Use the {self.name} reference"

    def apply(self, project: Project) -> Project:
        return project.replaced(reference=self.name)


class SetBoardReference(Struct, frozen=True):
    """Say what a reference of the part really is on this board; None for what the part says."""

    name: str
    voltage_v: float | None = None
    tolerance: float | None = None

    @property
    def label(self) -> str:
        if self.voltage_v is None and self.tolerance is None:
            return f"Take {self.name} as the part has it"
        return f"State what {self.name} is on the board"

    def apply(self, project: Project) -> Project:
        kept = tuple(one for one in project.references if one.name != self.name)
        if self.voltage_v is None and self.tolerance is None:
            return project.replaced(references=kept)
        stated = BoardReference(name=self.name, voltage_v=self.voltage_v, tolerance=self.tolerance)
        return project.replaced(references=(*kept, stated))


class SetBusClock(Struct, frozen=True):
    """Run the bus at another clock; None is the part's own."""

    clock_hz: Fraction | None

    @property
    def label(self) -> str:
        return "Run the bus at " + (
            format_si(self.clock_hz, "Hz") if self.clock_hz else "the part's own clock"
        )

    def apply(self, project: Project) -> Project:
        return project.replaced(bus_clock_hz=self.clock_hz)


class SetClockTolerance(Struct, frozen=True):
    """By how much the bus clock may be off; None is the part's own."""

    tolerance: float | None

    @property
    def label(self) -> str:
        if self.tolerance is None:
            return "The bus clock is as good as the part's own"
        return f"The bus clock is good to {format_si(self.tolerance, '%')}"

    def apply(self, project: Project) -> Project:
        return project.replaced(bus_clock_tolerance=self.tolerance)


class SetWiring(Struct, frozen=True):
    """Wire a pin, in place of what was there."""

    wiring: Wiring

    @property
    def label(self) -> str:
        return f"Wire pin {self.wiring.pin}: {_kind_text(self.wiring.source.kind)}, {format_si(self.wiring.source_resistance_ohm, 'Ω')}"

    def apply(self, project: Project) -> Project:
        others = [wiring for wiring in project.bench if wiring.pin != self.wiring.pin]
        places = [
            index for index, wiring in enumerate(project.bench) if wiring.pin == self.wiring.pin
        ]
        others.insert(places[0] if places else len(others), self.wiring)
        return project.replaced(bench=tuple(others))


class RemoveWiring(Struct, frozen=True):
    """Disconnect a pin."""

    pin: str

    @property
    def label(self) -> str:
        return f"Disconnect pin {self.pin}"

    def apply(self, project: Project) -> Project:
        return project.replaced(
            bench=tuple(wiring for wiring in project.bench if wiring.pin != self.pin)
        )


class SwapWires(Struct, frozen=True):
    """Put the fault in that the wires of two pins are exchanged, or take it out with ``other``
    None; both pins say so."""

    pin: str
    other: str | None

    @property
    def label(self) -> str:
        if self.other is None:
            return f"Put the wires of {self.pin} back"
        return f"Swap the wires of {self.pin} and {self.other}"

    def apply(self, project: Project) -> Project:
        wired = project.wired(self.pin)
        if wired is None or (self.other is not None and project.wired(self.other) is None):
            raise EditError(
                f"Nothing is wired to {self.pin if wired is None else self.other}.",
                cure="Wire both pins first.",
            )
        partners = {self.pin, self.other, wired.swapped_with}
        if self.other is not None:
            partners.add(getattr(project.wired(self.other), "swapped_with", None))

        def changed(wiring: Wiring) -> Wiring:
            # Whoever was exchanged with one of the two has its own wire back.
            if wiring.pin not in partners and wiring.swapped_with not in {self.pin, self.other}:
                return wiring
            other = (
                {self.pin: self.other, self.other: self.pin}.get(wiring.pin) if self.other else None
            )
            return wiring.replaced(swapped_with=other)

        return project.replaced(bench=tuple(changed(wiring) for wiring in project.bench))


class AddExpectation(Struct, frozen=True):
    """One more thing that must hold."""

    expectation: Expectation

    @property
    def label(self) -> str:
        return f"Expect {_kind_text(self.expectation.kind)} of {self.expectation.signal}"

    def apply(self, project: Project) -> Project:
        return project.replaced(expectations=(*project.expectations, self.expectation))


class ChangeExpectation(Struct, frozen=True):
    """Another wording of one expectation, counted from 0."""

    index: int
    expectation: Expectation

    @property
    def label(self) -> str:
        return f"Change what is expected of {self.expectation.signal}"

    def apply(self, project: Project) -> Project:
        _check(project, self.index)
        items = list(project.expectations)
        items[self.index] = self.expectation
        return project.replaced(expectations=tuple(items))


class RemoveExpectation(Struct, frozen=True):
    """Take one expectation, counted from 0, away."""

    index: int

    @property
    def label(self) -> str:
        return f"Remove expectation {self.index + 1}"

    def apply(self, project: Project) -> Project:
        _check(project, self.index)
        items = tuple(
            item for index, item in enumerate(project.expectations) if index != self.index
        )
        return project.replaced(expectations=items)


class MoveExpectation(Struct, frozen=True):
    """Put one expectation, counted from 0, at another place."""

    index: int
    to: int

    @property
    def label(self) -> str:
        return f"Move expectation {self.index + 1} to place {self.to + 1}"

    def apply(self, project: Project) -> Project:
        _check(project, self.index)
        _check(project, self.to)
        items = list(project.expectations)
        items.insert(self.to, items.pop(self.index))
        return project.replaced(expectations=tuple(items))


def _check(project: Project, index: int) -> None:
    if not 0 <= index < len(project.expectations):
        raise EditError(
            f"There is no expectation {index + 1}.", cure=f"There are {len(project.expectations)}."
        )


def _kind_text(kind: str) -> str:
    """A kind as it is read in a sentence."""
    return "DC" if kind == "dc" else kind.replace("-", " ")
