"""Rules on boards of other projects that are wired to this one."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, Severity, rule
from wattigram.core.model.bench import BoardSource
from wattigram.core.model.design import Workspace
from wattigram.core.predict.pins import moved_pins, output_waveform


@rule("board-missing", "board-silent")
def other_board_is_silent(workspace: Workspace) -> Iterator[Finding]:
    """What should come from another board does not."""
    receiving = {pin for group in workspace.part.uarts for pin in group.receive_pins.values()}
    for wiring in workspace.project.bench:
        source, pin = wiring.source, wiring.pin
        if not isinstance(source, BoardSource):
            continue
        other = workspace.others.get(source.project)
        if other is None:
            why = workspace.unread.get(source.project, f"{source.project} has not been read")
            title = f"There is no board at the other end of {pin}"
            yield _finding(
                "board-missing", "error", pin, title, f"{why}: nothing comes from there."
            )
            continue
        name, output = other.project.name, source.output
        if pin in receiving and other.project.uart(output) is None:
            title = f"{name} has no serial port {output}"
            text = f"What is wired to {pin} must be one that its design uses."
            yield _finding("board-silent", "error", pin, title, text)
        elif pin in receiving and not _sends(other, output):
            title = f"{name} sends nothing over {output}"
            text = f"It is wired to {pin}, and neither a route nor a reaction sends there."
            yield _finding("board-silent", "warning", pin, title, text)
        elif pin not in receiving and not _has_voltage(other, output):
            title = f"Nothing comes out of {output} of {name}"
            text = f"{pin}, to which it is wired, reads 0 V."
            yield _finding("board-silent", "warning", pin, title, text)


def _has_voltage(other: Workspace, pin: str) -> bool:
    return pin in moved_pins(other) or output_waveform(other, pin) is not None


def _sends(other: Workspace, uart: str) -> bool:
    return any(
        getattr(end, "uart", None) == uart
        for end in (
            *(route.destination for route in other.project.routes),
            *(reaction.do for reaction in other.project.reactions),
        )
    )


def _finding(code: str, severity: Severity, pin: str, title: str, text: str) -> Finding:
    return Finding(code, severity, f"pin {pin}", title, text)
