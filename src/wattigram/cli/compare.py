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
    differences = compare_designs(open_workspace(first), open_workspace(second))
    if as_json:
        click.echo(
            json.dumps(
                [asdict(difference) for difference in differences], indent=2, ensure_ascii=False
            )
        )
    else:
        for difference in differences:
            if every or not difference.is_equal:
                mark = {"a": "‹ better", "b": "better ›", "": ""}[difference.better]
                values = (
                    value_text(value, difference.unit) for value in (difference.a, difference.b)
                )
                row = "".join(f"{text:>16}" for text in values)
                click.echo(f"{difference.subject:<22}{difference.figure:<20}{row}  {mark}")
        if all(difference.is_equal for difference in differences):
            click.echo("The two designs come to the same figures.")
    raise click.exceptions.Exit(0 if all(difference.is_equal for difference in differences) else 1)
