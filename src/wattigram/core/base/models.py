"""Models: frozen values that are checked whenever one is made, from a file or by code.

The checks are msgspec's, which makes classes and instances quickly and stops at the first fault. What is
then said is found by :mod:`wattigram.core.base.validation`, which looks for all of them.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cache
from numbers import Integral, Real
from typing import (
    TYPE_CHECKING,
    Any,
    ClassVar,
    Literal,
    Self,
    TypeVar,
    cast,
    get_args,
    get_type_hints,
)

import msgspec
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


if TYPE_CHECKING:

    class _Checked:
        """To a type checker: takes values of whatever type can be read as its fields'."""

        __struct_fields__: ClassVar[tuple[str, ...]]
        __struct_encode_fields__: ClassVar[tuple[str, ...]]
        __struct_config__: ClassVar[msgspec.structs.StructConfig]

        def __init__(self, **values: Any) -> None: ...

        def __init_subclass__(cls, *, rename: Any = ..., dict: bool = ...) -> None: ...

else:

    class _ModelType(msgspec.StructMeta):
        """Makes ``kind: Literal["x"] = "x"`` the tag by which a union's members are told apart, and
        checks values whenever a model is made.
        """

        def __new__(mcs, name: str, bases: Any, namespace: dict[str, Any], **config: Any) -> Any:
            fields, kind = namespace.get("__annotations__", {}), namespace.get("kind")
            if isinstance(kind, str) and fields.get("kind") == f"Literal[{kind!r}]":
                del fields["kind"]
                config |= {"tag_field": "kind", "tag": kind}
            return super().__new__(mcs, name, bases, namespace, kw_only=True, **config)

        def __call__(cls, **values: Any) -> Any:  # noqa: N805
            keys = keys_by_field(cls)
            return _checked(cls, {keys.get(name, name): values[name] for name in values}, False)

    class _Checked(msgspec.Struct, metaclass=_ModelType, frozen=True, forbid_unknown_fields=True):
        pass


class StrictModel(_Checked, rename=key_of):
    """A frozen model that refuses keys it does not know."""

    def replaced(self, **updates: Any) -> Self:
        """A copy with some fields replaced, validated as if made anew."""
        values = {name: getattr(self, name) for name in self.__struct_fields__}
        return type(self)(**(values | updates))

    def unchecked(self, **updates: Any) -> Self:
        """A copy with some fields replaced by values that are known to be of their kind."""
        copy: Self = msgspec.structs.replace(self, **updates)  # type: ignore[type-var]
        return copy


Model = TypeVar("Model", bound=StrictModel)


def _checked(model: Any, data: Any, in_file: bool) -> Any:
    try:
        return msgspec.convert(data, model, dec_hook=read_in_file if in_file else read_in_code)
    except msgspec.ValidationError as fault:
        own = None if in_file or not isinstance(data, dict) else _own_numbers(model, data)
        if own is not None:
            return _checked(model, own, False)
        raise _all_faults(model, data, in_file, fault) from fault


def _own_numbers(model: Any, data: dict[str, Any]) -> dict[str, Any] | None:
    """The data with Python's own numbers in place of NumPy's and of fractions, where a field is
    declared as ``float`` or ``int``; None where all are.
    """
    changed = {}
    for item in fields_of(model):
        if item.key in data and _field_type(item.annotation) is None:
            value = _own_number(data[item.key], item.annotation)
            if value is not data[item.key]:
                changed[item.key] = value
    return data | changed if changed else None


def _own_number(value: Any, annotation: Any) -> Any:
    if isinstance(value, (tuple, list)):
        items = [_own_number(item, annotation) for item in value]
        same = all(new is old for new, old in zip(items, value, strict=True))
        return value if same else items
    if isinstance(value, Real) and type(value).__module__ != "builtins":
        if _holds(annotation, float):
            return float(value)
        if _holds(annotation, int) and isinstance(value, Integral):
            return int(value)
    return value


@cache
def _holds(annotation: Any, kind: type) -> bool:
    return annotation is kind or any(_holds(inner, kind) for inner in get_args(annotation))


