"""Progress on standard error for anything that takes more than a second."""

from __future__ import annotations

import sys
import time

from wattigram.core.base.time_left import LONG_S, left_text, seconds_left


class Progress:
    """Callable with a share from 0 to 1; shows itself after a second, then five times a second.

    Work that turns out to be long is said to be so at once, with ``ending``: what ends it, and what is then
    kept.
    """

    def __init__(self, what: str, ending: str = "Ctrl+C ends it") -> None:
        self._what = what
        self._ending = ending
        self._is_warned = False
        self._began = time.monotonic()
        self._shown = 0.0
        self._logged = 0.0
        self._is_line_open = False

    def __call__(self, share: float) -> None:
        now = time.monotonic()
        spent = now - self._began
        if spent < 1.0 or (now - self._shown < 0.2 and share < 1.0):
            return
        self._shown = now
        seconds = seconds_left(share, spent)
        left = f", {left_text(seconds)} left" if seconds is not None else ""
        text = f"{self._what}: {share * 100:3.0f} %{left}"
        if seconds is not None and not self._is_warned:
            self._is_warned = True
            if seconds > LONG_S:
                sys.stderr.write(
                    f"{self._what} takes about {left_text(seconds)}; {self._ending}.\n"
                )
        if sys.stderr.isatty():
            sys.stderr.write(f"\r{text:<60}")
            self._is_line_open = True
        elif share >= 1.0 or spent - self._logged > 5.0:
            self._logged = spent
            sys.stderr.write(text + "\n")
        sys.stderr.flush()

    def done(self) -> None:
        """End the line."""
        if self._is_line_open:
            sys.stderr.write("\n")
            self._is_line_open = False
