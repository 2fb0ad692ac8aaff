"""Faults of models, all of them, as sentences: one wording wherever a model is made."""

from __future__ import annotations

import types
from collections.abc import Iterator, Mapping
from typing import Annotated, Any, Literal, Union, get_args, get_origin

import msgspec

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.model_fields import (
    NO_DEFAULT,
    fields_of,
    models_in,
    read_in_code,
    read_in_file,
)

FaultKind = Literal["missing", "unknown", "value", "quantity", "rule", "length", "syntax"]


class ModelFault(msgspec.Struct, frozen=True):
    """One fault: where in the model, what, and the value that was found."""

    steps: tuple[str | int, ...]
    """Keys and numbers from the outermost inward; none for the model as a whole."""
    kind: FaultKind
    message: str
    found: Any

    @property
    def place(self) -> str:
        """The steps, joined by points; "" for the model as a whole."""
        return ".".join(str(step) for step in self.steps)

    @property
    def key(self) -> str:
        """The innermost step; "value" for the model as a whole."""
        return str(self.steps[-1]) if self.steps else "value"

    @property
    def text(self) -> str:
        """Place and message."""
        return f"{self.place}: {self.message}" if self.steps else self.message


class ModelError(ValueError):
    """A model cannot be made of these values.

    Attributes
    ----------
    faults : tuple of ModelFault
        Every reason, at least one.
    """

    def __init__(self, faults: tuple[ModelFault, ...]) -> None:
        super().__init__(faults[0].text)
        self.faults = faults

    @property
    def first(self) -> ModelFault:
        """The fault that is told where there is room for one."""
        return self.faults[0]


class _Search(msgspec.Struct, frozen=True):
    """Goes through values beside the types that they should have."""

    in_file: bool

    def faults(
        self, annotation: Any, value: Any, steps: tuple[str | int, ...]
    ) -> Iterator[ModelFault]:
        plain, choices = _without_metas(annotation), models_in(annotation)
        if get_origin(plain) is tuple and isinstance(value, (list, tuple)):
            yield from self._of_items(annotation, plain, value, steps)
        elif get_origin(plain) is dict and isinstance(value, Mapping):
            yield from self._of_entries(plain, value, steps)
        elif not choices:
            yield from self._of_leaf(annotation, value, steps)
        elif isinstance(value, choices) or (value is None and type(None) in get_args(plain)):
            return
        elif not isinstance(value, Mapping):
            yield ModelFault(steps, "value", "It must be a table.", value)
        else:
            yield from self._of_table(choices, value, steps)

    def _of_items(
        self, annotation: Any, plain: Any, values: Any, steps: tuple[str | int, ...]
    ) -> Iterator[ModelFault]:
        kinds = get_args(plain)
        if len(kinds) == 2 and kinds[1] is Ellipsis:
            kinds = (kinds[0],) * len(values)
        if len(kinds) != len(values):
            yield ModelFault(steps, "length", f"It must have {len(kinds)} items.", values)
            return
        faults = [
            fault
            for number, (kind, value) in enumerate(zip(kinds, values, strict=True))
            for fault in self.faults(kind, value, (*steps, number))
        ]
        yield from faults
        low, high = _limit(annotation, "min_length"), _limit(annotation, "max_length")
        if not faults and low is not None and len(values) < low:
            yield ModelFault(steps, "length", f"It must have at least {_items(low)}.", values)
        if not faults and high is not None and len(values) > high:
            yield ModelFault(steps, "length", f"It must have at most {_items(high)}.", len(values))

    def _of_entries(
        self, plain: Any, values: Mapping[Any, Any], steps: tuple[str | int, ...]
    ) -> Iterator[ModelFault]:
        key_kind, kind = get_args(plain)
        for key, value in values.items():
            yield from self.faults(key_kind, key, (*steps, str(key)))
            yield from self.faults(kind, value, (*steps, str(key)))

    def _of_table(
        self,
        choices: tuple[type[Any], ...],
        values: Mapping[str, Any],
        steps: tuple[str | int, ...],
    ) -> Iterator[ModelFault]:
        model = choices[0]
        if len(choices) > 1:
            kinds = {choice.__struct_config__.tag: choice for choice in choices}
            if "kind" not in values:
                yield ModelFault((*steps, "kind"), "missing", _one_of(tuple(kinds)), None)
                return
            kind = values["kind"]
            if not isinstance(kind, str) or kind not in kinds:
                yield ModelFault((*steps, "kind"), "value", _one_of(tuple(kinds)), kind)
                return
            model = kinds[kind]
        yield from self.of_model(model, values, steps)

    def of_model(
        self, model: type[Any], values: Mapping[str, Any], steps: tuple[str | int, ...]
    ) -> Iterator[ModelFault]:
        """Faults of a model's table: of its keys, and of the model as a whole where these have
        none."""
        known = {item.key: item for item in fields_of(model)}
        faults: list[ModelFault] = []
        for key, item in known.items():
            if key in values:
                faults += self.faults(item.annotation, values[key], (*steps, key))
            elif key not in values and item.default is NO_DEFAULT:
                faults.append(ModelFault((*steps, key), "missing", "It is missing.", None))
        faults += [
            ModelFault((*steps, str(key)), "unknown", "It is no key here.", values[key])
            for key in values
            if key not in known
        ]
        if not faults:
            try:
                self._convert(values, model)
            except msgspec.ValidationError as fault:
                faults.append(ModelFault(steps, "rule", _own_words(fault), None))
        yield from faults

    def _of_leaf(
        self, annotation: Any, value: Any, steps: tuple[str | int, ...]
    ) -> Iterator[ModelFault]:
        try:
            self._convert(value, annotation)
        except msgspec.ValidationError as fault:
            if isinstance(fault.__cause__, QuantityError):
                yield ModelFault(steps, "quantity", str(fault.__cause__), value)
            elif fault.__cause__ is not None:
                yield ModelFault(steps, "value", str(fault.__cause__), value)
            else:
                yield ModelFault(steps, "value", _wanted(annotation), value)

    def _convert(self, value: Any, annotation: Any) -> None:
        msgspec.convert(value, annotation, dec_hook=read_in_file if self.in_file else read_in_code)


