"""Rules on pins that outputs want."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.input_pins import free_pin
from wattigram.core.model.design import Workspace, output_of
from wattigram.core.predict.pins import pwm_pin


def output_pins(workspace: Workspace) -> list[tuple[str, str, str]]:
    """(pin, who wants it, name of the output) of everything that comes out."""
    project, part = workspace.project, workspace.part
    claims = []
    for generator in project.generators:
        dac = part.dac(generator.dac)
        if dac is not None:
            claims.append((dac.pin, dac.name, generator.name))
    claims += [(pwm_pin(workspace, pwm), f"PWM of {pwm.timer}", pwm.name) for pwm in project.pwm]
    for uart in project.uarts:
        kind = part.uart(uart.name)
        if kind is not None and uart.name in kind.send_pins:
            claims.append((kind.send_pins[uart.name], f"{uart.name}, sending", uart.name))
    claims += [
        (pin, "the program", reaction.name)
        for reaction in project.reactions
        if (output := output_of(reaction)) is not None and output.kind == "pins"
        for pin in output.names
    ]
    return claims


@rule("output-pin-taken")
def output_pin_taken(workspace: Workspace) -> Iterator[Finding]:
    """One of the two does nothing, or an input reads the board's own output."""
    seen: dict[str, str] = {}
    for pin, who, name in output_pins(workspace):
        other = seen.setdefault(pin, who)
        if other != who:
            yield Finding(
                "output-pin-taken",
                "error",
                f"pin {pin}",
                f"{other} and {who} both want pin {pin}",
                "A pin carries one of them; choose another timer, port or pin for the other.",
                signal=name,
            )
    for signal in workspace.project.signals:
        if signal.pin in seen:
            yield Finding(
                "output-pin-taken",
                "error",
                f"pin {signal.pin}",
                f"{signal.name} is on the pin of {seen[signal.pin]}",
                f"{signal.pin} is an output here: the signal would read that output, whatever is "
                "wired to it.",
                free_pin(workspace, signal),
                signal=signal.name,
            )
