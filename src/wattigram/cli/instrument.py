"""``wattigram instrument``: meters and generators on the bench, over SCPI."""

from __future__ import annotations

import contextlib
from pathlib import Path

import typer

from wattigram.core.base.errors import LinkError
from wattigram.core.capture.instrument import Instrument, apply_source, read_voltage
from wattigram.core.model.design import open_workspace, save_project
from wattigram.core.model.design.edits import SetWiring, apply_edit

app = typer.Typer(
    help="Meters and generators on the bench, spoken to in SCPI over TCP.", no_args_is_help=True
)


@app.command("simulate")
def simulate(
    port: int = typer.Option(5025, min=0, max=65535, help="TCP port; 0 takes a free one."),
    level: float = typer.Option(
        float("nan"), help="Voltage at the meter's input; its own generator where left out."
    ),
) -> None:
    """Run a simulated meter and generator until interrupted."""
    from wattigram.core.capture.instrument.simulated import serve

    with contextlib.suppress(KeyboardInterrupt):
        serve(
            port,
            None if level != level else level,
            lambda found: typer.echo(f"scpi:127.0.0.1:{found}"),
        )


@app.command("ask")
def ask(
    address: str, command: str = typer.Argument("*IDN?", help="A query; its answer is printed.")
) -> None:
    """Send one command; print the answer of a query."""
    with Instrument(address) as instrument:
        if "?" in command:
            typer.echo(instrument.query(command))
        else:
            instrument.write(command)
            instrument.check()


@app.command("read")
def read(
    address: str,
    project: Path | None = typer.Option(
        None, help="Project whose bench supply the reading belongs to."
    ),
    pin: str = typer.Option("", help="Pin that the supply is wired to."),
) -> None:
    """Read a meter; with --project and --pin the reading becomes that pin's."""
    volts = read_voltage(address)
    typer.echo(f"{volts:.6f} V")
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
def set_source(address: str, project: Path, pin: str) -> None:
    """Set a generator to what the project's bench says of a pin."""
    wiring = open_workspace(project).project.wired(pin)
    if wiring is None:
        raise LinkError(
            f"Nothing is wired to pin “{pin}”.", where=str(project), cure="Name a pin of the bench."
        )
    typer.echo(f"{address}: {apply_source(address, wiring.source)}")
