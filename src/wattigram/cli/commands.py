"""All commands, each loaded when it is asked for, and what becomes of their errors."""

from __future__ import annotations

import logging
import sys
from importlib import import_module

import click

from wattigram import __version__
from wattigram.core.base.errors import FileError, WattigramError, internal_error
from wattigram.core.base.logs import start_log, write_report

HOLDS, IMPOSSIBLE = 0, 2
COMMANDS = {
    "demo": "demo:demo",
    "open": "open_window:open_window",
    "board": "board:board",
    "check": "check:check",
    "compare": "compare:compare",
    "firmware": "firmware:firmware",
    "ports": "ports:ports",
    "run": "run:run",
    "bring-up": "bring_up:bring_up",
    "wave": "wave:wave",
    "prove": "prove:prove_take",
    "take": "take:app",
    "stream": "stream:stream",
    "part": "part:app",
    "instrument": "instrument:app",
    "desktop-files": "desktop_files:desktop_files",
}
"""Name of each command, and where it is made: a module of this package, and a name in it."""


class Commands(click.Group):
    """Loads a command when it is asked for; the others cost nothing."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Names in the order in which they are needed, and not of the alphabet."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """The command of that name; None for a name that is none."""
        if cmd_name not in COMMANDS:
            return None
        module, name = COMMANDS[cmd_name].split(":")
        command = getattr(import_module(f"wattigram.cli.{module}"), name)
        assert isinstance(command, click.Command)
        return command


@click.group(
    cls=Commands,
    invoke_without_command=True,
    help="Design analog acquisition chains, run them, and prove the streams that come back.",
)
@click.option("--verbose", "-v", is_flag=True, help="Say all that happens, also in the log.")
@click.version_option(__version__, prog_name="wattigram", message="%(prog)s %(version)s")
@click.pass_context
def app(context: click.Context, verbose: bool) -> None:
    """Open the window when no command is given."""
    if verbose:
        start_log(verbose=True)
    if context.invoked_subcommand is None:
        from wattigram.cli.open_window import run_window  # late: only the window needs Qt

        context.exit(run_window(None))


def run_command() -> int:
    """Run what the command line says; returns the exit status."""
    start_log()
    try:
        status = app(standalone_mode=False)
    except FileError as fault:
        _complain(str(fault))
        for line in fault.faults[1:]:
            _complain(f"  also: {line}")
        return IMPOSSIBLE
    except WattigramError as fault:
        _complain(str(fault))
        return IMPOSSIBLE
    except click.exceptions.Exit as end:
        return end.exit_code
    except (click.Abort, KeyboardInterrupt):
        _complain("Stopped.")
        return IMPOSSIBLE
    except BrokenPipeError:
        return IMPOSSIBLE
    except click.ClickException as fault:
        _complain(fault.format_message())  # an unknown option, a missing argument
        return IMPOSSIBLE
    except Exception as fault:
        logging.getLogger(__name__).info("A fault of the program's own", exc_info=fault)
        report = write_report(fault, "running a command")
        _complain(
            internal_error("The command", fault) + (f" A report is in {report}." if report else "")
        )
        return IMPOSSIBLE
    return status if isinstance(status, int) else HOLDS


def _complain(text: str) -> None:
    print(f"wattigram: {text}", file=sys.stderr)
