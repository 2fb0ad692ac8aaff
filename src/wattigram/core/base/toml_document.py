"""Versioned TOML documents: read strictly, refused with sentences, saved atomically."""

from __future__ import annotations

import errno
import os
import tempfile
import tomllib
from collections.abc import Mapping
from difflib import get_close_matches
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from wattigram.core.base.errors import FileError, QuantityError
from wattigram.core.base.fields import FROM_FILE, key_of

LARGEST_FILE_BYTES = 4 * 1024 * 1024
Model = TypeVar("Model", bound=BaseModel)


def read_text(path: Path, error: type[FileError]) -> str:
    """Text of a file of sensible size, or ``error``."""
    try:
        size_bytes = path.stat().st_size
        if size_bytes > LARGEST_FILE_BYTES:
            raise error(
                f"The file has {size_bytes} bytes, more than {LARGEST_FILE_BYTES}.", where=str(path)
            )
        return path.read_bytes().decode("utf-8")
    except UnicodeDecodeError as fault:
        raise error(
            "The file is not UTF-8 text.",
            where=str(path),
            cure=f"Byte {fault.start} is the first wrong one.",
        ) from fault
    except (OSError, ValueError) as fault:
        reason = fault.strerror if isinstance(fault, OSError) and fault.strerror else str(fault)
        raise error(f"The file cannot be read: {reason}.", where=str(path)) from fault


def parse_toml(text: str, where: str, error: type[FileError]) -> dict[str, Any]:
    """TOML to plain values, or ``error`` with the line."""
    try:
        return tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError, ValueError) as fault:
        raise error(
            f"This is not valid TOML: {fault}.", where=where, cure="Mend that line and load again."
        ) from fault


def check_head(
    data: Mapping[str, Any], kind: str, newest: int, where: str, error: type[FileError]
) -> int:
    """The document's version, once its ``format`` and ``version`` are known to be ours."""
    if data.get("format") != kind:
        raise error(
            f"This is not a {kind} file: its “format” is {data.get('format')!r}.",
            where=where,
            cure=f'The first line must read: format = "{kind}".',
        )
    version = data.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise error(
            f"Its “version” is {version!r}.", where=where, cure=f"Versions 1 to {newest} are known."
        )
    if version > newest:
        raise error(
            f"It has version {version}, and this program knows versions up to {newest}.",
            where=where,
            cure="Open it with a newer Wattigram; nothing was changed.",
        )
    return version


def build(model: type[Model], data: Mapping[str, Any], where: str, error: type[FileError]) -> Model:
    """Make ``model`` of plain values; every fault becomes a sentence with its path."""
    try:
        return model.model_validate(data, context=FROM_FILE)
    except ValidationError as fault:
        sentences = tuple(_sentence(model, item) for item in _own_faults(fault))
        more = f" (and {len(sentences) - 1} more)" if len(sentences) > 1 else ""
        raise error(sentences[0] + more, where=where, faults=sentences) from fault
    except RecursionError as fault:
        raise error("Its values are nested too deeply.", where=where) from fault


def _own_faults(fault: ValidationError) -> list[Any]:
    """Faults without those that only follow from others: a list is too short because its items are
    faulty."""
    items = fault.errors(include_url=False)
    places = [item["loc"] for item in items]

    def follows(item: Any) -> bool:
        place = item["loc"]
        return item["type"] == "too_short" and any(
            other != place and other[: len(place)] == place for other in places
        )

    return [item for item in items if not follows(item)]


def _sentence(model: type[BaseModel], item: Any) -> str:
    path = _path(item["loc"])
    kind = item["type"]
    cause = item.get("ctx", {}).get("error")
    if isinstance(cause, QuantityError):
        return f"{path}: {cause}"
    if kind == "extra_forbidden":
        key = str(item["loc"][-1])
        near = [known for known in get_close_matches(key, _known_keys(model), n=2) if known != key]
        return f"{path}: unknown key." + (f" Did you mean “{near[0]}”?" if near else " Remove it.")
    if kind == "missing":
        return f"{path}: missing. Add it."
    message = item["msg"].removeprefix("Value error, ")
    message = message[0].upper() + message[1:]
    shown = repr(item.get("input"))
    return f"{path}: {message if message.endswith('.') else message + '.'} (found {shown[:60]})"


def _path(location: tuple[Any, ...]) -> str:
    text = ""
    for step in location:
        if str(step).endswith("Trigger"):
            continue  # which of two kinds was tried, no place in the file
        text += f"[{step + 1}]" if isinstance(step, int) else ("." if text else "") + str(step)
    return text or "file"


def _known_keys(model: type[BaseModel]) -> list[str]:
    keys: set[str] = set()
    waiting: list[Any] = [model]
    seen: set[Any] = set()
    while waiting:
        kind = waiting.pop()
        if kind in seen:
            continue
        seen.add(kind)
        if isinstance(kind, type) and issubclass(kind, BaseModel):
            for name, info in kind.model_fields.items():
                keys.add(key_of(name))
                waiting.append(info.annotation)
        else:
            waiting.extend(getattr(kind, "__args__", ()))
    return sorted(keys)


def plain_values(model: BaseModel) -> dict[str, Any]:
    """The model as plain values for a file."""
    return model.model_dump(mode="json", exclude_none=True)


def lean_values(model: BaseModel) -> dict[str, Any]:
    """Plain values without those that are as they would be anyway; kinds are kept."""
    return _lean(model, plain_values(model))


def _lean(model: BaseModel, data: dict[str, Any]) -> dict[str, Any]:
    kept: dict[str, Any] = {}
    for name, info in type(model).model_fields.items():
        key, value = info.alias or name, getattr(model, name)
        if key not in data or (
            name != "kind" and value == info.get_default(call_default_factory=True)
        ):
            continue
        if isinstance(value, BaseModel):
            kept[key] = _lean(value, data[key])
        elif isinstance(value, tuple) and value and isinstance(value[0], BaseModel):
            kept[key] = [_lean(item, plain) for item, plain in zip(value, data[key], strict=True)]
        else:
            kept[key] = data[key]
    return kept


def write_atomically(path: Path, text: str, error: type[FileError]) -> None:
    """Put ``text`` in place of the file in one step: the old file or the new one, never half.

    A link is followed: what it leads to is replaced, and it stays a link.
    """
    try:
        path = Path(os.path.realpath(path))
        if path.exists() and not os.access(path, os.W_OK):
            raise PermissionError(errno.EACCES, os.strerror(errno.EACCES))
        handle, temporary = tempfile.mkstemp(
            prefix=f".{path.name}.", suffix=".tmp", dir=path.parent
        )
        try:
            with os.fdopen(handle, "w", encoding="utf-8") as stream:
                stream.write(text)
                stream.flush()
                os.fsync(stream.fileno())
            os.chmod(temporary, path.stat().st_mode & 0o777 if path.exists() else 0o644)
            os.replace(temporary, path)
        except BaseException:
            Path(temporary).unlink(missing_ok=True)
            raise
    except OSError as fault:
        raise error(
            f"The file cannot be written: {fault.strerror or fault}.",
            where=str(path),
            cure="The old file is untouched; save under another name.",
        ) from fault
