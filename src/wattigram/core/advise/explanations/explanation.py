"""How a number came about: a formula, what stands in it, and where each of that comes from."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from fractions import Fraction

import msgspec

from wattigram.core.advise.explanations.expression import Number, evaluate, shown
from wattigram.core.base.quantity import format_rounded, format_si


class Place(msgspec.Struct, frozen=True):
    """Where in the design something is stated: a converter, one of its slots, a signal, and a facet of
    it; or an output, by its section of the project and its name."""

    converter: str = ""
    place: int = -1
    signal: str = ""
    facet: str = ""
    section: str = ""
    output: str = ""


class Given(msgspec.Struct, frozen=True):
    """Something that is stated.

    Attributes
    ----------
    name : as in the formula
    word : as it is read
    unit : of ``value``; "" for a number
    origin : where it is stated, in words
    place : where that is in the design; None for what the part, or a standard, states
    """

    name: str
    word: str
    value: Number
    unit: str
    origin: str
    place: Place | None = None

    @property
    def text(self) -> str:
        """The value with its unit."""
        if self.unit in {"", "clk", "bit", "LSB"} and self.value == int(self.value):
            return f"{int(self.value)} {self.unit}".strip()
        return format_si(self.value, self.unit, 6)


class Derived(msgspec.Struct, frozen=True):
    """Something that follows from something else."""

    name: str
    word: str
    why: Explanation

    @property
    def value(self) -> Number:
        """Worked out anew."""
        return self.why.value

    @property
    def text(self) -> str:
        """The value with its unit."""
        return self.why.text


Write = Callable[[Number, str], str]
"""How a value with its unit is written."""


def rounded(digits: int) -> Write:
    """With so many figures."""
    return lambda value, unit: format_rounded(value, unit, digits)


def short(digits: int) -> Write:
    """With so many figures at most, and no noughts behind."""
    return lambda value, unit: format_si(value, unit, digits)


class Explanation(msgspec.Struct, frozen=True):
    """A number with how it came about. It has no result of its own: what it is follows from its terms.

    Attributes
    ----------
    title : what the number is called
    formula : an expression of the names of the terms
    unit : of the result
    format : how the result is written where it is shown
    source : the clause of a standard, or a textbook's name for the formula; "" where it is plain
    """

    title: str
    formula: str
    terms: tuple[Given | Derived, ...]
    unit: str
    format: Write = rounded(4)
    source: str = ""

    @property
    def value(self) -> Number:
        """What the formula comes to with what is stated now."""
        result = evaluate(self.formula, {term.name: term.value for term in self.terms})
        return result if isinstance(result, Fraction) else float(result)

    @property
    def text(self) -> str:
        """The result as it is shown."""
        return self.format(self.value, self.unit)

    @property
    def in_words(self) -> str:
        """The formula with words."""
        return shown(self.formula, {term.name: term.word for term in self.terms})

    @property
    def in_values(self) -> str:
        """The formula with values."""
        return shown(self.formula, {term.name: term.text for term in self.terms})

    @property
    def is_stated(self) -> bool:
        """It is one given value and no more."""
        return len(self.terms) == 1 and self.formula == self.terms[0].name


def lines(why: Explanation) -> Iterator[tuple[int, str, Place | None]]:
    """An explanation as lines of text, each with how deep it lies, and where what it says is stated: formula,
    values, and origins. What occurs in several places is explained at the first."""
    yield from _lines(why, 0, set())


def _lines(
    why: Explanation, depth: int, told: set[tuple[str, str]]
) -> Iterator[tuple[int, str, Place | None]]:
    told.add((why.title, why.in_values))
    yield depth, f"{why.title} = {why.in_words}", None
    if not why.is_stated:
        source = f"   [{why.source}]" if why.source else ""
        yield depth + 1, f"= {why.in_values} = {why.text}{source}", None
    for term in why.terms:
        if isinstance(term, Given):
            yield depth + 1, f"{term.word} {term.text}: {term.origin}", term.place
    for term in why.terms:
        if isinstance(term, Derived) and (term.why.title, term.why.in_values) not in told:
            yield from _lines(term.why, depth + 1, told)
