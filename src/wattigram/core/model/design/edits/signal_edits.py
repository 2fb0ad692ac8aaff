"""Edits of one signal."""

from __future__ import annotations

from fractions import Fraction
from typing import ClassVar

from msgspec import Struct

from wattigram.core.base.errors import EditError
from wattigram.core.base.fields import ratio_text
from wattigram.core.model.design.edits.edit import need_signal, with_signal
from wattigram.core.model.design.edits.reaction_edits import (
    OF_OTHERS,
    names_signal,
    with_signal_renamed,
    with_threshold_removed,
    without_reactions,
)
from wattigram.core.model.design.project import Project, Signal
from wattigram.core.model.design.quantity import Quantity
from wattigram.core.model.design.reaction import (
    ComparatorSwitched,
    PairTripped,
)
from wattigram.core.model.design.stage import (
    LowPassFilter,
    RedundantPair,
    Stage,
    Threshold,
    limit_text,
)
from wattigram.core.model.design.trigger import ThresholdTrigger, Trigger


class AddSignal(Struct, frozen=True):
    """A new signal; it is converted only once it has a slot."""

    signal: Signal

    @property
    def label(self) -> str:
        return f"Add {self.signal.name}"

    def apply(self, project: Project) -> Project:
        return project.replaced(signals=(*project.signals, self.signal))


class RemoveSignal(Struct, frozen=True):
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
                chains.append(chain.replaced(slots=slots))
        signals = tuple(
            _without(signal, self.name) for signal in project.signals if signal.name != self.name
        )
        comparators = tuple(item for item in project.comparators if item.signal != self.name)
        left = without_reactions(
            project,
            lambda one: (
                names_signal(one, self.name)
                or (
                    isinstance(one.when, ComparatorSwitched)
                    and one.when.comparator not in {item.name for item in comparators}
                )
                or not {*one.converters} <= {chain.converter for chain in chains}
            ),
        )
        expectations = tuple(
            item
            for item in left["expectations"]
            if item.kind in OF_OTHERS or item.signal != self.name
        )
        return project.replaced(
            signals=signals,
            chains=tuple(chains),
            expectations=expectations,
            comparators=comparators,
            reactions=left["reactions"],
        )


class RenameSignal(Struct, frozen=True):
    """Give a signal another name, everywhere."""

    name: str
    new_name: str

    @property
    def label(self) -> str:
        return f"Rename {self.name} to {self.new_name}"

    def apply(self, project: Project) -> Project:
        need_signal(project, self.name)
        if self.new_name != self.name and any(
            signal.name == self.new_name for signal in project.signals
        ):
            raise EditError(
                f"There is a signal “{self.new_name}” already.", cure="Choose another name."
            )

        def renamed(name: str | None) -> str | None:
            return self.new_name if name == self.name else name

        return project.replaced(
            signals=tuple(
                item.replaced(
                    name=renamed(item.name),
                    redundant_pair=item.redundant_pair
                    and item.redundant_pair.replaced(
                        paired_with=renamed(item.redundant_pair.paired_with)
                    ),
                    thresholds=tuple(
                        window.replaced(minus_signal=renamed(window.minus_signal))
                        for window in item.thresholds
                    ),
                )
                for item in project.signals
            ),
            comparators=tuple(
                item.replaced(signal=renamed(item.signal)) for item in project.comparators
            ),
            chains=tuple(
                chain.replaced(
                    slots=tuple(slot.replaced(signal=renamed(slot.signal)) for slot in chain.slots),
                    trigger=_renamed_trigger(chain.trigger, self.name, self.new_name),
                )
                for chain in project.chains
            ),
            reactions=tuple(
                with_signal_renamed(item, self.name, self.new_name) for item in project.reactions
            ),
            expectations=tuple(
                item if item.kind in OF_OTHERS else item.replaced(signal=renamed(item.signal))
                for item in project.expectations
            ),
        )


class SetPin(Struct, frozen=True):
    """Take a signal from another pin, or as the difference of two."""

    name: str
    pin: str
    negative: str | None = None

    @property
    def label(self) -> str:
        if self.negative is not None:
            return f"Take {self.name} between pins {self.pin} and {self.negative}"
        return f"Take {self.name} from {'pin ' if self.pin[0].isupper() else ''}{self.pin}"

    def apply(self, project: Project) -> Project:
        return with_signal(project, self.name, pin=self.pin, negative=self.negative)


