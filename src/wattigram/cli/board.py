"""``wattigram board``: the virtual board as a program of its own."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path
from typing import NoReturn

import click

from wattigram.core.base.errors import BoardError, FileError
from wattigram.core.base.models import json_of
from wattigram.core.base.toml_document import read_text
from wattigram.core.board.program import serve_board
from wattigram.core.contract.board_config import parse_config
from wattigram.core.emulator.board_setup import board_setup
from wattigram.core.model.design import open_workspace
from wattigram.core.silicon.deploy import effective_config


@click.command("board")
@click.argument("project", type=click.Path(path_type=Path), required=False)
@click.option(
    "--config",
    "config",
    type=click.Path(path_type=Path),
    help="Run this effective configuration (JSON) instead.",
)
@click.option(
    "--image",
    "image",
    type=click.Path(path_type=Path),
    help="Run this image (ELF) on the project's board.",
)
@click.option(
    "--gdb",
    "gdb",
    type=click.IntRange(min=0, max=65535),
    default=0,
    show_default=True,
    help="With --image: port for a debugger; 0 takes a free one.",
)
@click.option(
    "--tcp",
    "tcp",
    type=click.IntRange(min=0, max=65535),
    default=0,
    show_default=True,
    help="TCP port on loopback; 0 takes a free one.",
)
@click.option(
    "--seed",
    "seed",
    type=click.IntRange(min=0, max=2**32 - 1),
    default=1,
    show_default=True,
    help="Seed of the noise.",
)
@click.option("--fast", "fast", is_flag=True, help="As fast as it goes, not in real time.")
@click.option(
    "--print-config",
    "print_config",
    is_flag=True,
    help="Print the effective configuration and end.",
)
def board(
    project: Path | None,
    config: Path | None,
    image: Path | None,
    gdb: int,
    tcp: int,
    seed: int,
    fast: bool,
    print_config: bool,
) -> None:
    """Offer a pty and a TCP port, and stream like a real board. Prints where it listens, as a line
    of JSON.

    PROJECT: Project to run, or the folder that holds it.
    """
    if (project is None) == (config is None):
        raise BoardError(
            "Nothing says what to run.", cure="Name a project, or give --config FILE, not both."
        )
    if image is not None:
        if project is None:
            raise BoardError(
                "An image needs the project of its board.", cure="Name the project as well."
            )
        _run_image(
            project,
            image,
            seed,
            ["--tcp", str(tcp), "--gdb", str(gdb), *(["--fast"] if fast else [])],
        )
    if config is not None:
        effective = parse_config(read_text(config, FileError))
    else:
        assert project is not None
        effective = effective_config(open_workspace(project), seed)
    if print_config:
        click.echo(json_of(effective, indent=2))
        return
    try:
        serve_board(effective, tcp_port=tcp, fast=fast)
    except OSError as fault:
        raise BoardError(
            f"The board cannot listen: {fault.strerror}.", cure="Choose another --tcp port."
        ) from fault


def _run_image(project: Path, image: Path, seed: int, options: list[str]) -> NoReturn:
    """The board is a program of its own, which takes its set-up on standard input."""
    setup = json_of(board_setup(open_workspace(project), seed))
    command = [sys.executable, "-m", "wattigram.core.emulator", str(image), *options]
    with subprocess.Popen(command, stdin=subprocess.PIPE, text=True) as process:
        assert process.stdin is not None
        process.stdin.write(setup + "\n")
        process.stdin.close()
        try:
            raise click.exceptions.Exit(process.wait())
        except BaseException:
            process.terminate()
            raise
