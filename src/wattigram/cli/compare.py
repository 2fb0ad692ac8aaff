"""``wattigram compare``: two designs side by side."""

from __future__ import annotations

import json
from dataclasses import asdict
from pathlib import Path

import typer

from wattigram.core.advise.comparison import compare_designs, value_text
from wattigram.core.model.design import open_workspace


def compare(
    first: Path = typer.Argument(..., help="Project file, or the folder that holds it."),
    second: Path = typer.Argument(..., help="The other project."),
    every: bool = typer.Option(False, "--all", help="Show also what is equal."),
    as_json: bool = typer.Option(False, "--json", help="Print JSON for scripts."),
) -> None:
    """Compare rates, errors, load and memory of two designs; exit status 1 when they differ."""
    found = compare_designs(open_workspace(first), open_workspace(second))
    if as_json:
        typer.echo(json.dumps([asdict(one) for one in found], indent=2, ensure_ascii=False))
    else:
        for one in found:
            if every or not one.is_equal:
                mark = {"a": "‹ better", "b": "better ›", "": ""}[one.better]
                typer.echo(
                    f"{one.subject:<22}{one.figure:<20}{value_text(one.a, one.unit):>16}{value_text(one.b, one.unit):>16}  {mark}"
                )
        if all(one.is_equal for one in found):
            typer.echo("The two designs come to the same figures.")
    raise typer.Exit(0 if all(one.is_equal for one in found) else 1)
