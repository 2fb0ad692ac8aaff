"""``wattigram board``: the virtual board as a program of its own."""

from __future__ import annotations

from pathlib import Path

import typer

from wattigram.core.board.effective import parse_config
from wattigram.core.board.program import serve_board
from wattigram.core.deploy import effective_config
from wattigram.core.design import open_workspace
from wattigram.core.document import read_text
from wattigram.core.errors import BoardError, FileError


def board(
    project: Path | None = typer.Argument(None, help="Project to run, or the folder that holds it."),
    config: Path | None = typer.Option(None, "--config", help="Run this effective configuration (JSON) instead."),
    tcp: int = typer.Option(0, "--tcp", min=0, max=65535, help="TCP port on loopback; 0 takes a free one."),
    seed: int = typer.Option(1, "--seed", min=0, max=2**32 - 1, help="Seed of the noise."),
    fast: bool = typer.Option(False, "--fast", help="As fast as it goes, not in real time."),
    print_config: bool = typer.Option(False, "--print-config", help="Print the effective configuration and end."),
) -> None:
    """Offer a pty and a TCP port, and stream like a real board. Prints where it listens, as a line of JSON."""
    if (project is None) == (config is None):
        raise BoardError("Nothing says what to run.", cure="Name a project, or give --config FILE, not both.")
    if config is not None:
        effective = parse_config(read_text(config, FileError))
    else:
        assert project is not None
        effective = effective_config(open_workspace(project), seed)
    if print_config:
        typer.echo(effective.model_dump_json(indent=2))
        return
    try:
        serve_board(effective, tcp_port=tcp, fast=fast)
    except OSError as fault:
        raise BoardError(f"The board cannot listen: {fault.strerror}.", cure="Choose another --tcp port.") from fault
