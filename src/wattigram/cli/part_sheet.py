"""``wattigram part``: a part described fact by fact, as the window does it."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import IO, TYPE_CHECKING

import click

from wattigram.core.base.errors import PartError, QuantityError
from wattigram.core.model.part.sheet.draft import PartDraft, load_draft
from wattigram.core.model.part.sheet.sentences import (
    CHAPTERS,
    Chapter,
    fact_steps,
    items_of,
    lists_of,
    read_said,
)
from wattigram.core.model.part.sheet.sufficiency import uses

if TYPE_CHECKING:
    from wattigram.core.model.part.svd import SvdDescription

FILE = click.Path(path_type=Path)


@click.command("suffices")
@click.argument("path", type=FILE)
def suffices(path: Path) -> None:
    """Say what a part file suffices for, finished or not: design, proof, C, and what is missing.

    The exit status is 1 while it does not suffice for a design.

    PATH: Part file.
    """
    told: set[str] = set()
    found = uses(load_draft(path))
    for use in found:
        click.echo(f"{'✓' if use.suffices else '✕'} {use.name}: {use.text}")
        for one in use.missing:
            if one.text not in told:
                click.echo(f"    missing: {one.text}")
            told.add(one.text)
        if use.suffices:
            for text in use.without:
                click.echo(f"    not for: {text}")
    sys.exit(0 if found[0].suffices else 1)


@click.command("set")
@click.argument("path", type=FILE)
@click.argument("fact")
@click.argument("text")
@click.option("--note", help="Where the data sheet says so.")
def set_fact(path: Path, fact: str, text: str, note: str | None) -> None:
    """Say a fact of a part as its data sheet states it; "" takes it away.

    PATH: Part file, finished or not.

    FACT: Its place: converters.1.noise, processor.clock, memory.code_begin. A number that is one more than
    there are adds another.

    TEXT: The fact: "0.4 LSB", "2, 4, 8", "P0-P3 = 0-3", "500 ns, 2 us".
    """
    draft = load_draft(path)
    draft, one, item, key = _place(draft, fact)
    try:
        value = read_said(draft, one, item, key, text)
    except QuantityError as fault:
        raise PartError(f"{fact}: {fault.message}", where=str(path), cure=fault.cure) from fault
    steps = fact_steps(item, key)
    draft = draft.with_value(steps, value)
    if note is not None:
        draft = draft.noted(steps, note)
    draft.save(path)
    left = len(uses(draft)[0].missing)
    click.echo(
        f"{fact}: {text or 'nothing'}. {f'{left} facts missing' if left else 'It suffices for a design'}."
    )


def _place(draft: PartDraft, fact: str) -> tuple[PartDraft, Chapter, tuple[str | int, ...], str]:
    """The draft, perhaps with one more thing in a list, and the chapter, thing and key that a place means."""
    steps = tuple(int(step) - 1 if step.isdigit() else step for step in fact.split("."))
    for one in CHAPTERS:
        keys = {key for sentence in one.sentences for key in sentence.keys}
        if one.many:
            for place in lists_of(draft, one):
                number = steps[len(place)] if len(steps) > len(place) else None
                if steps[: len(place)] != place or not isinstance(number, int):
                    continue
                key = ".".join(map(str, steps[len(place) + 1 :]))
                if key in keys and number == len(draft.items(place)):
                    draft = draft.with_item(place, {})
                if key in keys and (*place, number) in items_of(draft, one):
                    return draft, one, (*place, number), key
        elif steps[: len(one.steps)] == one.steps:
            key = ".".join(map(str, steps[len(one.steps) :]))
            if key in keys:
                return draft, one, one.steps, key
    raise PartError(
        f"“{fact}” is no place of a fact.",
        cure="Name it as in a part file, items counted from 1: converters.1.noise.",
    )


@click.command("pins")
@click.argument("path", type=FILE)
@click.argument("table", type=click.File(encoding="utf-8"))
def pins(path: Path, table: IO[str]) -> None:
    """Take over a table of pins, as a data sheet or a spreadsheet has it.

    PATH: Part file, finished or not.

    TABLE: Text file with a row for each pin or range of them; - for standard input.
    """
    from wattigram.core.model.part.sheet.pin_table import read_pin_table, with_pin_table

    draft = load_draft(path)
    try:
        found = read_pin_table(table.read(), draft)
    except QuantityError as fault:
        raise PartError(fault.message, where=table.name, cure=fault.cure) from fault
    with_pin_table(draft, found).save(path)
    click.echo(found.summary)
    for one in found.unread:
        click.echo(f"    not used: {one}")


@click.command("match")
@click.argument("path", type=FILE)
@click.argument("description", type=FILE)
@click.option("--take", is_flag=True, help="Confirm every unambiguous field.")
@click.option("--all", "show_all", is_flag=True, help="Show settings that C does not need too.")
@click.option(
    "--choose",
    "choices",
    multiple=True,
    metavar="PERIPHERAL: SETTING = REGISTER.FIELD",
    help="Give a setting the field that holds it; may be said again.",
)
def match(
    path: Path, description: Path, take: bool, show_all: bool, choices: tuple[str, ...]
) -> None:
    """Find the fields that hold a part's settings in a register description.

    PATH: Part file, finished or not.

    DESCRIPTION: Register description in the open SVD format (XML).
    """
    from wattigram.core.model.part.sheet.register_edits import (
        owner_places,
        with_sure_fields,
    )
    from wattigram.core.model.part.sheet.register_matches import (
        matches,
    )
    from wattigram.core.model.part.svd import read_svd

    draft, read = load_draft(path), read_svd(description)
    by_name = {one.name: one for one in read.peripherals}
    for choice in choices:
        draft = _with_choice(draft, read, choice)
    for place in owner_places(draft, read.peripherals):
        peripheral = by_name[place.peripheral]
        taken: tuple[str, ...] = ()
        if take:
            draft, taken = with_sure_fields(draft, place, peripheral)
        lies = "" if place.peripheral == place.owner else f" in {place.peripheral}"
        click.echo(
            f"{place.owner}{lies}, {place.base:#010x}: {len(taken)} fields taken"
            if take
            else f"{place.owner}{lies}, {place.base:#010x}"
        )
        for found in matches(draft, place.kind, place.owner, peripheral):
            if found.held_by:
                click.echo(f"  ✓ {found.setting:<18}{found.held_by}")
            elif found.needed or (show_all and found.candidates):
                offers = ", ".join(one.place for one in found.candidates[:3]) or "none likely"
                click.echo(f"  {'?' if found.candidates else '✕'} {found.setting:<18}{offers}")
    for note in read.notes:
        click.echo(note, err=True)
    if take or choices:
        draft.save(path)


def _with_choice(draft: PartDraft, read: SvdDescription, text: str) -> PartDraft:
    """The draft in which a field that is named holds a setting; raises :class:`PartError`."""
    from wattigram.core.model.part.sheet.register_edits import (
        chosen_field,
        owner_places,
        with_field,
        without_field,
    )
    from wattigram.core.model.part.sheet.register_matches import asked_settings

    who, _, rest = text.partition(":")
    setting, _, named = (one.strip() for one in rest.partition("="))
    places = {one.owner: one for one in owner_places(draft, read.peripherals)}
    place = places.get(who.strip())
    if place is None or not named:
        raise PartError(
            f"“{text}” names no peripheral of the sheet that the description has.",
            cure="Write it as “SARC: divider = FORM.DIV”.",
        )
    if setting not in asked_settings(draft, place.kind, place.owner):
        raise PartError(
            f"“{setting}” is no setting of {place.owner}.",
            cure="--all lists those that there are.",
        )
    peripheral = next(one for one in read.peripherals if one.name == place.peripheral)
    for register in peripheral.registers:
        for field in register.fields:
            if named.replace(" · ", ".") == f"{register.name}.{field.name}":
                draft = without_field(draft, place.owner, setting)
                found = chosen_field(draft, place, setting, register, field)
                return with_field(draft, place, setting, found)
    raise PartError(f"{place.peripheral} has no field “{named}”.", cure="Write REGISTER.FIELD.")


@click.command("change")
@click.argument("project", type=FILE)
@click.argument("part")
@click.option("--out", type=FILE, help="Project file to write; nothing is written without it.")
def change(project: Path, part: str, out: Path | None) -> None:
    """Say what a project would be on another part, and write it there.

    The exit status is 1 where the part cannot hold it.

    PROJECT: Project file.

    PART: Id of a part, or a part file.
    """
    from wattigram.core.model.design import open_workspace
    from wattigram.core.model.design.part_change import on_other_part
    from wattigram.core.model.design.workspace import join_workspace
    from wattigram.core.model.design.workspace_files import save_workspace
    from wattigram.core.model.part import find_part, load_part

    workspace = open_workspace(project)
    path = Path(part)
    other = load_part(path) if path.suffix == ".toml" else find_part(part)
    named = path.name if path.suffix == ".toml" else part
    made = on_other_part(workspace.project, workspace.part, other, named)
    for one in made.replacements:
        click.echo(one.text)
    for fault in made.faults:
        click.echo(f"✕ {fault}")
    if made.project is None or made.faults:
        sys.exit(1)
    if not made.replacements:
        click.echo("Everything carries over as it is.")
    if out is not None:
        joined = join_workspace(made.project, str(out), other).hearing(workspace.others)
        save_workspace(joined, out)
        click.echo(f"{out}: written.")
