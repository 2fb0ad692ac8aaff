"""A ready-made self-test: every code of a DAC swept into a converter over a jumper."""

from __future__ import annotations

from fractions import Fraction

from wattigram.core.base.errors import EditError
from wattigram.core.model.bench import Jumper, Wiring
from wattigram.core.model.design.edits import (
    AddExpectation,
    AddSignal,
    CompositeEdit,
    Edit,
    SetBufferLength,
    SetGenerator,
    SetWiring,
    apply_edit,
)
from wattigram.core.model.design.expectation import PairExpectation
from wattigram.core.model.design.outputs import Generator, SoftwareRamp
from wattigram.core.model.design.project import Signal
from wattigram.core.model.design.templates import slot_for
from wattigram.core.model.design.workspace import Workspace

SHORTEST_DWELL = Fraction(1, 5000)
JUMPER_OHM = 100.0


def self_test(workspace: Workspace) -> Edit:
    """The edits that set the test up on the first free DAC and a free input.

    Raises
    ------
    EditError
        When the part has no DAC left, or no input.
    """
    project, part = workspace.project, workspace.part
    used = {generator.dac for generator in project.generators}
    free = [dac for dac in part.dacs if dac.name not in used]
    if not free:
        raise EditError(
            f"{part.name} has no DAC left.", cure="Free one, or use a part that has one."
        )
    dac = free[0]
    taken = (
        {signal.pin for signal in project.signals}
        | {wiring.pin for wiring in project.bench}
        | {dac.pin}
    )
    chain_inputs = [
        pin for converter in part.converters for pin in converter.channels if pin not in taken
    ]
    if not chain_inputs:
        raise EditError(f"{part.name} has no input left.", cure="Remove a signal first.")
    pin = chain_inputs[0]
    names = {signal.name for signal in project.signals}
    name = next(
        text
        for n in range(1, 100)
        if (text := "Self-test" if n == 1 else f"Self-test {n}") not in names
    )
    steps = (1 << dac.bits) - (1 if dac.full_scale == "2^N-1" else 0)
    lsb_v = workspace.full_scale_v(dac) / steps
    ramp = SoftwareRamp(
        from_v=0.0,
        to_v=((1 << dac.bits) - 1) * lsb_v,
        step_v=lsb_v,
        dwell_s=SHORTEST_DWELL * 2,
        at_end="reverse",
    )
    generator = Generator(
        name=f"{name} sweep",
        dac=dac.name,
        output=ramp,
        buffered=False,
        double_buffered=dac.can_buffer_twice,
    )
    edits: list[Edit] = [
        AddSignal(Signal(name=name, pin=pin)),
        SetGenerator(generator.name, generator),
        SetWiring(
            Wiring(
                pin=pin,
                label=f"jumper from {dac.name}",
                source_resistance_ohm=JUMPER_OHM,
                source=Jumper(pin=dac.pin),
            )
        ),
    ]
    slot = slot_for(workspace, name, pin)
    if slot is None:
        raise EditError("No converter has a slot left.", cure="Remove a slot first.")
    edits += [slot, AddExpectation(PairExpectation(signal=name))]
    chain = apply_edit(workspace, CompositeEdit(tuple(edits), "")).project.chain_of(name)
    if chain is not None and chain.buffer.samples % (2 * len(chain.slots)):
        # One more slot must not put the loop out of step.
        unit = 2 * len(chain.slots)
        edits.append(
            SetBufferLength(chain.converter, max(unit, chain.buffer.samples // unit * unit))
        )
    return CompositeEdit(tuple(edits), f"Add a self-test of {dac.name} and a converter")
