"""Facts as people write them, and as they stand in files, by what a model's field is declared as."""

from __future__ import annotations

import re
import types
from collections.abc import Iterator, Mapping
from fractions import Fraction
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.model_fields import (
    FieldType,
    field_type_of,
    fields_of,
    models_in,
)
from wattigram.core.base.validation import value_faults

Words = Mapping[str, str]
"""What is said for a choice, by the choice."""

_RANGE = re.compile(r"([A-Za-z_.]*)(\d+)\s*(?:…|\.\.\.?|–|−|-|to)\s*([A-Za-z_.]*)(\d+)")
_NUMBERED = re.compile(r"([A-Za-z_.]*)(\d+)")
MOST_IN_RANGE = 300


def annotation_at(model: type[Any], key: str) -> Any:
    """What a field of a model is declared as; ``key`` is as in a file, dotted where a table lies
    in between.

    Raises
    ------
    KeyError
        When there is no such field.
    """
    first, _, rest = key.partition(".")
    annotation = next((item.annotation for item in fields_of(model) if item.key == first), None)
    if annotation is None:
        raise KeyError(key)
    return annotation_at(models_in(annotation)[0], rest) if rest else annotation


def default_at(model: type[Any], key: str) -> Any:
    """What holds where a field is left out, as a file would have it; ``NO_DEFAULT`` for none."""
    first, _, rest = key.partition(".")
    item = next(one for one in fields_of(model) if one.key == first)
    if rest:
        return default_at(models_in(item.annotation)[0], rest)
    kind = field_type_of(item.annotation)
    if kind is not None and isinstance(item.default, (int, float, Fraction)):
        return kind.text(item.default)
    return list(item.default) if isinstance(item.default, tuple) else item.default


def choices_of(annotation: Any) -> tuple[str, ...]:
    """What can be chosen, one or several; none where anything can be written."""
    for kind in _leaves(annotation):
        if get_origin(kind) is Literal:
            return tuple(str(one) for one in get_args(kind))
        if get_origin(kind) is tuple:
            return choices_of(get_args(kind)[0])
    return ("yes", "no") if bool in _leaves(annotation) else ()


def is_several(annotation: Any) -> bool:
    """Whether it is a list."""
    return any(get_origin(kind) is tuple for kind in _leaves(annotation))


def unit_at(annotation: Any) -> str:
    """The unit that its values are written with; "" for none."""
    kind = field_type_of(annotation)
    return kind.unit if kind is not None else ""


def fact_text(annotation: Any, value: Any, words: Words | None = None) -> str:
    """A fact as people read it."""
    said = words or {}
    if value is None:
        return ""
    if isinstance(value, bool):
        return said.get("yes" if value else "no", "yes" if value else "no")
    if isinstance(value, list):
        if value and isinstance(value[0], list):
            return " / ".join(fact_text(annotation, one, words) for one in value)
        is_named = bool(value) and isinstance(value[0], str) and field_type_of(annotation) is None
        if is_named and not said and all(_NUMBERED.fullmatch(str(one)) for one in value):
            return ", ".join(_run_text(run) for run in _runs([str(one) for one in value]))
        return ", ".join(fact_text(annotation, one, words) for one in value)
    if isinstance(value, dict):
        return ", ".join(_pairs_text(value))
    if isinstance(value, float):
        return f"{value:g}"
    if isinstance(value, int) and is_address(annotation):
        return f"{value:#x}"
    return said.get(str(value), str(value))


def _runs(names: list[str]) -> list[list[str]]:
    """Names that follow each other by their numbers, together."""
    runs: list[list[str]] = []
    for name in names:
        if runs and _follows(runs[-1][-1], name):
            runs[-1].append(name)
        else:
            runs.append([name])
    return runs


def _follows(name: str, other: str) -> bool:
    first, second = _NUMBERED.fullmatch(name), _NUMBERED.fullmatch(other)
    return (
        first is not None
        and second is not None
        and first[1] == second[1]
        and int(second[2]) == int(first[2]) + 1
    )


def _run_text(run: list[str]) -> str:
    return f"{run[0]}–{run[-1]}" if len(run) > 2 else ", ".join(run)


def _pairs_text(value: Mapping[str, Any]) -> Iterator[str]:
    """Pairs whose names and values both follow each other, together: ``P0–P3 = 0–3``."""
    run: list[tuple[str, str]] = []
    for pair in [*((key, str(one)) for key, one in value.items()), None]:
        if pair is not None and run and all(map(_follows, run[-1], pair)):
            run.append(pair)
            continue
        if len(run) > 2:
            yield f"{run[0][0]}–{run[-1][0]} = {run[0][1]}–{run[-1][1]}"
        else:
            yield from (f"{name} = {one}" for name, one in run)
        run = [pair] if pair is not None else []


def is_address(annotation: Any) -> bool:
    """Whether its numbers are addresses, which people write in hexadecimal."""
    return get_origin(annotation) is Annotated and any(
        getattr(meta, "lt", None) == 1 << 32 for meta in get_args(annotation)[1:]
    )


