"""Models: frozen values that are checked whenever one is made, from a file or by code.

The checks are msgspec's, which makes classes and instances quickly and stops at the first fault. What is
then said is found by :mod:`wattigram.core.base.validation`, which looks for all of them.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from numbers import Integral, Real
from typing import (
    TYPE_CHECKING,
    Any,
    ClassVar,
    Self,
    TypeVar,
    get_args,
)

import msgspec

from wattigram.core.base.model_fields import (
    field_type_of,
    fields_of,
    key_of,
    keys_by_field,
    read_in_code,
    read_in_file,
)

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
        if item.key in data and field_type_of(item.annotation) is None:
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
        if value and type(value[0]) in (int, float, str) and field_type_of(annotation) is None:
            return list(value)  # a table may have a million
        return [_plain(item, annotation, with_none) for item in value]
    if isinstance(value, dict):
        return {key: _plain(item, annotation, with_none) for key, item in value.items()}
    kind = field_type_of(annotation)
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
