"""``wattigram``: the commands, and what becomes of their errors."""

from __future__ import annotations

import logging
import sys

import typer

from wattigram import __version__
from wattigram.cli import (
    board,
    check,
    compare,
    demo,
    firmware,
    instrument,
    open_window,
    part,
    ports,
    prove,
    run,
    take,
    wave,
)
from wattigram.core.base.errors import FileError, WattigramError, internal_error
from wattigram.core.base.logs import start_log, write_report

HOLDS, FAILS, IMPOSSIBLE = 0, 1, 2

app = typer.Typer(
    add_completion=False,
    no_args_is_help=False,
    pretty_exceptions_enable=False,
    help="Design analog acquisition chains, run them, and prove the streams that come back.",
)
app.command("demo")(demo.demo)
app.command("open")(open_window.open_window)
app.command("board")(board.board)
app.command("check")(check.check)
app.command("compare")(compare.compare)
app.command("firmware")(firmware.firmware)
app.command("ports")(ports.ports)
app.command("run")(run.run)
app.command("wave")(wave.wave)
app.command("prove")(prove.prove_take)
app.add_typer(take.app, name="take")
app.add_typer(part.app, name="part")
app.add_typer(instrument.app, name="instrument")


def _version(wanted: bool) -> None:
    if wanted:
        typer.echo(f"wattigram {__version__}")
        raise typer.Exit


@app.callback(invoke_without_command=True)
def start(
    context: typer.Context,
    version: bool = typer.Option(
        False, "--version", callback=_version, is_eager=True, help="Say which version this is."
    ),
    verbose: bool = typer.Option(
        False, "--verbose", "-v", help="Say all that happens, also in the log."
    ),
) -> None:
    """Open the window when no command is given."""
    if verbose:
        start_log(verbose=True)
    if context.invoked_subcommand is None:
        raise typer.Exit(open_window.run_window(None))


def main() -> None:
    """Run a command; a fault of the user's becomes a sentence and exit status 2."""
    start_log()
    try:
        status = app(standalone_mode=False)
    except FileError as fault:
        _complain(str(fault))
        for line in fault.faults[1:]:
            _complain(f"  also: {line}")
        status = IMPOSSIBLE
    except WattigramError as fault:
        _complain(str(fault))
        status = IMPOSSIBLE
    except typer.Exit as end:
        status = end.exit_code
    except (typer.Abort, KeyboardInterrupt):
        _complain("Stopped.")
        status = IMPOSSIBLE
    except BrokenPipeError:
        status = IMPOSSIBLE
    except Exception as fault:
        if hasattr(fault, "format_message"):
            _complain(fault.format_message())  # a usage error: unknown option, missing argument
        else:
            logging.getLogger(__name__).info("A fault of the program's own", exc_info=fault)
            report = write_report(fault, "running a command")
            _complain(
                internal_error("The command", fault)
                + (f" A report is in {report}." if report else "")
            )
        status = IMPOSSIBLE
    sys.exit(status if isinstance(status, int) else HOLDS)


def _complain(text: str) -> None:
    print(f"wattigram: {text}", file=sys.stderr)
