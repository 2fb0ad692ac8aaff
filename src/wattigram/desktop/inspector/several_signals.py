"""One panel for several signals: what is entered there is entered for each."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from msgspec.structs import replace

from wattigram.core.base.errors import QuantityError
from wattigram.core.model.design.edits import CompositeEdit, Edit
from wattigram.desktop.inspector.panel_model import Choice, Fact, Field, Panel, WhatIf

OWN = {"name", "pin"}
"""Fields that no two signals can have alike."""
DIFFER = "they differ"


def shared_panel(what: str, panels: dict[str, Panel]) -> Panel:
    """What panels of signals have in common, by the signals' names; curves and figures of choices are the first one's,
    and say so.

    A field shows the value that all have, or which there are; what is entered is one step for all of them, and
    is refused for all where one of them cannot take it.
    """
    first, *others = panels.values()
    curves = first.curves
    if curves is not None:
        curves = replace(curves, title=_of_first(panels, curves.title))
    title = f"{what} · {len(panels)} signals: {', '.join(panels)}"
    return Panel(
        title,
        tuple(_facts(first, others)),
        tuple(_fields(what, panels)),
        _what_if(what, panels),
        curves,
        None,
        tuple(tab for tab in first.tabs if all(tab in other.tabs for other in others)),
        first.tab,
    )


def _facts(first: Panel, others: list[Panel]) -> Iterator[Fact]:
    """Facts that all have, with the value that all have, or a word that they differ."""
    for fact in first.facts:
        theirs = [one for other in others for one in other.facts if one.label == fact.label]
        if len(theirs) < len(others):
            continue
        if all((one.value, one.good) == (fact.value, fact.good) for one in theirs):
            yield fact
            continue
        goods = {one.good for one in (fact, *theirs)}
        yield Fact(fact.label, DIFFER, False if False in goods else None)


def _fields(what: str, panels: dict[str, Panel]) -> Iterator[Field]:
    first = next(iter(panels.values()))
    for field in first.fields:
        mine = {
            name: next((one for one in panel.fields if one.label == field.label), None)
            for name, panel in panels.items()
        }
        alike = {name: one for name, one in mine.items() if one is not None}
        if field.label in OWN or len(alike) < len(panels):
            continue
        texts = list(dict.fromkeys(one.text or "nothing" for one in alike.values()))
        options = tuple(
            option
            for option in field.options
            if all(option in one.options for one in alike.values())
        )
        if field.options and not options:
            continue
        shown = replace(
            field, options=options, make=_making(f"{what}: {field.label} of several", alike)
        )
        if any(one.slider is None for one in alike.values()):
            shown = replace(shown, slider=None)
        if len(texts) > 1:
            shown = replace(shown, text="", hint=f"{DIFFER}: {', '.join(texts)}")
        yield shown


def _making(label: str, fields: dict[str, Field]) -> Callable[[str], Edit | None]:
    def make(text: str) -> Edit | None:
        edits = []
        for name, field in fields.items():
            try:
                edits.append(field.make(text))
            except QuantityError as fault:
                raise QuantityError(f"{name}: {fault.message}", cure=fault.cure) from fault
        return _together(label, edits)

    return make


def _together(label: str, edits: list[Edit | None]) -> Edit | None:
    made = tuple(edit for edit in edits if edit is not None)
    return CompositeEdit(made, label) if made else None


def _what_if(what: str, panels: dict[str, Panel]) -> WhatIf | None:
    """The choices that all have, with the first one's figures; good where they are for all."""
    shown = [panel.what_if for panel in panels.values()]
    if any(one is None for one in shown):
        return None
    first, *others = [one for one in shown if one is not None]
    choices: list[Choice] = []
    for choice in first.choices:
        theirs = [one for other in others for one in other.choices if one.label == choice.label]
        if len(theirs) < len(others):
            continue
        every = (choice, *theirs)
        edit = _together(f"{what}: {choice.label} of several", [one.edit for one in every])
        choices.append(
            replace(
                choice,
                good=all(one.good for one in every),
                is_current=all(one.is_current for one in every),
                edit=edit,
            )
        )
    if not choices:
        return None
    return replace(first, title=_of_first(panels, first.title), choices=tuple(choices))


def _of_first(panels: dict[str, Panel], title: str) -> str:
    """A title of figures that are not of all."""
    return f"{next(iter(panels))}: {title}"
