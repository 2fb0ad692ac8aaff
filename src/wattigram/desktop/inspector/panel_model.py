"""The inspector's content: facts, fields to edit, and a what-if."""

from __future__ import annotations

from collections.abc import Callable

import msgspec

from wattigram.core.advise.explanations import Explanation
from wattigram.core.model.design.edits import Edit

Whys = Explanation | tuple[Explanation, ...] | None


class Fact(msgspec.Struct, frozen=True):
    """A figure with its name; ``good`` is None where it is neither, and ``why`` says how it came about."""

    label: str
    value: str
    good: bool | None = None
    why: Whys | Callable[[], Whys] = None
    """One for each number of ``value``; made when it is asked for, for a panel is made anew at each edit."""

    @property
    def whys(self) -> tuple[Explanation, ...]:
        """How each number came about; none where nothing says."""
        why = self.why() if callable(self.why) else self.why
        if why is None:
            return ()
        return why if isinstance(why, tuple) else (why,)


class Field(msgspec.Struct, frozen=True):
    """Something to edit as text, by choice, or with a slider.

    Attributes
    ----------
    make : callable
        Turns what was entered into an edit; raises :class:`QuantityError` with advice.
    options : tuple of str
        What can be chosen; free text where it is empty.
    slider : (low, high, now) or None
        For a knob; ``make`` then gets the value as text.
    """

    label: str
    text: str
    make: Callable[[str], Edit | None]
    options: tuple[str, ...] = ()
    slider: tuple[float, float, float] | None = None
    hint: str = ""


class Choice(msgspec.Struct, frozen=True):
    """One choice of a what-if: its label, what it would bring, and the edit that makes it."""

    label: str
    value: float
    good: bool
    is_current: bool
    hint: str | Callable[[], str]
    """What it would bring in words; one that takes long to say is said when it is asked for."""
    edit: Edit | None

    @property
    def tip(self) -> str:
        """The same as text."""
        return self.hint() if callable(self.hint) else self.hint


class WhatIf(msgspec.Struct, frozen=True):
    """All choices at once with their consequence; ``limit`` is drawn as a line."""

    title: str
    choices: tuple[Choice, ...]
    limit: float | None = None
    limit_label: str = ""
    logarithmic: bool = True


class Course(msgspec.Struct, frozen=True):
    """One curve of a chart, (x, y) points with x and y above 0."""

    label: str
    points: tuple[tuple[float, float], ...]
    is_current: bool


class Curves(msgspec.Struct, frozen=True):
    """Curves over a logarithmic axis; ``line`` is drawn across."""

    title: str
    x_unit: str
    courses: tuple[Course, ...]
    line: float | None = None
    line_label: str = ""


class Line(msgspec.Struct, frozen=True):
    """A step of an ordered list, with the reason for its place; ``fault`` is empty where it is
    right."""

    name: str
    text: str
    fault: str = ""


class OrderedList(msgspec.Struct, frozen=True):
    """Steps that can be moved and left out; ``make`` turns their names into an edit."""

    title: str
    lines: tuple[Line, ...]
    make: Callable[[tuple[str, ...]], Edit | None]


class Tab(msgspec.Struct, frozen=True):
    """Another facet of the same selection."""

    label: str
    facet: str


class Panel(msgspec.Struct, frozen=True):
    """All that the inspector shows."""

    title: str
    facts: tuple[Fact, ...] = ()
    fields: tuple[Field, ...] = ()
    what_if: WhatIf | None = None
    curves: Curves | None = None
    ordered: OrderedList | None = None
    tabs: tuple[Tab, ...] = ()
    tab: str = ""

    @property
    def shape(self) -> tuple[object, ...]:
        """What must agree for two panels to be shown by the same widgets."""
        return (
            tuple((fact.label, fact.why is not None) for fact in self.facts),
            tuple(
                (field.label, bool(field.options), field.slider is not None)
                for field in self.fields
            ),
            self.what_if is not None,
            self.curves is not None,
            self.ordered is not None,
            self.tabs,
        )