class SwapPins(Struct, frozen=True):
    """Exchange the pins of two signals; what is wired stays where it is."""

    name: str
    other: str

    @property
    def label(self) -> str:
        return f"Exchange the pins of {self.name} and {self.other}"

    def apply(self, project: Project) -> Project:
        mine, theirs = need_signal(project, self.name), need_signal(project, self.other)
        first = with_signal(project, self.name, pin=theirs.pin, negative=theirs.negative)
        return with_signal(first, self.other, pin=mine.pin, negative=mine.negative)


class SetScaling(Struct, frozen=True):
    """State what the front end multiplies the signal by."""

    scripts_say: ClassVar[str] = "SetFrontEnd"

    name: str
    front_end: Fraction

    @property
    def label(self) -> str:
        return f"Scaling of {self.name}: {ratio_text(self.front_end)}"

    def apply(self, project: Project) -> Project:
        return with_signal(project, self.name, scaling=self.front_end)


class SetQuantity(Struct, frozen=True):
    """State what a signal's volts stand for, or that they are volts."""

    name: str
    quantity: Quantity | None

    @property
    def label(self) -> str:
        said = self.quantity.unit if self.quantity is not None else "volts"
        return f"Quantity of {self.name}: {said}"

    def apply(self, project: Project) -> Project:
        return with_signal(project, self.name, quantity=self.quantity)


class SetFilter(Struct, frozen=True):
    """Choose a reduce stage, or none."""

    scripts_say: ClassVar[str] = "SetReduce"

    name: str
    reduce: Stage | None

    @property
    def label(self) -> str:
        stage = self.reduce
        if stage is None:
            return f"Remove the filter of {self.name}"
        if isinstance(stage, LowPassFilter):
            return f"Low-pass {self.name} with shift {stage.shift}"
        return f"{stage.kind.replace('-', ' ').capitalize()} of {stage.count} for {self.name}"

    def apply(self, project: Project) -> Project:
        return with_signal(project, self.name, filter=self.reduce)


class AddThreshold(Struct, frozen=True):
    """One more threshold window."""

    scripts_say: ClassVar[str] = "AddWindow"

    name: str
    window: Threshold

    @property
    def label(self) -> str:
        return f"Add a threshold to {self.name}: {_limits(self.window)}"

    def apply(self, project: Project) -> Project:
        signal = need_signal(project, self.name)
        return with_signal(project, self.name, thresholds=(*signal.thresholds, self.window))


class SetThreshold(Struct, frozen=True):
    """Change one window, counted from 0; None removes it."""

    scripts_say: ClassVar[str] = "SetWindow"

    name: str
    index: int
    window: Threshold | None

    @property
    def label(self) -> str:
        if self.window is None:
            return f"Remove threshold {self.index + 1} of {self.name}"
        return (
            f"Threshold {self.window.name or self.index + 1} of {self.name}: {_limits(self.window)}"
        )

    def apply(self, project: Project) -> Project:
        windows = list(need_signal(project, self.name).thresholds)
        if not 0 <= self.index < len(windows):
            raise EditError(
                f"{self.name} has no threshold {self.index + 1}.", cure=f"It has {len(windows)}."
            )
        if self.window is None:
            project = with_threshold_removed(project, self.name, self.index + 1)
        windows[self.index : self.index + 1] = [] if self.window is None else [self.window]
        return with_signal(project, self.name, thresholds=tuple(windows))


class SetRedundantPair(Struct, frozen=True):
    """Hold a signal against another one, or against none."""

    scripts_say: ClassVar[str] = "SetTwin"

    name: str
    twin: RedundantPair | None

    @property
    def label(self) -> str:
        return (
            f"Pair {self.name} with none"
            if self.twin is None
            else f"Pair {self.name} with {self.twin.paired_with}"
        )

    def apply(self, project: Project) -> Project:
        if self.twin is None or self.twin.tolerance_v is None:
            left = without_reactions(
                project,
                lambda one: isinstance(one.when, PairTripped) and one.when.signal == self.name,
            )
            project = project.replaced(**left)
        return with_signal(project, self.name, redundant_pair=self.twin)


def _limits(window: Threshold) -> str:
    return f"{limit_text(window.low)} to {limit_text(window.high)}"


def _without(signal: Signal, gone: str) -> Signal:
    """A signal that no longer leans on one that is removed."""
    windows = tuple(window for window in signal.thresholds if window.minus_signal != gone)
    return signal.replaced(
        redundant_pair=None if signal.partner == gone else signal.redundant_pair, thresholds=windows
    )


def _renamed_trigger(trigger: Trigger, name: str, new_name: str) -> Trigger:
    if isinstance(trigger, ThresholdTrigger) and trigger.signal == name:
        return trigger.replaced(signal=new_name)
    return trigger
