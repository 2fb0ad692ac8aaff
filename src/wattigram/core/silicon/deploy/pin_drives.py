"""What the pins see, as the virtual board is told it."""

from __future__ import annotations

from wattigram.core.contract.board_config import EffectiveBench, PinDrive
from wattigram.core.model.bench import (
    BoardSource,
    FloatingInput,
    Jumper,
    ShapeSource,
    Wiring,
    resolve_source,
    swapped_partner,
)
from wattigram.core.model.design import Workspace, other_projects
from wattigram.core.model.design.reaction import PointAction, watched_inputs
from wattigram.core.predict.pins import input_poles_s, input_source, pin_impedance


def effective_bench(workspace: Workspace) -> EffectiveBench:
    """What the pins see, and what stands between."""
    project = workspace.project
    inputs = [
        pin
        for signal in project.signals
        for pin in (signal.pin, signal.negative)
        if pin is not None
    ]
    inputs += [
        one.do.pin
        for one in project.reactions
        if isinstance(one.do, PointAction) and one.do.pin not in inputs
    ]
    looked_at = {pin for pin, _every in watched_inputs(project.reactions)}
    pins = {pin: PinDrive() for pin in (*inputs, *sorted(looked_at))}
    for pin in {*inputs, *(wiring.pin for wiring in project.bench)}:
        wiring = workspace.wiring(pin)
        if wiring is not None:
            partner = swapped_partner(project.bench, pin)
            other = workspace.wiring(partner) if partner is not None else None
            there = other or wiring
            ohm, farads = pin_impedance(workspace, there.pin)
            pins[pin] = _drive(workspace, there).unchecked(ohm=ohm, capacitor_f=farads)
    return EffectiveBench(pins=pins)


def wired_boards(workspace: Workspace) -> tuple[str, ...]:
    """Other projects whose boards are wired to this one, in the order of their numbers."""
    return tuple(name for name in other_projects(workspace.project) if name in workspace.others)


def floating_reference(workspace: Workspace) -> PinDrive | None:
    """What a reference pin has that nothing is wired to, or nothing that holds it; None where the
    reference stands."""
    pin = workspace.reference_pin
    if pin is None:
        return None
    wiring = workspace.project.wired(pin)
    if wiring is None:
        return FloatingInput().drive()
    source = resolve_source(wiring, workspace.project.bench)
    return source.drive() if isinstance(source, FloatingInput) else None


def _drive(workspace: Workspace, wiring: Wiring) -> PinDrive:
    """What drives a pin, with the wires exchanged where somebody did that."""
    source = resolve_source(wiring, workspace.project.bench)
    driven = input_source(workspace, wiring.pin)
    if isinstance(source, (Jumper, BoardSource)):
        poles = input_poles_s(workspace, wiring)
        hum = ((wiring.hum_v, float(wiring.mains_hz), 0.0),) if wiring.hum_v else ()
        drive = PinDrive(
            poles_s=poles,
            sines=driven.sines if isinstance(driven, ShapeSource) else hum,
            noise_v=driven.noise_v,
        )
        if isinstance(source, Jumper):
            return drive.unchecked(shape="output", output=source.pin)
        boards = wired_boards(workspace)
        if source.project not in boards:
            return PinDrive(noise_v=driven.noise_v)
        board = boards.index(source.project)
        return drive.unchecked(shape="board", output=source.output, board=board)
    return driven.drive()
