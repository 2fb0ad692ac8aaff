"""``wattigram open``: the window."""

from __future__ import annotations

import os
from pathlib import Path

import click

from wattigram.core.base.errors import WattigramError


@click.command("open")
@click.argument("project", type=click.Path(path_type=Path), required=False)
def open_window(project: Path | None) -> None:
    """Open the window, with a project where one is named.

    PROJECT: Project file, or the folder that holds it.
    """
    raise click.exceptions.Exit(run_window(project))


def run_window(project: Path | None, autorun: bool = False) -> int:
    """Show the window until it is closed; returns its exit status."""
    need_display()
    from wattigram.desktop.shell.app import run_app  # late: Qt is not needed by other commands

    return run_app(project, autorun=autorun)


def has_display() -> bool:
    """Whether there is a screen, or a platform was chosen that needs none."""
    return any(os.environ.get(name) for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"))


def need_display() -> None:
    """Raise :class:`WattigramError` when no window can open."""
    if not has_display():
        raise WattigramError(
            "There is no display to open a window on.",
            cure="Set DISPLAY, or use the commands check, run and prove, which need none.",
        )
