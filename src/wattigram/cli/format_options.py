"""An option for each format of an export, which gives it a file."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Protocol

import click


class _Format(Protocol):
    @property
    def suffix(self) -> str: ...
    @property
    def help(self) -> str: ...


def option_name(kind: _Format) -> str:
    """The option of a format, by its ending."""
    return kind.suffix.removeprefix(".")


def format_options(formats: Sequence[_Format]) -> Callable[[click.Command], click.Command]:
    """Gives a command the options of all formats, behind its arguments."""

    def give(command: click.Command) -> click.Command:
        arguments = [item for item in command.params if isinstance(item, click.Argument)]
        options = [
            click.Option(
                [f"--{option_name(kind)}", option_name(kind)],
                type=click.Path(path_type=Path),
                help=kind.help,
            )
            for kind in formats
        ]
        rest = [item for item in command.params if not isinstance(item, click.Argument)]
        command.params = [*arguments, *options, *rest]
        return command

    return give