def faults_of(
    model: type[Any], data: Any, *, in_file: bool, known: Exception
) -> tuple[ModelFault, ...]:
    """Every fault of values that a model could not be made of; ``known`` is what was said of the
    first.
    """
    if not isinstance(data, Mapping):
        return (ModelFault((), "value", "It must be a table.", data),)
    faults = tuple(_Search(in_file).of_model(model, data, ()))
    return faults or (ModelFault((), "rule", _own_words(known), None),)


def value_faults(annotation: Any, value: Any) -> tuple[ModelFault, ...]:
    """Every fault of one value in a file, by what a field is declared as."""
    return tuple(_Search(True).faults(annotation, value, ()))


def _own_words(fault: BaseException) -> str:
    """What a rule of ours said, else the library's own words."""
    return str(fault.__cause__ or fault)


def _without_metas(annotation: Any) -> Any:
    if get_origin(annotation) is Annotated:
        annotation = get_args(annotation)[0]
    if get_origin(annotation) in (Union, types.UnionType):
        rest = [kind for kind in get_args(annotation) if kind is not type(None)]
        inner = _without_metas(rest[0])
        if len(rest) == 1 and get_origin(inner) in (tuple, dict):
            return inner
    return annotation


def _limit(annotation: Any, name: str) -> Any:
    """A limit that an annotation states, or None."""
    if get_origin(annotation) is Annotated:
        for meta in get_args(annotation)[1:]:
            if (limit := getattr(meta, name, None)) is not None:
                return limit
        annotation = get_args(annotation)[0]
    if get_origin(annotation) in (Union, types.UnionType):
        limits = [_limit(kind, name) for kind in get_args(annotation)]
        return next((limit for limit in limits if limit is not None), None)
    return None


def _wanted(annotation: Any) -> str:
    """What a plain value must be."""
    if description := _limit(annotation, "description"):
        return f"It must be {description}."
    kinds = _leaf_kinds(annotation)
    values = tuple(
        value for kind in kinds if get_origin(kind) is Literal for value in get_args(kind)
    )
    if values:
        return _one_of(values)
    if bool in kinds:
        return "It must be true or false."
    for kind, what in ((int, "a whole number"), (float, "a number"), (str, "a text")):
        if kind in kinds:
            return f"It must be {what}{_range(annotation)}."
    return (
        "It must be a list."
        if any(get_origin(kind) is tuple for kind in kinds)
        else "It must be a table."
    )


def _leaf_kinds(annotation: Any) -> tuple[Any, ...]:
    if get_origin(annotation) is Annotated:
        return _leaf_kinds(get_args(annotation)[0])
    if get_origin(annotation) in (Union, types.UnionType):
        return tuple(kind for inner in get_args(annotation) for kind in _leaf_kinds(inner))
    return (annotation,)


def _range(annotation: Any) -> str:
    low, above = _limit(annotation, "ge"), _limit(annotation, "gt")
    high, below = _limit(annotation, "le"), _limit(annotation, "lt")
    short, long = _limit(annotation, "min_length"), _limit(annotation, "max_length")
    if short or long:
        return (
            f" of {short or 0} to {long} characters" if long else f" of at least {short} characters"
        )
    if low is not None and high is not None:
        return f" from {low} to {high}"
    parts = [
        f" {word} {limit}"
        for word, limit in (
            ("of at least", low),
            ("above", above),
            ("of at most", high),
            ("below", below),
        )
        if limit is not None
    ]
    return " and".join(parts)


def _one_of(values: tuple[Any, ...]) -> str:
    texts = [f"“{value}”" if isinstance(value, str) else str(value) for value in values]
    return (
        f"It must be {texts[0]}." if len(texts) == 1 else f"It must be one of {', '.join(texts)}."
    )


def _items(count: int) -> str:
    return "one item" if count == 1 else f"{count} items"
