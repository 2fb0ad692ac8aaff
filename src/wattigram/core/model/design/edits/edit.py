"""What an edit is, and how it is applied."""

from __future__ import annotations

from typing import Any, ClassVar, Protocol

from msgspec import Struct

from wattigram.core.base.errors import EditError
from wattigram.core.base.models import StrictModel, plain_values
from wattigram.core.base.validation import ModelError
from wattigram.core.model.design.former_words import FORMER, in_former_words
from wattigram.core.model.design.part_compatibility import part_faults
from wattigram.core.model.design.project import Chain, Project, Signal
from wattigram.core.model.design.workspace import Workspace


class Edit(Protocol):
    """A change of the project. Implementations are small frozen structs, which cost next to nothing to define.

    Scripts know an edit by the name of its class; one whose class got a better name keeps the old
    one for them
    as ``scripts_say``.
    """

    @property
    def label(self) -> str:
        """What the edit does, for the undo menu and for remedies."""
        ...

    def apply(self, project: Project) -> Project:
        """The project after the edit; raises :class:`EditError` where it cannot be."""
        ...


class CompositeEdit(Struct, frozen=True):
    """Some edits as one: a template, a paste, a cure that needs two steps."""

    scripts_say: ClassVar[str] = "Several"

    edits: tuple[Edit, ...]
    label: str

    def apply(self, project: Project) -> Project:
        for edit in self.edits:
            project = edit.apply(project)
        return project


def apply_edit(workspace: Workspace, edit: Edit) -> Workspace:
    """Apply an edit and hold the outcome against the part.

    Raises
    ------
    EditError
        When the outcome would be no valid project, or one that the part cannot hold.
    """
    try:
        project = edit.apply(workspace.project)
    except ModelError as fault:
        raise EditError(fault.first.message, where=edit.label) from fault
    faults = part_faults(project, workspace.part)
    if faults:
        raise EditError(faults[0], where=edit.label)
    return workspace.with_project(project)


def describe(edit: Edit) -> dict[str, Any]:
    """The edit as plain values, for scripts."""
    values: dict[str, Any] = {"edit": getattr(edit, "scripts_say", type(edit).__name__)}
    for name in getattr(edit, "__struct_fields__", ()):
        value = getattr(edit, name)
        if isinstance(value, StrictModel):
            value = in_former_words(value, plain_values(value))
        elif isinstance(value, tuple) and isinstance(edit, CompositeEdit):
            value = [describe(one) for one in value]
        elif isinstance(value, str):
            value = FORMER[Chain].values.get(name, {}).get(value, value)
        elif not isinstance(value, (str, int, float, bool, type(None))):
            value = str(value)
        values[name] = value
    return values


def with_chain(project: Project, converter: str, **updates: Any) -> Project:
    """The project with some fields of one chain replaced."""
    chain = need_chain(project, converter)
    chains = tuple(
        chain.replaced(**updates) if other is chain else other for other in project.chains
    )
    return project.replaced(chains=chains)


def with_signal(project: Project, name: str, **updates: Any) -> Project:
    """The project with some fields of one signal replaced."""
    signal = need_signal(project, name)
    signals = tuple(
        signal.replaced(**updates) if other is signal else other for other in project.signals
    )
    return project.replaced(signals=signals)


def need_chain(project: Project, converter: str) -> Chain:
    """The chain on that converter, or an :class:`EditError`."""
    chain = project.chain(converter)
    if chain is None:
        raise EditError(
            f"{converter} has no chain in this project.", cure="Add a slot to it first."
        )
    return chain


def need_signal(project: Project, name: str) -> Signal:
    """The signal of that name, or an :class:`EditError`."""
    for signal in project.signals:
        if signal.name == name:
            return signal
    raise EditError(f"There is no signal “{name}”.", cure="Choose one that is there.")
