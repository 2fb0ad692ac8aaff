"""How a TOML file is laid out, so that it can be written again with other values: order and comments stay.

Comments belong to the key or header below them, or to the line that they end. Values that did not change
keep their very text.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from typing import Any

import msgspec
import tomli_w

Path = tuple[str | int, ...]
_BARE_KEY = re.compile(r"[A-Za-z0-9_-]+")
LONGEST_LINE = 110
"""Characters of a list that is written in one line."""
IDENTITY = ("name", "pin", "converter", "signal", "dac", "to")
"""Keys by which one table of an array is told from the others, the first that it has."""


class Layout(msgspec.Struct, frozen=True):
    """What of a text is no value."""

    above: Mapping[Path, tuple[str, ...]] = msgspec.field(default_factory=dict)
    """Comment lines above a key or a header."""
    beside: Mapping[Path, str] = msgspec.field(default_factory=dict)
    """Comment at the end of its line."""
    values: Mapping[Path, str] = msgspec.field(default_factory=dict)
    """Text of each value."""
    order: Mapping[Path, int] = msgspec.field(default_factory=dict)
    below: tuple[str, ...] = ()
    """Comment lines below everything."""

    def moved(self, paths: Mapping[Path, Path]) -> Layout:
        """The same for keys that have other names now; one that is not named stays."""

        def new(path: Path) -> Path:
            return paths.get(path, path)

        return Layout(
            {new(path): lines for path, lines in self.above.items()},
            {new(path): text for path, text in self.beside.items()},
            {new(path): text for path, text in self.values.items()},
            {new(path): place for path, place in self.order.items()},
            self.below,
        )


@lru_cache(maxsize=4)
def layout_of(text: str) -> Layout:
    """The layout of a valid TOML text."""
    above: dict[Path, tuple[str, ...]] = {}
    beside: dict[Path, str] = {}
    values: dict[Path, str] = {}
    order: dict[Path, int] = {}
    waiting: list[str] = []
    counts: dict[Path, int] = {}
    table: Path = ()

    def place(path: Path, comment: str) -> None:
        for length in range(1, len(path) + 1):
            order.setdefault(path[:length], len(order))
        while waiting and not waiting[0]:
            waiting.pop(0)
        if waiting:
            above[path] = tuple(waiting)
        waiting.clear()
        if comment:
            beside[path] = comment

    lines = iter(text.split("\n"))
    for line in lines:
        stripped = line.strip()
        if not stripped or stripped.startswith("#"):
            # An empty line matters only within a block of comments.
            if stripped or waiting:
                waiting.append(stripped)
            continue
        if stripped.startswith("["):
            header, comment = _without_comment(stripped)
            table = _resolved(_keys(header), counts, header.startswith("[["))
            place(table, comment)
            continue
        key, value, comment = _split(line, lines)
        path = table + key
        values[path] = value
        place(path, comment)
    while waiting and not waiting[-1]:
        waiting.pop()
    return Layout(above, beside, values, order, tuple(waiting))


def _keys(header: str) -> tuple[str, ...]:
    """The parts of a key, as TOML reads them."""
    keys: list[str] = []
    values: Any = tomllib.loads(header)
    while isinstance(values, dict) and len(values) == 1:
        key, values = next(iter(values.items()))
        keys.append(key)
        if isinstance(values, list):  # an array of tables, of which this is one
            (values,) = values
    return tuple(keys)


def _resolved(keys: tuple[str, ...], counts: dict[Path, int], is_item: bool) -> Path:
    """A header's keys with the number of each array's newest table."""
    path: Path = ()
    for number, key in enumerate(keys, start=1):
        path = (*path, key)
        if is_item and number == len(keys):
            counts[path] = counts.get(path, -1) + 1
        if path in counts:
            path = (*path, counts[path])
    return path


def _split(line: str, more: Iterator[str]) -> tuple[tuple[str, ...], str, str]:
    """Key, text of the value and comment of a line, with the lines that its value goes on in."""
    text = line
    while True:
        try:
            tomllib.loads(text)
            break
        except tomllib.TOMLDecodeError:
            following = next(more, None)
            if following is None:  # the text was valid as a whole, so this is not reached
                break
            text += f"\n{following}"
    text, comment = _without_comment(text)
    name = _name(text)
    return _keys(f"{name} = 0"), text[len(name) :].lstrip()[1:].strip(), comment


def _without_comment(text: str) -> tuple[str, str]:
    """A header or a key with its value, and the comment that ends its last line."""
    last = text.rfind("\n") + 1
    for place, mark in enumerate(text[last:], start=last):
        if mark == "#":
            try:
                tomllib.loads(text[:place])
            except tomllib.TOMLDecodeError:
                continue  # it stands within a text
            return text[:place].strip(), text[place:].strip()
    return text, ""


def _name(text: str) -> str:
    """What stands before the equals sign, which a quoted key may hold too."""
    place = text.find("=")
    while place >= 0:
        try:
            tomllib.loads(f"{text[:place]} = 0")
            return text[:place]
        except tomllib.TOMLDecodeError:
            place = text.find("=", place + 1)
    return text


class Origin(msgspec.Struct, frozen=True):
    """A document as it was read: its layout, and its values as a writer would put them now."""

    layout: Layout
    values: Mapping[str, Any]


class Style(msgspec.Struct, frozen=True):
    """How some keys are written, wherever they stand."""

    in_lines: frozenset[str] = frozenset()
    """Arrays of tables that have a line for each, and tables that are written in one."""
    hexadecimal: frozenset[str] = frozenset()
    """Numbers, or lists of them, that people read in hexadecimal."""
    short_lists: bool = False
    """Lists that fit into a line are written in one."""


def to_toml(
    values: Mapping[str, Any],
    defaults: Mapping[str, Any] | None = None,
    origin: Origin | None = None,
    style: Style | None = None,
) -> str:
    """Plain values as TOML text, arrays of tables as blocks, laid out as their origin.

    ``values`` are those that have to be written; ``defaults`` has the others too, and one of them is
    written where the origin says it.
    """
    writer = _Writer(origin.layout if origin is not None else Layout(), style or Style())
    writer.table(values, defaults or {}, origin.values if origin is not None else None, (), "")
    lines = writer.lines
    if writer.layout.below:
        lines += ["", *writer.layout.below]
    return "\n".join(lines).strip("\n") + "\n"


class _Writer:
    def __init__(self, layout: Layout, style: Style) -> None:
        self.layout, self.style = layout, style
        self.lines: list[str] = []

    def table(
        self,
        values: Mapping[str, Any],
        defaults: Mapping[str, Any],
        old: Mapping[str, Any] | None,
        at: Path | None,
        name: str,
    ) -> None:
        """Keys with values first, then tables, each in the order of the origin, and new ones last."""
        said = {key: value for key, value in defaults.items() if self._is_said(at, key, value)}
        values = {**said, **values}
        known = [key for key in values if at is not None and (*at, key) in self.layout.order]
        known.sort(key=lambda key: self.layout.order[*(at or ()), key])
        keys = [*known, *(key for key in values if key not in known)]
        for key in keys:
            if not self._is_block(at, key, values[key]):
                self._value(key, values[key], old, at)
        for key in keys:
            value = values[key]
            if not self._is_block(at, key, value):
                continue
            path = None if at is None else (*at, key)
            was = old.get(key) if old is not None else None
            title = f"{name}.{_key(key)}" if name else _key(key)
            if isinstance(value, Mapping):
                self._header(f"[{title}]", path)
                inner = defaults.get(key)
                self.table(
                    value,
                    inner if isinstance(inner, Mapping) else {},
                    was if isinstance(was, Mapping) else None,
                    path,
                    title,
                )
            else:
                earlier = was if isinstance(was, Sequence) else ()
                whole = defaults.get(key) or [{}] * len(value)
                for item, full, place in zip(value, whole, matched(value, earlier), strict=True):
                    own = None if path is None or place is None else (*path, place)
                    self._header(f"[[{title}]]", own)
                    self.table(item, full, None if place is None else earlier[place], own, title)

    def _is_block(self, at: Path | None, key: str, value: Any) -> bool:
        """Whether it has a header of its own: as in the origin, and what is new by its key."""
        if not _is_table(value):
            return False
        path = (*at, key) if at is not None else ()
        if path and path in self.layout.order:
            return path not in self.layout.values
        return key not in self.style.in_lines

    def _text(self, key: str, value: Any) -> str:
        if isinstance(value, Mapping):
            pairs = [f"{_key(name)} = {self._text(name, one)}" for name, one in value.items()]
            return f"{{ {', '.join(pairs)} }}"
        if _is_table(value):
            rows = "".join(f"    {self._text('', one)},\n" for one in value)
            return f"[\n{rows}]"
        if key in self.style.hexadecimal and isinstance(value, (int, list)):
            listed = value if isinstance(value, list) else [value]
            texts = ", ".join(f"0x{one:0{8 if one > 0xFFFF else 2}x}" for one in listed)
            return f"[{texts}]" if isinstance(value, list) else texts
        is_short = (
            isinstance(value, list) and sum(len(str(one)) + 4 for one in value) <= LONGEST_LINE
        )
        if is_short and self.style.short_lists:
            return f"[{', '.join(self._text('', one) for one in value)}]"
        return tomli_w.dumps({"v": value}).strip().removeprefix("v = ")

    def _is_said(self, at: Path | None, key: str, value: Any) -> bool:
        return at is not None and (*at, key) in self.layout.values and not _is_table(value)

    def _value(self, key: str, value: Any, old: Mapping[str, Any] | None, at: Path | None) -> None:
        path = None if at is None else (*at, key)
        text = ""
        if path is not None:
            self.lines += self.layout.above.get(path, ())
            if old is not None and key in old and old[key] == value:
                text = self.layout.values.get(path, "")
        if not text:
            text = self._text(key, value)
        beside = self.layout.beside.get(path, "") if path is not None else ""
        self.lines.append(f"{_key(key)} = {text}" + (f" {beside}" if beside else ""))

    def _header(self, text: str, path: Path | None) -> None:
        self.lines.append("")
        beside = ""
        if path is not None:
            self.lines += self.layout.above.get(path, ())
            beside = self.layout.beside.get(path, "")
        self.lines.append(text + (f" {beside}" if beside else ""))


def matched(
    items: Sequence[Mapping[str, Any]], earlier: Sequence[Mapping[str, Any]]
) -> list[int | None]:
    """For each table of an array the place of the one that it was, or None for a new one.

    Tables of equal names are the same, in their order; what is left goes to the one with the most equal
    values, so that a table with a new name keeps its place, as long as something of it is as it was.
    """
    partners: list[int | None] = [None] * len(items)
    free = list(range(len(earlier)))
    for same in (lambda a, b: a == b, _is_same):
        for number, item in enumerate(items):
            if partners[number] is None:
                hit = next((place for place in free if same(item, earlier[place])), None)
                if hit is not None:
                    partners[number] = hit
                    free.remove(hit)
    for number, item in enumerate(items):
        if partners[number] is None and free:
            best = max(free, key=lambda place: _likeness(item, earlier[place]))
            if _likeness(item, earlier[best]) > 0:
                partners[number] = best
                free.remove(best)
    return partners


def _is_same(one: Mapping[str, Any], other: Mapping[str, Any]) -> bool:
    key = next((key for key in IDENTITY if key in one), None)
    return key is not None and one[key] == other.get(key) and one.get("kind") == other.get("kind")


def _likeness(one: Mapping[str, Any], other: Mapping[str, Any]) -> int:
    """How many values of two tables are equal, above all those by which tables are told apart."""
    return sum(
        3 if key in IDENTITY else 1
        for key, value in one.items()
        if key in other and other[key] == value
    )


def _is_table(value: Any) -> bool:
    return isinstance(value, Mapping) or (
        isinstance(value, list) and bool(value) and all(isinstance(item, Mapping) for item in value)
    )


def _key(key: str) -> str:
    return key if _BARE_KEY.fullmatch(key) else tomli_w.dumps({key: 0}).removesuffix(" = 0\n")
