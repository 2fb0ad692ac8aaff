"""The virtual board as a child process."""

from __future__ import annotations

import contextlib
import json
import math
import os
import selectors
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from types import TracebackType
from typing import Self

from wattigram.core.base.errors import LinkError
from wattigram.core.base.models import json_of
from wattigram.core.capture.session.address import IMAGE
from wattigram.core.contract.board_config import EffectiveConfig
from wattigram.core.emulator.board_setup import BoardSetup, board_setup
from wattigram.core.model.design import Workspace
from wattigram.core.silicon.deploy import effective_config
from wattigram.core.silicon.deploy.project_config import DEFAULT_SEED

START_TIMEOUT_S = 20.0


class ChildBoard:
    """A program that is a virtual board; it ends by itself when this process does."""

    def __init__(self, arguments: list[str], setup: str) -> None:
        self._complaints = tempfile.TemporaryFile()  # noqa: SIM115 - open as long as the board lives
        self._process = subprocess.Popen(
            [sys.executable, "-m", *arguments, "--attached"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=self._complaints,
            text=True,
        )
        try:
            assert self._process.stdin is not None
            self._process.stdin.write(setup + "\n")
            self._process.stdin.flush()
            ready = json.loads(self._first_line())
            self.pty: str = ready["pty"]
            self.tcp: int = ready["tcp"]
            self._key: str = ready["key"]
            self.ready: dict[str, object] = ready
        except (OSError, ValueError, KeyError) as fault:
            said = self._said()
            self.close()
            raise LinkError(
                f"The virtual board did not start: {said}"
                if said
                else "The virtual board did not start.",
                cure="" if said else "Run “wattigram board” by hand to see why.",
            ) from fault

    def _said(self) -> str:
        """The last line that it complained with."""
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(2)
        self._complaints.seek(0)
        lines = self._complaints.read(1 << 16).decode("utf-8", "replace").strip().splitlines()
        return lines[-1] if lines else ""

    def _first_line(self) -> str:
        assert self._process.stdout is not None
        with selectors.DefaultSelector() as selector:
            selector.register(self._process.stdout, selectors.EVENT_READ)
            if not selector.select(START_TIMEOUT_S):
                raise OSError("no answer")
        return self._process.stdout.readline()

    def worked_s(self) -> float:
        """Processor time that it has had; of no use to tell the time, and the same however busy the machine is."""
        try:
            stat = Path(f"/proc/{self._process.pid}/stat").read_text("ascii", "replace")
        except OSError:
            return math.inf  # gone: nothing more will come
        fields = stat.rpartition(")")[2].split()
        return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")

    @property
    def address(self) -> str:
        """Where the board listens, as :func:`~wattigram.core.contract.link.open_transport` takes
        it."""
        return f"tcp:127.0.0.1:{self.tcp}#{self._key}"

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
        self._complaints.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        value: BaseException | None,
        traceback: TracebackType | None,
    ) -> None:
        self.close()


class BoardProcess(ChildBoard):
    """A virtual board that runs from a configuration."""

    def __init__(self, config: EffectiveConfig) -> None:
        super().__init__(["wattigram.core.board"], json_of(config))


class ImageBoardProcess(ChildBoard):
    """A virtual board that runs an image, built for the part of its set-up."""

    def __init__(self, setup: BoardSetup, image: Path) -> None:
        super().__init__(["wattigram.core.emulator", str(image)], json_of(setup))


def virtual_board(
    address: str, workspace: Workspace, seed: int = DEFAULT_SEED
) -> ChildBoard | None:
    """The board that an address asks for: ``virtual``, or ``image:ELF``; None for one that is there
    already.

    Raises
    ------
    LinkError, BoardError
        When it does not start.
    """
    project = workspace.project
    if address == "virtual":
        if not project.does_anything:
            raise LinkError(
                "Nothing in this project runs.",
                cure="Put a signal into a slot, or add an output or a reaction.",
            )
        return BoardProcess(effective_config(workspace, seed))
    if address.startswith(IMAGE):
        return ImageBoardProcess(board_setup(workspace, seed), Path(address.removeprefix(IMAGE)))
    return None
