"""``wattigram instrument``: meters and generators on the bench, over SCPI."""

from __future__ import annotations

import contextlib
from pathlib import Path

import click

from wattigram.core.base.errors import LinkError
from wattigram.core.capture.instrument import Instrument, apply_source, read_voltage
from wattigram.core.model.design import open_workspace, save_project
from wattigram.core.model.design.edits import SetWiring, apply_edit


@click.group()
def app() -> None:
    """Meters and generators on the bench, spoken to in SCPI over TCP."""


@app.command("simulate")
@click.option(
    "--port",
    "port",
    type=click.IntRange(min=0, max=65535),
    default=5025,
    show_default=True,
    help="TCP port; 0 takes a free one.",
)
@click.option(
    "--level",
    "level",
    type=float,
    default=float("nan"),
    show_default=True,
    help="Voltage at the meter's input; its own generator where left out.",
)
def simulate(port: int, level: float) -> None:
    """Run a simulated meter and generator until interrupted."""
    from wattigram.core.capture.instrument.simulated import serve

    with contextlib.suppress(KeyboardInterrupt):
        serve(
            port,
            None if level != level else level,
            lambda listening: click.echo(f"scpi:127.0.0.1:{listening}"),
        )


@app.command("ask")
@click.argument("address")
@click.argument("command", required=False, default="*IDN?")
def ask(address: str, command: str) -> None:
    """Send one command; print the answer of a query.

    COMMAND: A query; its answer is printed.
    """
    with Instrument(address) as instrument:
        if "?" in command:
            click.echo(instrument.query(command))
        else:
            instrument.write(command)
            instrument.check()


@app.command("read")
@click.argument("address")
@click.option(
    "--project",
    "project",
    type=click.Path(path_type=Path),
    help="Project whose bench supply the reading belongs to.",
)
@click.option(
    "--pin", "pin", default="", show_default=True, help="Pin that the supply is wired to."
)
def read(address: str, project: Path | None, pin: str) -> None:
    """Read a meter; with --project and --pin the reading becomes that pin's."""
    volts = read_voltage(address)
    click.echo(f"{volts:.6f} V")
    if project is None:
        return
    workspace = open_workspace(project)
    wiring = workspace.project.wired(pin)
    if wiring is None:
        raise LinkError(
            f"Nothing is wired to pin “{pin}”.", where=str(project), cure="Name a pin of the bench."
        )
    path = next(iter(sorted(project.glob("*.wattigram.toml")))) if project.is_dir() else project
    changed = apply_edit(workspace, SetWiring(wiring.metered(volts)))
    save_project(changed.project, path)


@app.command("set")
@click.argument("address")
@click.argument("project", type=click.Path(path_type=Path))
@click.argument("pin")
def set_source(address: str, project: Path, pin: str) -> None:
    """Set a generator to what the project's bench says of a pin."""
    wiring = open_workspace(project).project.wired(pin)
    if wiring is None:
        raise LinkError(
            f"Nothing is wired to pin “{pin}”.", where=str(project), cure="Name a pin of the bench."
        )
    click.echo(f"{address}: {apply_source(address, wiring.source)}")
