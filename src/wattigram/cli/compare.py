"""``wattigram compare``: two designs side by side."""

from __future__ import annotations

import json
from pathlib import Path

import click
from msgspec.structs import asdict

from wattigram.core.advise.comparison import compare_designs, value_text
from wattigram.core.model.design import open_workspace


@click.command("compare")
@click.argument("first", type=click.Path(path_type=Path))
@click.argument("second", type=click.Path(path_type=Path))
@click.option("--all", "every", is_flag=True, help="Show also what is equal.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON for scripts.")
def compare(first: Path, second: Path, every: bool, as_json: bool) -> None:
    """Compare rates, errors, load and memory of two designs; exit status 1 when they differ.

    FIRST: Project file, or the folder that holds it.
    SECOND: The other project.
    """
    found = compare_designs(open_workspace(first), open_workspace(second))
    if as_json:
        click.echo(json.dumps([asdict(one) for one in found], indent=2, ensure_ascii=False))
    else:
        for one in found:
            if every or not one.is_equal:
                mark = {"a": "‹ better", "b": "better ›", "": ""}[one.better]
                click.echo(
                    f"{one.subject:<22}{one.figure:<20}{value_text(one.a, one.unit):>16}{value_text(one.b, one.unit):>16}  {mark}"
                )
        if all(one.is_equal for one in found):
            click.echo("The two designs come to the same figures.")
    raise click.exceptions.Exit(0 if all(one.is_equal for one in found) else 1)
