"""The public Python interface: what scripts may rely on.

>>> import wattigram as wg
>>> kiln = wg.open_project("studio-kiln.wattigram.toml")
>>> [finding.code for finding in wg.findings(kiln)]
['sampling-too-short']

Everything else of the package may change from one version to the next. Nothing here knows the window.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from wattigram.core.advise.findings import find_all
from wattigram.core.advise.findings.finding import Finding
from wattigram.core.base.errors import WattigramError
from wattigram.core.model.design import Workspace, edits, open_workspace, save_project
from wattigram.core.model.design.edits import Edit, apply_edit

if TYPE_CHECKING:
    from wattigram.core.capture.session import RunOutcome
    from wattigram.core.capture.take import Take
    from wattigram.core.firmware import WrittenFiles
    from wattigram.core.judge import Proof

__all__ = [
    "Edit",
    "Finding",
    "WattigramError",
    "Workspace",
    "edited",
    "edits",
    "findings",
    "open_project",
    "open_take",
    "prove",
    "run",
    "save",
    "write_firmware",
]


def open_project(path: str | Path) -> Workspace:
    """A project with its part; a folder stands for the one project in it.

    Raises
    ------
    WattigramError
        When it cannot be read: says what, where and what to do.
    """
    return open_workspace(Path(path))


def edited(workspace: Workspace, *changes: Edit) -> Workspace:
    """The workspace after some edits, which are values of :mod:`wattigram.api.edits`.

    Raises
    ------
    WattigramError
        When the outcome would be no valid project; nothing was changed then.
    """
    for change in changes:
        workspace = apply_edit(workspace, change)
    return workspace


def save(workspace: Workspace, path: str | Path) -> None:
    """Write the project; comments and order of the file that it came from stay."""
    save_project(workspace.project, Path(path))


def findings(workspace: Workspace) -> tuple[Finding, ...]:
    """What is wrong or doubtful in a design, the most severe first."""
    return find_all(workspace)


def write_firmware(workspace: Workspace, folder: str | Path) -> WrittenFiles:
    """Write the design's C files; own code in the folder is kept.

    Raises
    ------
    WattigramError
        When the design has no firmware, or the folder cannot be written.
    """
    from wattigram.core import firmware

    return firmware.write_firmware(workspace, Path(folder))


def run(
    workspace: Workspace,
    seconds: float,
    out: str | Path,
    *,
    board: str = "virtual",
    seed: int = 1,
    image: str | Path | None = None,
    overwrite: bool = False,
    progress: Callable[[float], None] | None = None,
) -> RunOutcome:
    """Run a board for some seconds of its own time and write the take.

    Parameters
    ----------
    board : "virtual", or a port such as ``/dev/ttyACM0``, ``tcp:host:port`` or ``image:file.elf``
    seed : of the virtual board's noise; equal seeds give equal takes
    image : ELF behind a debugger's port
    progress : told how far it is, from 0 to 1

    Raises
    ------
    WattigramError
        When the board does not answer, or the take cannot be written.
    """
    from wattigram.core.capture.session import record_run

    return record_run(
        workspace,
        seconds,
        Path(out),
        board=board,
        fast=board == "virtual",
        seed=seed,
        elf=Path(image) if image is not None else None,
        overwrite=overwrite,
        progress=progress,
    )


def open_take(path: str | Path) -> Take:
    """A recorded take; to be closed, or used in a ``with`` statement.

    Raises
    ------
    WattigramError
        When it is none, or damaged.
    """
    from wattigram.core.capture.take import open_take as opened

    return opened(Path(path))


def prove(
    workspace: Workspace, take: Take, progress: Callable[[float], None] | None = None
) -> Proof:
    """Judge the project's expectations on a take."""
    from wattigram.core.judge import prove as proved

    return proved(workspace, take, progress)
