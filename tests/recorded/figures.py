"""Answers as plain figures, and what was kept of them."""

from __future__ import annotations

import enum
import inspect
import json
import math
import os
import zlib
from collections.abc import Iterable, Iterator, Mapping
from fractions import Fraction
from functools import cache, cached_property
from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from wattigram.core.base.models import StrictModel
from wattigram.core.contract.shapes import PiecewiseWaveform
from wattigram.core.model.design import Workspace
from wattigram.core.model.part import Part
from wattigram.core.model.part.registers import Block, Register, RegisterField
from wattigram.core.silicon.registers.register_map import RegisterMap

CLOSE = 1e-9
MOST_WHOLE, MOST_FIGURES = 12, 60
KEPT = Path(__file__).parent / "kept"


def figures_of(answer: Any) -> list[Any]:
    """All numbers and words of an answer, in order, with what its properties work out; of a long one
    the beginning, and sums over the rest."""
    leaves = list(_leaves(answer, 0))
    if len(leaves) <= MOST_FIGURES:
        return leaves
    rest = leaves[MOST_FIGURES:]
    numbers = [float(leaf) for leaf in rest if isinstance(leaf, int | float)]
    ramp = sum(place * number for place, number in enumerate(numbers, start=1))
    words = zlib.crc32(json.dumps([leaf for leaf in rest if isinstance(leaf, str)]).encode())
    return [*leaves[:MOST_FIGURES], len(rest), _number(sum(numbers)), _number(ramp), words]


def _leaves(value: Any, depth: int) -> Iterator[Any]:
    if value is None or isinstance(value, bool | str):
        yield value
    elif isinstance(value, enum.Enum):
        yield value.name
    elif isinstance(value, int | np.integer):
        yield int(value)
    elif isinstance(value, float | np.floating):
        yield _number(float(value))
    elif isinstance(value, Fraction):
        yield str(value)
    elif isinstance(value, np.ndarray):
        yield from _array(value)
    elif isinstance(value, Mapping):
        for key in value:
            yield from _leaves(key, depth)
            yield from _leaves(value[key], depth)
    elif isinstance(value, list | tuple | range):
        yield len(value)
        for item in value:
            yield from _leaves(item, depth + 1)
    elif isinstance(value, set | frozenset):
        yield from sorted(map(str, value))
    elif isinstance(value, Part | Block | Register | RegisterField | RegisterMap):
        yield type(value).__name__  # what a part is, and no answer about a design
    elif isinstance(value, PiecewiseWaveform):
        yield from _array(value.at(np.linspace(0.0, 0.0317, 500)))
    elif isinstance(value, StrictModel):
        yield from _leaves(msgspec.to_builtins(value, enc_hook=str), depth)
    elif isinstance(value, Workspace):
        yield value.build_id
    elif isinstance(value, msgspec.Struct):
        yield from _of_struct(value, depth)
    else:
        yield type(value).__name__


def _of_struct(value: Any, depth: int) -> Iterator[Any]:
    if depth > 5:
        yield type(value).__name__
        return
    for name in _members(type(value)):
        try:
            member = getattr(value, name)
        except Exception:  # not said of this one
            continue
        if not callable(member):
            yield from _leaves(member, depth + 1)


@cache
def _members(kind: type) -> tuple[str, ...]:
    """Fields of a struct, and properties besides."""
    worked_out = (
        name
        for name, member in inspect.getmembers(kind)
        if isinstance(member, property | cached_property) and not name.startswith("_")
    )
    return (*kind.__struct_fields__, *worked_out)  # type: ignore[attr-defined]


def _array(values: np.ndarray[Any, Any]) -> Iterator[Any]:
    yield list(values.shape)
    flat = np.asarray(values).ravel()
    if flat.dtype.kind == "f":
        flat = flat.astype(np.float64)
    if flat.size <= MOST_WHOLE or flat.dtype.kind not in "iuf":
        yield from (
            _number(item) if isinstance(item, float) else item for item in flat[:64].tolist()
        )
        return
    ends = [flat[0], flat[-1], flat[flat.size // 3], flat.min(), flat.max()]
    ramp = np.linspace(0.0, 1.0, flat.size)
    for figure in (*ends, flat.mean(), (flat * ramp).mean(), (flat.astype(float) ** 2).mean()):
        yield _number(float(figure))


def _number(value: float) -> float | str:
    return float(f"{value:.12g}") if math.isfinite(value) else str(value)


def check_recorded(name: str, answers: Iterable[tuple[str, Any]]) -> None:
    """Hold answers against what was kept of them, or keep them where that is asked for."""
    found = {question: figures_of(answer) for question, answer in answers}
    path = KEPT / f"{name}.json"
    if os.environ.get("WATTIGRAM_RECORD"):
        path.parent.mkdir(parents=True, exist_ok=True)
        rows = (f"{json.dumps(key, ensure_ascii=False)}: {_row(found[key])}" for key in found)
        path.write_text("{\n" + ",\n".join(rows) + "\n}\n", encoding="utf-8")
        return
    kept = json.loads(path.read_text(encoding="utf-8"))
    strange = sorted(set(found) ^ set(kept))
    assert not strange, f"asked now, or before, and not both; record anew: {strange[:10]}"
    wrong = [
        f"{question}: {difference}"
        for question, answer in found.items()
        if (difference := _difference(json.loads(_row(answer)), kept[question])) is not None
    ]
    assert not wrong, "\n".join(wrong[:20])


def _row(answer: list[Any]) -> str:
    return json.dumps(answer, ensure_ascii=False)


def _difference(found: list[Any], kept: list[Any]) -> str | None:
    if len(found) != len(kept):
        return f"{len(found)} figures where {len(kept)} were"
    for place, (new, old) in enumerate(zip(found, kept, strict=True)):
        both = isinstance(new, int | float) and isinstance(old, int | float)
        if not (math.isclose(new, old, rel_tol=CLOSE, abs_tol=1e-15) if both else new == old):
            return f"figure {place} is {new!r}, was {old!r}"
    return None
