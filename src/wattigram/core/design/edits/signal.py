"""Edits of one signal."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from wattigram.core.design.edits.base import need_signal, with_signal
from wattigram.core.design.model import Mean, Project, Signal, Window
from wattigram.core.errors import EditError
from wattigram.core.fields import ratio_text


@dataclass(frozen=True)
class AddSignal:
    """A new signal; it is converted only once it has a slot."""

    signal: Signal

    @property
    def label(self) -> str:
        return f"Add {self.signal.name}"

    def apply(self, project: Project) -> Project:
        return project.changed(signals=(*project.signals, self.signal))


@dataclass(frozen=True)
class RemoveSignal:
    """Remove a signal with its slots and expectations."""

    name: str

    @property
    def label(self) -> str:
        return f"Remove {self.name}"

    def apply(self, project: Project) -> Project:
        need_signal(project, self.name)
        chains = []
        for chain in project.chains:
            slots = tuple(slot for slot in chain.slots if slot.signal != self.name)
            if slots:
                chains.append(chain.changed(slots=slots))
        signals = tuple(
            signal.changed(twin_of=None) if signal.twin_of == self.name else signal
            for signal in project.signals
            if signal.name != self.name
        )
        expectations = tuple(item for item in project.expectations if item.signal != self.name)
        return project.changed(signals=signals, chains=tuple(chains), expectations=expectations)


@dataclass(frozen=True)
class RenameSignal:
    """Give a signal another name, everywhere."""

    name: str
    new_name: str

    @property
    def label(self) -> str:
        return f"Rename {self.name} to {self.new_name}"

    def apply(self, project: Project) -> Project:
        need_signal(project, self.name)
        if self.new_name != self.name and any(signal.name == self.new_name for signal in project.signals):
            raise EditError(f"There is a signal “{self.new_name}” already.", cure="Choose another name.")

        def renamed(name: str | None) -> str | None:
            return self.new_name if name == self.name else name

        return project.changed(
            signals=tuple(
                item.changed(name=renamed(item.name), twin_of=renamed(item.twin_of)) for item in project.signals
            ),
            chains=tuple(
                chain.changed(slots=tuple(slot.changed(signal=renamed(slot.signal)) for slot in chain.slots))
                for chain in project.chains
            ),
            expectations=tuple(item.changed(signal=renamed(item.signal)) for item in project.expectations),
        )


@dataclass(frozen=True)
class SetPin:
    """Take a signal from another pin."""

    name: str
    pin: str

    @property
    def label(self) -> str:
        return f"Take {self.name} from pin {self.pin}"

    def apply(self, project: Project) -> Project:
        return with_signal(project, self.name, pin=self.pin)


@dataclass(frozen=True)
class SetFrontEnd:
    """State what the front end multiplies the signal by."""

    name: str
    front_end: Fraction

    @property
    def label(self) -> str:
        return f"Front end of {self.name}: {ratio_text(self.front_end)}"

    def apply(self, project: Project) -> Project:
        return with_signal(project, self.name, front_end=self.front_end)


@dataclass(frozen=True)
class SetReduce:
    """Choose a reduce stage, or none."""

    name: str
    reduce: Mean | None

    @property
    def label(self) -> str:
        if self.reduce is None:
            return f"Do not reduce {self.name}"
        return f"Mean of {self.reduce.count} for {self.name}"

    def apply(self, project: Project) -> Project:
        return with_signal(project, self.name, reduce=self.reduce)


@dataclass(frozen=True)
class SetWindow:
    """Choose a threshold window, or none."""

    name: str
    window: Window | None

    @property
    def label(self) -> str:
        if self.window is None:
            return f"No window on {self.name}"
        return f"Window of {self.name}: {self.window.low_v:g} to {self.window.high_v:g} V"

    def apply(self, project: Project) -> Project:
        return with_signal(project, self.name, window=self.window)
