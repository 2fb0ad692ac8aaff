"""What has been worked out once, kept for whoever asks again, on any thread."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, TypeVar

Answer = TypeVar("Answer")
_MISSING = object()


class Cache:
    """Answers by key.

    The lock is not held while an answer is worked out, so that nobody waits for another's long
    work: two threads may both work one out, and then both get the one that came first.
    """

    def __init__(self) -> None:
        self._answers: dict[Hashable, Any] = {}
        self._lock = Lock()

    def __len__(self) -> int:
        return len(self._answers)

    def answer(self, key: Hashable, make: Callable[[], Answer]) -> Answer:
        """What is kept for the key; made and kept where nothing is yet."""
        with self._lock:
            known = self._answers.get(key, _MISSING)
        if known is _MISSING:
            made = make()
            with self._lock:
                known = self._answers.setdefault(key, made)
        found: Answer = known
        return found
