"""How a number came about: a formula, what stands in it, and where each of that comes from."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from fractions import Fraction

import msgspec

from wattigram.core.advise.explanations.expression import Number, evaluate, shown
from wattigram.core.base.quantity import format_rounded, format_si, format_volts


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
        return _plain(self.value, self.unit)


class Found(msgspec.Struct, frozen=True):
    """Something that no formula gives: it is looked for, or counted event by event, from what is stated.

    Attributes
    ----------
    how : how it is found, in words
    terms : what it depends on
    """

    name: str
    word: str
    value: Number
    unit: str
    how: str
    terms: tuple[Given | Derived | Found, ...] = ()

    @property
    def text(self) -> str:
        """The value with its unit."""
        return _plain(self.value, self.unit)


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


def _plain(value: Number, unit: str) -> str:
    if unit in {"", "clk", "bit", "LSB"} and value == int(value):
        return f"{int(value)} {unit}".strip()
    return format_si(value, unit, 6)


Write = Callable[[Number, str], str]
"""How a value with its unit is written."""


def rounded(digits: int) -> Write:
    """With so many figures."""
    return lambda value, unit: format_rounded(value, unit, digits)


def short(digits: int) -> Write:
    """With so many figures at most, and no noughts behind."""
    return lambda value, unit: format_si(value, unit, digits)


def as_volts(value: Number, _unit: str) -> str:
    """As a bench meter shows them."""
    return format_volts(float(value))


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
    terms: tuple[Given | Derived | Found, ...]
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
        """It is one value, given or found, and no more."""
        return (
            len(self.terms) == 1
            and self.formula == self.terms[0].name
            and not isinstance(self.terms[0], Derived)
        )


def stated(
    title: str, value: Number, unit: str, origin: str, place: Place | None, write: Write
) -> Explanation:
    """A number that is stated as it is shown: by the part, or in the design."""
    return Explanation(title, "it", (Given("it", title, value, unit, origin, place),), unit, write)


def looked_for(
    title: str,
    value: Number,
    unit: str,
    how: str,
    terms: tuple[Given | Derived | Found, ...],
    write: Write,
) -> Explanation:
    """A number that no formula gives, with how it is found and what it depends on."""
    return Explanation(title, "it", (Found("it", title, value, unit, how, terms),), unit, write)


def lines(why: Explanation) -> Iterator[tuple[int, str, Place | None]]:
    """An explanation as lines of text, each with how deep it lies, and where what it says is stated: formula,
    values, and origins. What occurs in several places is explained at the first."""
    yield from _lines(why, 0, set())


def _lines(
    why: Explanation, depth: int, told: set[tuple[str, str]]
) -> Iterator[tuple[int, str, Place | None]]:
    told.add((why.title, why.in_values))
    if why.is_stated:
        yield from _terms(why.terms, depth, told)
        return
    yield depth, f"{why.title} = {why.in_words}", None
    source = f"   [{why.source}]" if why.source else ""
    yield depth + 1, f"= {why.in_values} = {why.text}{source}", None
    yield from _terms(why.terms, depth + 1, told)


def _terms(
    terms: tuple[Given | Derived | Found, ...], depth: int, told: set[tuple[str, str]]
) -> Iterator[tuple[int, str, Place | None]]:
    """What is stated first, then what follows from it, and what is found."""
    for term in terms:
        if isinstance(term, Given):
            yield depth, f"{term.word} {term.text}: {term.origin}", term.place
    for term in terms:
        if isinstance(term, Derived) and (term.why.title, term.why.in_values) not in told:
            yield from _lines(term.why, depth, told)
        elif isinstance(term, Found) and (term.word, term.text) not in told:
            told.add((term.word, term.text))
            yield depth, f"{term.word} {term.text}: {term.how}", None
            yield from _terms(term.terms, depth + 1, told)
