"""Versioned TOML documents: read strictly, refused with sentences, saved atomically."""

from __future__ import annotations

import errno
import os
import tempfile
import tomllib
from collections.abc import Mapping
from difflib import get_close_matches
from pathlib import Path
from typing import Any

from wattigram.core.base.errors import FileError
from wattigram.core.base.model_fields import fields_of, models_in
from wattigram.core.base.models import Model, StrictModel, model_of
from wattigram.core.base.validation import ModelError, ModelFault

LARGEST_FILE_BYTES = 4 * 1024 * 1024


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
        return model_of(model, data)
    except ModelError as fault:
        sentences = tuple(_sentence(model, item) for item in fault.faults)
        more = f" (and {len(sentences) - 1} more)" if len(sentences) > 1 else ""
        raise error(sentences[0] + more, where=where, faults=sentences) from fault
    except RecursionError as fault:
        raise error("Its values are nested too deeply.", where=where) from fault


def _sentence(model: type[StrictModel], fault: ModelFault) -> str:
    path = _path(fault.steps)
    match fault.kind:
        case "unknown":
            keys = _known_keys(model)
            near = [key for key in get_close_matches(fault.key, keys, n=2) if key != fault.key]
            advice = f"Did you mean “{near[0]}”?" if near else "Remove it."
            return f"{path}: unknown key. {advice}"
        case "missing":
            return f"{path}: missing. Add it."
        case "value" | "length":
            return f"{path}: {fault.message} (found {repr(fault.found)[:60]})"
        case _:
            message = fault.message[0].upper() + fault.message[1:]
            return f"{path}: {message if message.endswith('.') else message + '.'}"


def _path(steps: tuple[str | int, ...]) -> str:
    text = ""
    for step in steps:
        text += f"[{step + 1}]" if isinstance(step, int) else ("." if text else "") + step
    return text or "file"


def _known_keys(model: type[StrictModel]) -> list[str]:
    keys: set[str] = set()
    waiting, seen = [model], set()
    while waiting:
        kind = waiting.pop()
        if kind not in seen:
            seen.add(kind)
            for item in fields_of(kind):
                keys.add(item.key)
                waiting.extend(models_in(item.annotation))
    return sorted(keys)


def write_atomically(path: Path, content: str | bytes, error: type[FileError]) -> None:
    """Put ``content`` in place of the file in one step: the old file or the new one, never half.

    A link is followed: what it leads to is replaced, and it stays a link.

    Whatever keeps it from being written, a :class:`PermissionError` for one, becomes ``error``.
    """
    try:
        path = Path(os.path.realpath(path))
        if path.exists() and not os.access(path, os.W_OK):
            raise PermissionError(errno.EACCES, os.strerror(errno.EACCES))
        handle, temporary = tempfile.mkstemp(
            prefix=f".{path.name}.", suffix=".tmp", dir=path.parent
        )
        try:
            with os.fdopen(handle, "wb") as stream:
                stream.write(content.encode() if isinstance(content, str) else content)
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
