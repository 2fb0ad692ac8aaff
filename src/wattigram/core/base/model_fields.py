"""Fields of models: their keys in a file, their types, and what an annotation may stand for."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import cache
from typing import Any, Literal, cast, get_args, get_type_hints

import msgspec
from msgspec import Struct
from msgspec.structs import FieldInfo as StructField

_UNIT_SUFFIX = re.compile(r"_(v_s|hz|s|v|ohm|f|lsb|degc)$")


def key_of(field: str) -> str:
    """Name of a field in a file: the quantity carries its unit, so the key does not."""
    return _UNIT_SUFFIX.sub("", field)


class FieldType(type):
    """A type of field whose values are plain numbers with a written form of their own.

    A class made by it is what a model's field is declared as; it has no instances. Values are of
    ``number``.
    """

    number: type
    read: Callable[[Any, bool], Any]
    """Makes a value of what stands in a file (True) or what code gives (False); raises ``ValueError``."""
    text: Callable[[Any], str]
    unit: str

    def __new__(
        mcs,
        name: str,
        number: type,
        read: Callable[[Any, bool], Any],
        text: Callable[[Any], str],
        unit: str = "",
    ) -> FieldType:
        made = super().__new__(mcs, name, (), {})
        made.number, made.read, made.text, made.unit = number, read, text, unit
        return made

    def __init__(cls, *_: Any) -> None:
        super().__init__(cls.__name__, (), {})

    def __instancecheck__(cls, value: Any) -> bool:
        return isinstance(value, cls.number)


def read_in_file(kind: Any, value: Any) -> Any:
    """A field's value of what a file has there."""
    return kind.read(value, True)


def read_in_code(kind: Any, value: Any) -> Any:
    """A field's value of what code gives."""
    return kind.read(value, False)


NO_DEFAULT = msgspec.NODEFAULT


class FieldInfo(msgspec.Struct, frozen=True):
    """A field of a model."""

    name: str
    key: str
    """As it is called in a file."""
    annotation: Any
    default: Any
    """``NO_DEFAULT`` where it must be given."""


def fields_of(model: type[Any]) -> tuple[FieldInfo, ...]:
    """The model's fields in their order, its kind first."""
    return _fields_of(cast(Any, model))


@cache
def _fields_of(model: Any) -> tuple[FieldInfo, ...]:
    hints = get_type_hints(model, include_extras=True)
    tag = model.__struct_config__.tag
    kind = [FieldInfo("kind", "kind", Literal[tag], tag)] if tag is not None else []
    return (
        *kind,
        *(
            FieldInfo(item.name, item.encode_name, hints[item.name], _default(item))
            for item in msgspec.structs.fields(model)
        ),
    )


def _default(item: StructField) -> Any:
    if item.default_factory is not NO_DEFAULT:
        return item.default_factory()
    return item.default


@cache
def keys_by_field(model: type[Any]) -> dict[str, str]:
    """Keys in a file by the names of fields."""
    return dict(zip(model.__struct_fields__, model.__struct_encode_fields__, strict=True))


def models_in(annotation: Any) -> tuple[type[Any], ...]:
    """All models that an annotation may stand for."""
    return _models_in(cast(Any, annotation))


@cache
def _models_in(annotation: Any) -> tuple[type[Any], ...]:
    if isinstance(annotation, type) and issubclass(annotation, Struct):
        return (annotation,)
    return tuple(model for inner in get_args(annotation) for model in models_in(inner))


@cache
def field_type_of(annotation: Any) -> FieldType | None:
    """The field type that an annotation names, by itself or among others; None for none."""
    if isinstance(annotation, FieldType):
        return annotation
    return next(filter(None, map(field_type_of, get_args(annotation))), None)


def unit_of(model: type[Any], field: str) -> str | None:
    """Unit of a quantity; None for a field that is none."""
    kind = next(item.annotation for item in fields_of(model) if item.name == field)
    field_type = field_type_of(kind)
    return field_type.unit if field_type is not None else None
