"""Objects of an earlier build that are still what a compiler would make."""

from __future__ import annotations

import contextlib
import hashlib
import re
from collections.abc import Iterable
from pathlib import Path

import msgspec

NAME = "objects.json"
_IN_RULE = re.compile(r"(?:\\.|[^\\\s])+")
"""A name in a rule of dependencies; what is special in it has a backslash before it."""


class _Made(msgspec.Struct, frozen=True):
    """One object: the mark of all that it was made of, its own, and the files that it was made of."""

    made_of: str
    mark: str
    files: tuple[str, ...]


class BuiltObjects:
    """What lies in a build folder; ``folder`` is where the compiler runs.

    Only what was compiled without a word is kept: whoever builds again wants to see a warning again.
    """

    def __init__(self, folder: Path, build: Path) -> None:
        self._folder = folder
        self._build = build
        self._made: dict[str, _Made] = {}
        # What cannot be read is compiled anew.
        with contextlib.suppress(OSError, msgspec.MsgspecError):
            data = (build / NAME).read_bytes()
            self._made = msgspec.json.decode(data, type=dict[str, _Made])

    def has(self, target: str, how: Iterable[str]) -> bool:
        """Whether an object is there, untouched, and was made in that way of files as they are now."""
        made = self._made.get(target)
        if made is None:
            return False
        try:
            now = self._made_of(how, made.files), _mark_of(self._build / target)
        except OSError:
            return False
        return (made.made_of, made.mark) == now

    def note(self, target: str, how: Iterable[str]) -> None:
        """An object was made, and the compiler has written down of which files."""
        with contextlib.suppress(OSError):
            rule = (self._build / target).with_suffix(".d").read_text(encoding="utf-8")
            files = tuple(
                re.sub(r"\\(.)", r"\1", name) for name in _IN_RULE.findall(rule.partition(":")[2])
            )
            mark = _mark_of(self._build / target)
            self._made[target] = _Made(self._made_of(how, files), mark, files)

    def forget(self, target: str) -> None:
        """An object is made anew."""
        self._made.pop(target, None)

    def keep(self) -> None:
        """Note all for the next build; where that cannot be, the next compiles all."""
        with contextlib.suppress(OSError):
            (self._build / NAME).write_bytes(msgspec.json.encode(self._made))

    def _made_of(self, how: Iterable[str], files: Iterable[str]) -> str:
        """The mark of compiler, command and contents."""
        hasher = hashlib.sha256("\0".join(how).encode())
        for name in files:
            data = (self._folder / name).read_bytes()
            hasher.update(f"\0{name}\0{len(data)}\0".encode())
            hasher.update(data)
        return hasher.hexdigest()


def _mark_of(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()
