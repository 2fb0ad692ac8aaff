"""How rates of serial ports, and times of what is sent there, came about."""

from __future__ import annotations

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Given,
    Place,
    rounded,
    stated,
)
from wattigram.core.advise.explanations.timing import bus_clock
from wattigram.core.base.quantity import format_si
from wattigram.core.model.design import Reaction, UartSetup, Workspace
from wattigram.core.model.design.reaction import output_of
from wattigram.core.predict.program import sent_bytes


def _place(uart: UartSetup) -> Place:
    return Place(section="uarts", output=uart.name)


def baud(workspace: Workspace, uart: UartSetup) -> Explanation:
    """The rate that the nearest divider makes."""
    part = workspace.part.uart(uart.name)
    assert part is not None
    wanted = Given("wanted", "baud", uart.baud, "", f"{uart.name}: baud", _place(uart))
    over = Given("over", "oversampling", part.oversampling, "", f"part: {uart.name}")
    bits = Given("bits", "bits of the divider", part.divider_bits, "", f"part: {uart.name}")
    divider = Explanation(
        "divider",
        "min(max(1, round(clock / (over * wanted))), 2 ** bits)",
        (bus_clock(workspace), over, wanted, bits),
        "",
        lambda value, _unit: f"{int(value)}",
    )
    return Explanation(
        "actual",
        "clock / (over * divider)",
        (bus_clock(workspace), over, Derived("divider", "divider", divider)),
        "baud",
        lambda value, unit: f"{float(value):.1f} {unit}",
    )


def baud_error(workspace: Workspace, uart: UartSetup) -> tuple[Explanation, ...]:
    """By which share the real rate is off, and what the clock's tolerance adds."""
    terms = (
        Derived("actual", "actual", baud(workspace, uart)),
        Given("wanted", "baud", uart.baud, "", f"{uart.name}: baud", _place(uart)),
    )
    error = Explanation(
        "error",
        "actual / wanted - 1",
        terms,
        "",
        lambda value, _unit: f"{float(value) * 100:+.3f} %",
    )
    if not workspace.clock_tolerance:
        return (error,)
    tolerance = stated(
        "clock tolerance",
        workspace.clock_tolerance,
        "",
        "project: clock tolerance",
        Place(facet="project"),
        lambda value, _unit: format_si(float(value), "%"),
    )
    return error, tolerance


def character_time(workspace: Workspace, uart: UartSetup) -> Explanation:
    """Time of a word on the wire, with all bits around it."""
    there, name = _place(uart), uart.name
    terms = (
        Given("data", "data bits", uart.data_bits, "", f"{name}: data bits", there),
        Given("parity", "parity bits", int(uart.parity != "none"), "", f"{name}: parity", there),
        Given("stop", "stop bits", uart.stop_bits, "", f"{name}: stop bits", there),
    )
    bits = Explanation(
        "bits", "1 + data + parity + stop", terms, "", lambda value, _unit: f"{float(value):g}"
    )
    return Explanation(
        "character time",
        "bits / baud",
        (Derived("bits", "bits", bits), Derived("baud", "actual baud", baud(workspace, uart))),
        "s",
        rounded(4),
    )


def throughput(workspace: Workspace, uart: UartSetup) -> Explanation:
    """Bytes in a second, one right after the other."""
    return Explanation(
        "throughput",
        "1 / character",
        (Derived("character", "character time", character_time(workspace, uart)),),
        "B/s",
        lambda value, unit: f"{float(value):.6g} {unit}",
    )


def wire_time(workspace: Workspace, reaction: Reaction) -> Explanation | None:
    """The longest that what a reaction sends takes on the wire; None where it sends nothing."""
    output = output_of(reaction)
    uart = workspace.project.uart(output.names[0]) if output is not None else None
    if output is None or output.kind != "uart" or uart is None:
        return None
    there = Place(section="reactions", output=reaction.name)
    most = sent_bytes(workspace, reaction)
    return Explanation(
        "on the wire",
        "bytes * character",
        (
            Given("bytes", "bytes at most", most, "", f"{reaction.name}: what it sends", there),
            Derived("character", "character time", character_time(workspace, uart)),
        ),
        "s",
        rounded(3),
    )