def read_fact(annotation: Any, text: str, words: Words | None = None) -> Any:
    """A fact as a file has it, from what somebody wrote; None for nothing.

    Lists are parted by commas; ranges such as ``P0–P7`` or ``1-8`` stand for all in them; groups in
    lists by strokes.

    Raises
    ------
    QuantityError
        When it is no such fact, with what would be one.
    """
    plain = " ".join(text.split())
    if not plain:
        return None
    value = _read(annotation, plain, {said.casefold(): one for one, said in (words or {}).items()})
    for fault in value_faults(annotation, value):
        raise QuantityError(fault.message)
    return value


def _read(annotation: Any, text: str, choices: Mapping[str, str]) -> Any:
    if (known := choices.get(text.casefold())) is not None:
        text = known
    for kind in _leaves(annotation):
        origin = get_origin(kind)
        if isinstance(kind, FieldType):
            return text
        if kind is bool:
            return _flag(text)
        if origin is Literal:
            return _choice(get_args(kind), text)
        if origin is dict:
            return dict(_entries(get_args(kind)[1], text, choices))
        if origin is tuple:
            inner = get_args(kind)[0]
            if any(get_origin(one) is tuple for one in _leaves(inner)):
                return [_read(inner, group, choices) for group in re.split(r"\s*[/|]\s*", text)]
            return [_read(inner, one, choices) for one in _parts(text)]
    return read_number(annotation, text)


def _parts(text: str) -> Iterator[str]:
    for part in re.split(r"\s*[,;·]\s*", text):
        if not part:
            continue
        match = _RANGE.fullmatch(part)
        if match is None or (match[3] and match[3] != match[1]):
            yield part
            continue
        first, last = int(match[2]), int(match[4])
        if not 0 <= last - first < MOST_IN_RANGE:
            raise QuantityError(
                f"“{part}” is no range.", cure="Write the lower end first, such as P0–P7."
            )
        yield from (f"{match[1]}{number}" for number in range(first, last + 1))


def expand(text: str) -> tuple[str, ...]:
    """Names or numbers that a list with ranges stands for; raises :class:`QuantityError`."""
    return tuple(_parts(" ".join(text.split())))


def _entries(annotation: Any, text: str, choices: Mapping[str, str]) -> Iterator[tuple[str, Any]]:
    for part in re.split(r"\s*[,;]\s*", text):
        name, sign, value = part.rpartition("=")
        if not sign:
            name, _, value = part.rpartition(" ")
        names, values = expand(name.strip()), expand(value.strip())
        if not names or len(names) != len(values):
            raise QuantityError(
                f"“{part[:40]}” is no pair.", cure="Write what belongs to what, such as A0 = 0."
            )
        for one, other in zip(names, values, strict=True):
            yield one, _read(annotation, other, choices)


def _flag(text: str) -> bool:
    match text.casefold():
        case "yes" | "true" | "1" | "on":
            return True
        case "no" | "false" | "0" | "off" | "none":
            return False
    raise QuantityError(f"“{text[:40]}” is neither yes nor no.", cure="Write yes or no.")


def _choice(choices: tuple[Any, ...], text: str) -> Any:
    for one in choices:
        if str(one).casefold() == text.casefold():
            return one
    near = [one for one in choices if str(one).casefold().startswith(text.casefold())]
    if len(near) == 1:
        return near[0]
    raise QuantityError(
        f"“{text[:40]}” is not among them.", cure=f"Choose of {', '.join(map(str, choices))}."
    )


def read_number(annotation: Any, text: str) -> Any:
    """A number, perhaps in hexadecimal or with KiB behind it; a text where the field is one.

    Raises
    ------
    QuantityError
        When it is none.
    """
    kinds = _leaves(annotation)
    if str in kinds:
        return text
    plain = text.replace("\u202f", "").replace("_", "")
    grouped = re.sub(r"(?<=\d) (?=\d{3}\b)", "", plain)
    sized = re.fullmatch(r"(\d+) ?(KiB|MiB|kB|MB|K|M)", grouped)
    if sized:
        return int(sized[1]) << (20 if sized[2].startswith("M") else 10)
    try:
        return (
            int(grouped, 0)
            if re.fullmatch(r"-?(0[xX][0-9a-fA-F]+|\d+)", grouped)
            else float(grouped)
        )
    except ValueError:
        raise QuantityError(f"“{text[:40]}” is no number.", cure="Write a number.") from None


def _leaves(annotation: Any) -> tuple[Any, ...]:
    """The kinds that an annotation is made of, without limits and without None."""
    origin = get_origin(annotation)
    if origin is Annotated:
        return _leaves(get_args(annotation)[0])
    if origin in (Union, types.UnionType):
        return tuple(
            kind for one in get_args(annotation) if one is not type(None) for kind in _leaves(one)
        )
    return (annotation,)
