"""The word that a virtual board asks of whoever wants to command it over TCP.

Any program of this machine, a web page among them, can reach a loopback port. Whoever started the
board was given the
word, and it lies in a file that only the same user can read.
"""

from __future__ import annotations

import contextlib
import os
import secrets
from pathlib import Path

from wattigram.core.base.user_folders import state_folder

COMMAND = "key"
LONGEST = 64


def new_key() -> str:
    """A word that nobody can guess."""
    return secrets.token_urlsafe(18)


def key_path(port: int) -> Path:
    """Where the word of the board on a port lies."""
    return state_folder() / "boards" / f"{port}.key"


def write_key(port: int, key: str) -> None:
    """Put the word where other programs of the same user find it; without such a place it is in the
    line of JSON only."""
    path = key_path(port)
    with contextlib.suppress(OSError):
        path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        path.unlink(missing_ok=True)
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        with os.fdopen(descriptor, "w", encoding="ascii") as stream:
            stream.write(key + "\n")


def remove_key(port: int) -> None:
    """The board is gone."""
    with contextlib.suppress(OSError):
        key_path(port).unlink(missing_ok=True)


def read_key(host: str, port: int) -> str:
    """The word for a port of this machine, "" where none is known: whoever listens there may ask
    for none."""
    if host not in {"127.0.0.1", "localhost", "::1"}:
        return ""
    try:
        return key_path(port).read_text(encoding="ascii").strip()[:LONGEST]
    except (OSError, ValueError):
        return ""
