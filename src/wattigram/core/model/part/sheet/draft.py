"""A part that is being described: what stands in its file so far, whether or not that is a part yet."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from copy import deepcopy
from itertools import pairwise
from pathlib import Path
from typing import Any

import msgspec

from wattigram.core.base.errors import PartError
from wattigram.core.base.models import model_of, plain_values
from wattigram.core.base.toml_document import check_head, parse_toml, read_text, write_atomically
from wattigram.core.base.toml_layout import Origin, Style, layout_of, to_toml
from wattigram.core.base.validation import ModelError, ModelFault
from wattigram.core.model.part.catalogue import find_part
from wattigram.core.model.part.migrations import from_older
from wattigram.core.model.part.model import FORMAT, NEWEST_VERSION, Part, parse_part

Steps = tuple[str | int, ...]
"""Keys and numbers from the outermost inward, as in the file."""

_NAMES_OF = {
    "references": "reference",
    "converters": "converter",
    "timers": "timer",
    "dma": "dma",
    "dacs": "dac",
    "uarts": "uart",
    "ports": "port",
    "comparators": "comparator",
}
"""Lists of a part whose items have names that the rest of the file calls them by."""


_STYLE = Style(
    in_lines=frozenset({"fields", "table", "pwm_pins", "send_pins", "receive_pins", "bits"}),
    hexadecimal=frozenset({"bases", "offset", "reset", "code_begin", "data_begin"}),
    short_lists=True,
)
"""How part files are written."""
_NAMING_SETTINGS = {"reference", "trigger", "request", "starts-with"}
"""Settings whose choices are names of things."""


class PartDraft(msgspec.Struct, frozen=True):
    """What a part file has so far; every change makes another draft, and nothing is changed in
    place."""

    values: dict[str, Any]
    """As in the file."""
    text: str = ""
    """The file it was read from, whose comments are kept; "" where there is none."""

    @property
    def name(self) -> str:
        """For people; "" where none is said yet."""
        return str(self.values.get("name", ""))

    def get(self, steps: Steps) -> Any:
        """What stands there; None where nothing does."""
        place: Any = self.values
        for step in steps:
            if isinstance(place, Mapping):
                place = place.get(step)
            elif isinstance(place, list) and isinstance(step, int) and 0 <= step < len(place):
                place = place[step]
            else:
                return None
        return place

    def items(self, steps: Steps) -> list[Any]:
        """A list that stands there; an empty one where none does."""
        place = self.get(steps)
        return place if isinstance(place, list) else []

    def with_value(self, steps: Steps, value: Any) -> PartDraft:
        """With a value there; None takes it away. Tables on the way are made; where a thing is given
        another name, whatever calls it by the old one follows."""
        values = deepcopy(self.values)
        old = self.get(steps)
        place: Any = values
        for step, after in pairwise(steps):
            empty: Any = [] if isinstance(after, int) else {}
            place = place.setdefault(step, empty) if isinstance(place, dict) else place[step]
        if value is not None:
            place[steps[-1]] = deepcopy(value)
        elif isinstance(place, dict):
            place.pop(steps[-1], None)
            self._drop_empty(values, steps[:-1])
        else:
            del place[steps[-1]]
        draft = PartDraft(values, self.text)
        return draft._followed(steps, old, value)

    def with_item(self, steps: Steps, item: Any) -> PartDraft:
        """With one more at the end of a list, which is made where there is none."""
        return self.with_value(steps, [*self.items(steps), item])

    def without_item(self, steps: Steps, number: int) -> PartDraft:
        """Without one of a list; without the list where it was the last."""
        rest = [item for at, item in enumerate(self.items(steps)) if at != number]
        return self.with_value(steps, rest or None)

    def noted(self, steps: Steps, text: str) -> PartDraft:
        """With a note on where the data sheet says a fact; "" takes it away."""
        return self.with_value(("notes", note_key(steps)), text.strip() or None)

    def note(self, steps: Steps) -> str:
        """Where the data sheet says a fact, as it was noted; "" where it was not."""
        return str(self.get(("notes", note_key(steps))) or "")

    def faults(self) -> tuple[ModelFault, ...]:
        """What keeps it from being a part; none where it is one."""
        try:
            model_of(Part, self.values)
        except ModelError as fault:
            return fault.faults
        return ()

    def part(self) -> Part:
        """The part.

        Raises
        ------
        PartError
            With every fault, when it is none yet.
        """
        return parse_part(self.toml(), self.name or "part")

    def toml(self) -> str:
        """The file: what was there with its comments, and what has changed."""
        if not self.text:
            return to_toml(self.values, style=_STYLE)
        origin = Origin(layout_of(self.text), tomllib.loads(self.text))
        return to_toml(self.values, origin=origin, style=_STYLE)

    def save(self, path: Path) -> PartDraft:
        """Write the file; the draft that has been written is given back.

        Raises
        ------
        PartError
            When it cannot be written.
        """
        text = self.toml()
        write_atomically(path, text, PartError)
        return PartDraft(self.values, text)

    def _drop_empty(self, values: dict[str, Any], steps: Steps) -> None:
        """Take away tables that have nothing left in them, as far as they are not items of a list."""
        while steps and isinstance(steps[-1], str):
            above: Any = values
            for step in steps[:-1]:
                above = above[step]
            if above[steps[-1]] != {}:
                return
            del above[steps[-1]]
            steps = steps[:-1]

    def _followed(self, steps: Steps, old: Any, new: Any) -> PartDraft:
        if steps == ("name",) and self.values.get("id") == part_id(str(old or "")) and new:
            return PartDraft({**self.values, "id": part_id(str(new))}, self.text)
        is_name = len(steps) == 3 and steps[0] in _NAMES_OF and steps[2] == "name"
        of_names = len(steps) == 3 and steps[0] in _NAMES_OF and steps[2] == "names"
        pairs: list[tuple[str, str]] = []
        if is_name and isinstance(old, str) and isinstance(new, str):
            pairs = [(old, new)]
        elif of_names and isinstance(old, list) and isinstance(new, list) and len(old) == len(new):
            pairs = list(zip(old, new, strict=True))
        pairs = [(before, after) for before, after in pairs if before != after]
        if not pairs:
            return self
        values = deepcopy(self.values)
        kind = _NAMES_OF[str(steps[0])]
        for before, after in pairs:
            _rename(values, kind, before, after)
        return PartDraft(values, self.text)


def _rename(values: dict[str, Any], kind: str, before: str, after: str) -> None:
    def renamed(names: Any) -> Any:
        return [after if name == before else name for name in names]

    for block in values.get("blocks", ()):
        if block.get("kind") == kind and "owners" in block:
            block["owners"] = renamed(block["owners"])
        for register in block.get("registers", ()):
            for field in register.get("fields", ()):
                if field.get("table") and field.get("sets") in _NAMING_SETTINGS:
                    field["table"] = {
                        _renamed_choice(key, before, after): code
                        for key, code in field["table"].items()
                    }
    for converter in values.get("converters", ()):
        if kind == "converter" and "in_step_with" in converter:
            converter["in_step_with"] = renamed(converter["in_step_with"])
    for dac in values.get("dacs", ()):
        if kind == "reference" and dac.get("reference") == before:
            dac["reference"] = after
        if kind == "reference" and "references" in dac:
            dac["references"] = renamed(dac["references"])
    for group in (*values.get("timers", ()), *values.get("uarts", ())):
        for key in ("pwm_pins", "send_pins", "receive_pins"):
            if before in group.get(key, {}):
                group[key] = {
                    after if name == before else name: pin for name, pin in group[key].items()
                }


def _renamed_choice(choice: str, before: str, after: str) -> str:
    """A choice of a table: a name, or a UART's with what it is ready for."""
    if choice == before:
        return after
    head, space, ready = choice.rpartition(" ")
    return f"{after}{space}{ready}" if head == before and ready in {"room", "received"} else choice


