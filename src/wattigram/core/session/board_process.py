"""The virtual board as a child process."""

from __future__ import annotations

import json
import selectors
import subprocess
import sys
import time
from types import TracebackType
from typing import Self

from wattigram.core.board.effective import EffectiveConfig
from wattigram.core.errors import LinkError

START_TIMEOUT_S = 20.0


class BoardProcess:
    """Starts ``wattigram board`` and ends it; the board ends by itself when this process does."""

    def __init__(self, config: EffectiveConfig) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "wattigram.core.board", "--attached"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )
        try:
            assert self._process.stdin is not None
            self._process.stdin.write(config.model_dump_json() + "\n")
            self._process.stdin.flush()
            ready = json.loads(self._first_line())
            self.pty: str = ready["pty"]
            self.tcp: int = ready["tcp"]
        except (OSError, ValueError, KeyError) as fault:
            self.close()
            raise LinkError(
                "The virtual board did not start.", cure="Run “wattigram board” by hand to see why."
            ) from fault

    def _first_line(self) -> str:
        assert self._process.stdout is not None
        with selectors.DefaultSelector() as selector:
            selector.register(self._process.stdout, selectors.EVENT_READ)
            if not selector.select(START_TIMEOUT_S):
                raise OSError("no answer")
        return self._process.stdout.readline()

    @property
    def address(self) -> str:
        """Where the board listens, as :func:`~wattigram.core.link.open_transport` takes it."""
        return f"tcp:127.0.0.1:{self.tcp}"

    def close(self) -> None:
        """End the board; closing twice does nothing."""
        process = self._process
        for stream in (process.stdin, process.stdout):
            if stream is not None:
                stream.close()
        deadline = time.monotonic() + 2.0
        while process.poll() is None and time.monotonic() < deadline:
            time.sleep(0.005)
        if process.poll() is None:
            process.kill()
        process.wait()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, value: BaseException | None, traceback: TracebackType | None
    ) -> None:
        self.close()
