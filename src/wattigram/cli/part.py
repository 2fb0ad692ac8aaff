"""``wattigram part``: the parts there are, and checking one's own."""

from __future__ import annotations

from pathlib import Path

import click

from wattigram.cli.part_sheet import change, match, pins, set_fact, suffices
from wattigram.core.base.errors import PartError
from wattigram.core.base.quantity import format_si
from wattigram.core.model.part import Converter, Part, copy_part, find_part, list_parts, load_part
from wattigram.core.model.part.sheet.draft import blank_draft
from wattigram.core.model.part.sheet.own_parts import own_parts
from wattigram.core.model.part.svd import blocks_toml, read_svd


@click.group()
def app() -> None:
    """Describe, list, show and check parts."""


for command in (suffices, set_fact, pins, match, change):
    app.add_command(command)


@app.command("list")
def list_all() -> None:
    """List the parts that come with the program, and your own."""
    for part in list_parts():
        click.echo(f"{part.id:<14}{part.name:<14}{part.summary}")
    for own in own_parts():
        click.echo(f"{own.path}  {own.name}: {own.text}")


@app.command("show")
@click.argument("name")
def show_one(name: str) -> None:
    """Show what a part can do.

    NAME: Id of a part, or a part file.
    """
    path = Path(name)
    part = load_part(path) if name.endswith(".toml") else find_part(name)
    for line in _lines(part):
        click.echo(line)


@app.command("new")
@click.argument("name")
@click.option(
    "--like", "like", help="Id of the part to start from; from nothing where none is given."
)
@click.option(
    "--out",
    "out",
    type=click.Path(path_type=Path),
    help="File to write; made from the name where it is not given.",
)
def new(name: str, like: str | None, out: Path) -> None:
    """Begin a part of your own, from nothing or as a copy of another; docs/part-format.md says what each
    figure means.

    NAME: Name of the part, for people.
    """
    path = out or Path("-".join(name.lower().split()) + ".toml")
    if like is None:
        if path.exists():
            raise PartError(
                "There is a file of that name already.",
                where=str(path),
                cure="Choose another name.",
            )
        blank_draft(name).save(path)
        click.echo(
            f"{path}: {name}, of which nothing is known yet. Then: wattigram part set {path} processor.clock …"
        )
        return
    part = copy_part(like, path, name)
    click.echo(f"{path}: {part.name}, a copy to be changed. Then: wattigram part check {path}")


@app.command("check")
@click.argument("path", type=click.Path(path_type=Path))
def check(path: Path) -> None:
    """Check a part file; every fault is explained, and the exit status is then 2.

    PATH: Part file.
    """
    part = load_part(path)
    click.echo(
        f"{path}: {part.name} is sound: {len(part.converters)} converters, {len(part.pins)} pins."
    )


@app.command("svd")
@click.argument("path", type=click.Path(path_type=Path))
@click.option(
    "--block",
    "blocks",
    multiple=True,
    help="PERIPHERAL=KIND, such as ADC1=converter; several times.",
)
def from_svd(path: Path, blocks: tuple[str, ...]) -> None:
    """List the peripherals of an SVD file, or print some as blocks for a part file of your own.

    PATH: Register description in the open SVD format (XML).
    """
    description = read_svd(path)
    peripherals = description.peripherals
    for note in description.notes:
        click.echo(note, err=True)
    if not blocks:
        for peripheral in peripherals:
            click.echo(
                f"{peripheral.name:<16}{peripheral.base:#010x}  {len(peripheral.registers):>4} "
                f"registers  {peripheral.text}"
            )
        return
    kinds = {}
    for text in blocks:
        name, _, kind = text.partition("=")
        kinds[name] = kind
    click.echo(blocks_toml(peripherals, kinds), nl=False)


def _lines(part: Part) -> list[str]:
    lines = [
        f"{part.name} ({part.id}): {part.summary}",
        f"  bus clock up to {format_si(part.processor.clock_hz, 'Hz')}",
    ]
    lines += [
        f"  reference {item.name}: {item.voltage_v:.3f} V"
        + (f" from pin {item.pin}" if item.pin else "")
        for item in part.references
    ]
    for item in part.converters:
        lines += _converter_lines(item)
    lines += [
        f"  timers {', '.join(group.names)}: {group.counter_bits} bits, prescaler "
        + (", ".join(map(str, group.prescalers)) or f"{group.prescaler_bits} bits")
        for group in part.timers
    ]
    lines += [
        f"  DMA {', '.join(group.names)}: widths {list(group.widths)}, up to {group.items_max} "
        "items"
        for group in part.dma
    ]
    lines += [
        f"  {dac.name}: {dac.bits} bits on {dac.pin}, up to "
        f"{format_si(dac.update_rate_high_hz, 'Hz')}, "
        f"settles in {format_si(dac.settling_s, 's')}"
        for dac in part.dacs
    ]
    lines += [
        f"  {item.name}: on {', '.join(item.inputs)}, {item.steps} steps, hysteresis "
        f"{', '.join(format_si(volts, 'V') for volts in item.hysteresis_v)}"
        for item in part.comparators
    ]
    return lines


def _converter_lines(item: Converter) -> list[str]:
    bits = "/".join(str(bits) for bits in item.bits)
    lines = [
        f"  {item.name}: {bits} bits, conversion bits + {item.conversion_extra_cycles} clk, "
        f"clock {format_si(item.clock_low_hz, 'Hz')} to {format_si(item.clock_high_hz, 'Hz')}, "
        f"bus / {list(item.dividers)}",
        f"    sampling {list(item.sampling_cycles)} clk into "
        f"{format_si(item.sampling_capacitor_f, 'F')} "
        f"through {format_si(item.switch_resistance_ohm, 'Ω')}, up to {item.slots} slots, "
        f"{item.sequence} order",
        f"    started by {', '.join(item.triggers)}; read out by {', '.join(item.retrievals)}",
        "    channels " + ", ".join(f"{pin}={number}" for pin, number in item.channels.items()),
    ]
    if item.pairs:
        pairs = ", ".join(f"{pair.positive}−{pair.negative}={pair.channel}" for pair in item.pairs)
        lines.append(f"    pairs {pairs}")
    if item.internal:
        lines.append(
            "    inside "
            + ", ".join(f"{channel.name}={channel.channel}" for channel in item.internal)
        )
    if item.hardware.stages:
        lines.append(
            f"    in hardware {', '.join(item.hardware.stages)}, {item.hardware.windows} thresholds"
        )
    return lines