def note_key(steps: Steps) -> str:
    """A fact's place as notes name it, items counted from 1."""
    return ".".join(str(step + 1) if isinstance(step, int) else step for step in steps)


def blank_draft(name: str) -> PartDraft:
    """A part of which nothing is known besides its name."""
    return PartDraft(
        {
            "format": FORMAT,
            "version": NEWEST_VERSION,
            "id": part_id(name),
            "name": name,
            "summary": "",
        }
    )


def draft_like(identifier: str, name: str) -> PartDraft:
    """A part that is as another one so far, under a name of its own.

    Raises
    ------
    PartError
        When there is no such part.
    """
    part = find_part(identifier)
    draft = read_draft(part.text, identifier)
    return PartDraft({**draft.values, "id": part_id(name), "name": name}, draft.text)


def part_id(name: str) -> str:
    """An id made of a name: small letters, digits and hyphens."""
    letters = "".join(
        letter if letter.isascii() and letter.isalnum() else " " for letter in name.lower()
    )
    return "-".join(letters.split())[:41].strip("-") or "part"


def read_draft(text: str, where: str) -> PartDraft:
    """A part file, finished or not.

    Raises
    ------
    PartError
        When it is no part file at all, or of a newer program.
    """
    data = parse_toml(text, where, PartError)
    if check_head(data, FORMAT, NEWEST_VERSION, where, PartError) < NEWEST_VERSION:
        data = from_older(data)
    return PartDraft(data, text)


def load_draft(path: Path) -> PartDraft:
    """A part file, finished or not; raises :class:`PartError`."""
    return read_draft(read_text(path, PartError), str(path))


def draft_of(part: Part) -> PartDraft:
    """The draft of a part, so that it can be changed."""
    if part.text:
        return read_draft(part.text, part.name)
    return PartDraft(plain_values(part))