def _all_faults(model: Any, data: Any, in_file: bool, fault: Exception) -> Exception:
    from wattigram.core.base.validation import ModelError, faults_of

    return ModelError(faults_of(model, data, in_file=in_file, known=fault))


def model_of(model: type[Model], data: Mapping[str, Any]) -> Model:
    """The model of what stands in a file.

    Raises
    ------
    ModelError
        With every fault.
    """
    made: Model = _checked(model, data, True)
    return made


def model_of_json(model: type[Model], text: str | bytes) -> Model:
    """The model of its JSON.

    Raises
    ------
    ModelError
        With every fault; with one, without a place, where the text is no JSON.
    """
    try:
        data = msgspec.json.decode(text)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as fault:
        from wattigram.core.base.validation import ModelError, ModelFault

        raise ModelError((ModelFault((), "syntax", f"This is no JSON: {fault}.", None),)) from fault
    made: Model = _checked(model, data, False)
    return made


def json_of(model: StrictModel, indent: int = 0) -> str:
    """The model's JSON."""
    encoded = msgspec.json.encode(plain_values(model, with_none=True))
    return (msgspec.json.format(encoded, indent=indent) if indent else encoded).decode()


NO_DEFAULT = msgspec.NODEFAULT


@dataclass(frozen=True)
class FieldInfo:
    """A field of a model."""

    name: str
    key: str
    """As it is called in a file."""
    annotation: Any
    default: Any
    """``NO_DEFAULT`` where it must be given."""


def fields_of(model: type[StrictModel]) -> tuple[FieldInfo, ...]:
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
def keys_by_field(model: type[StrictModel]) -> dict[str, str]:
    """Keys in a file by the names of fields."""
    return dict(zip(model.__struct_fields__, model.__struct_encode_fields__, strict=True))


def models_in(annotation: Any) -> tuple[type[StrictModel], ...]:
    """All models that an annotation may stand for."""
    return _models_in(cast(Any, annotation))


@cache
def _models_in(annotation: Any) -> tuple[type[StrictModel], ...]:
    if isinstance(annotation, type) and issubclass(annotation, StrictModel):
        return (annotation,)
    return tuple(model for inner in get_args(annotation) for model in models_in(inner))


@cache
def _field_type(annotation: Any) -> FieldType | None:
    if isinstance(annotation, FieldType):
        return annotation
    return next(filter(None, map(_field_type, get_args(annotation))), None)


def unit_of(model: type[StrictModel], field: str) -> str | None:
    """Unit of a quantity; None for a field that is none."""
    kind = next(item.annotation for item in fields_of(model) if item.name == field)
    found = _field_type(kind)
    return found.unit if found is not None else None


def plain_values(model: StrictModel, *, with_none: bool = False) -> dict[str, Any]:
    """The model as plain values for a file."""
    plain: dict[str, Any] = {}
    for item in fields_of(type(model)):
        value = getattr(model, item.name)
        if value is not None or with_none:
            plain[item.key] = _plain(value, item.annotation, with_none)
    return plain


def _plain(value: Any, annotation: Any, with_none: bool) -> Any:
    if isinstance(value, StrictModel):
        return plain_values(value, with_none=with_none)
    if isinstance(value, tuple):
        if value and type(value[0]) in (int, float, str) and _field_type(annotation) is None:
            return list(value)  # a table may have a million
        return [_plain(item, annotation, with_none) for item in value]
    if isinstance(value, dict):
        return {key: _plain(item, annotation, with_none) for key, item in value.items()}
    kind = _field_type(annotation)
    return value if kind is None or value is None else kind.text(value)


def lean_values(model: StrictModel) -> dict[str, Any]:
    """Plain values without those that are as they would be anyway; kinds are kept."""
    lean: dict[str, Any] = {}
    for item in fields_of(type(model)):
        value = getattr(model, item.name)
        if value is None or (item.name != "kind" and value == item.default):
            continue
        lean[item.key] = _lean(value, item.annotation)
    return lean


def _lean(value: Any, annotation: Any) -> Any:
    if isinstance(value, StrictModel):
        return lean_values(value)
    if isinstance(value, tuple) and value and isinstance(value[0], StrictModel):
        return [lean_values(item) for item in value]
    return _plain(value, annotation, False)
