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

    Parameters
    ----------
    most : answers that are kept, the ones asked for last; all of them where it is None
    """

    def __init__(self, most: int | None = None) -> None:
        self._most = most
        self._answers: dict[Hashable, Any] = {}
        self._lock = Lock()

    def __eq__(self, other: object) -> bool:
        """What is kept follows from the value that keeps it, so it tells no two values apart."""
        return isinstance(other, Cache)

    def __hash__(self) -> int:
        return hash(Cache)

    def __len__(self) -> int:
        return len(self._answers)

    def answer(self, key: Hashable, make: Callable[[], Answer]) -> Answer:
        """What is kept for the key; made and kept where nothing is yet."""
        with self._lock:
            known = self._answers.get(key, _MISSING)
            if self._most is not None and known is not _MISSING:
                self._answers[key] = self._answers.pop(key)  # the newest is last
        if known is _MISSING:
            made = make()
            with self._lock:
                known = self._answers.setdefault(key, made)
                while self._most is not None and len(self._answers) > self._most:
                    del self._answers[next(iter(self._answers))]
        answer: Answer = known
        return answer
