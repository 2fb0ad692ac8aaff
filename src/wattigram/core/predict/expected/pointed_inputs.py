"""What is expected of signals that the program reads at one pin and then at another."""

from __future__ import annotations

from collections.abc import Iterable

from wattigram.core.model.design import (
    Chain,
    ProgramOutput,
    Signal,
    Workspace,
    pointed_pins,
    program_outputs,
)
from wattigram.core.predict.expected.stream import History

Pointing = tuple[int, str, int]
"""When a signal was pointed, in ticks since the start, its name, and the channel."""


def pointed_outputs(workspace: Workspace) -> dict[str, int]:
    """Signals that reactions point to other inputs, each with the number of its stream among all
    outputs."""
    first = len(workspace.project.routes)
    moved = program_outputs(workspace.project.reactions)
    return {
        output.names[0]: first + number
        for number, output in enumerate(moved)
        if output.kind == "input"
    }


def input_name(workspace: Workspace, output: ProgramOutput, channel: int) -> str:
    """The input that a channel of a pointed signal's converter is; "" for none that it has."""
    chain = workspace.project.chain_of(output.names[0])
    return _pin(workspace, chain, channel) or "" if chain is not None else ""


def read_everywhere(workspace: Workspace, signal: str) -> tuple[Workspace, ...]:
    """The project as designed, and with a signal at each other pin that reactions point it to."""
    pins = pointed_pins(workspace.project.reactions, signal)
    others = [_pointed(workspace, {signal: pin}) for pin in pins]
    return (workspace, *(one for one in others if one is not workspace))


def with_pointings(history: History, pointings: Iterable[Pointing]) -> History:
    """The project at the start, after each turn of a knob, and after each pointing of a signal: what
    it is read at from then on is the signal's pin.

    A channel that no pin leads to is left out: nothing is known of what stands there.
    """
    seen = sorted(pointings, key=lambda one: one[0])
    if not seen:
        return history
    made: dict[tuple[int, tuple[tuple[str, str], ...]], Workspace] = {}
    pins: dict[str, str] = {}

    def now(number: int) -> Workspace:
        workspace = history[number][1]
        key = number, tuple(sorted(pins.items()))
        if key not in made:
            made[key] = _pointed(workspace, pins)
        return made[key]

    entries: list[tuple[int, Workspace]] = []
    left = list(seen)
    for number, (since, _workspace) in enumerate(history):
        until = history[number + 1][0] if number + 1 < len(history) else None
        entries.append((since, now(number)))
        while left and (until is None or left[0][0] < until):
            ticks, signal, channel = left.pop(0)
            workspace = history[number][1]
            pin = _pin(workspace, workspace.project.chain_of(signal), channel)
            if pin is None or pins.get(signal, workspace.project.signal(signal).pin) == pin:
                continue
            pins[signal] = pin
            if ticks <= entries[-1][0]:
                entries[-1] = entries[-1][0], now(number)
            else:
                entries.append((ticks, now(number)))
    return tuple(entries)


def _pin(workspace: Workspace, chain: Chain | None, channel: int) -> str | None:
    if chain is None:
        return None
    converter = workspace.converter(chain)
    inputs = {
        **converter.channels,
        **{item.name: item.channel for item in converter.internal},
    }
    return next((pin for pin, number in inputs.items() if number == channel), None)


def _pointed(workspace: Workspace, pins: dict[str, str]) -> Workspace:
    project = workspace.project

    def moved(signal: Signal) -> Signal:
        pin = pins.get(signal.name, signal.pin)
        return signal if pin == signal.pin else signal.replaced(pin=pin)

    signals = tuple(moved(signal) for signal in project.signals)
    if signals == project.signals:
        return workspace
    return workspace.with_project(project.replaced(signals=signals))
