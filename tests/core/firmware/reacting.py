"""Designs whose program does something at random."""

from __future__ import annotations

import random
from collections.abc import Iterator

from wattigram.core.base.errors import EditError, QuantityError
from wattigram.core.model.design import (
    BarAction,
    BytesAction,
    ComparatorSwitched,
    DacAction,
    DutyAction,
    PairTripped,
    PeriodAction,
    PeriodElapsed,
    PinAction,
    Reaction,
    ResultsFetched,
    RunStarted,
    TextAction,
    ThresholdCrossed,
    UartSetup,
    Workspace,
    program_outputs,
)
from wattigram.core.model.design.edits import SetReaction, SetUart, apply_edit
from wattigram.core.model.design.reaction import Do, When

MOST = 12
FORMS = ("V", "mV", "code", "hex", "raw V", "raw code", "raw hex", "raw mV")


def reacting(workspace: Workspace, seed: int) -> Workspace:
    """The design with reactions to whatever there is, that move whatever is free."""
    dice = random.Random(f"reactions {seed}")
    for group in workspace.part.uarts:
        for name in group.names:
            if workspace.project.uart(name) is None:
                workspace = apply_edit(workspace, SetUart(UartSetup(name=name, baud=230_400)))
    for number in range(MOST):
        whens, dos = list(_whens(workspace, dice)), list(_dos(workspace, dice))
        if not whens or not dos:
            break
        name = f"Reaction {number}"
        try:
            reaction = Reaction(name=name, when=dice.choice(whens), do=dice.choice(dos))
            fresh = apply_edit(workspace, SetReaction(name, reaction))
        except (EditError, QuantityError, ValueError):
            continue
        if len(program_outputs(fresh.project.reactions)) <= 8:
            workspace = fresh
    return workspace


def _whens(workspace: Workspace, dice: random.Random) -> Iterator[When]:
    project = workspace.project
    change = dice.choice(("enters", "leaves", "both", "both"))
    for signal in project.signals:
        for number in range(1, len(signal.thresholds) + 1):
            yield ThresholdCrossed(signal=signal.name, threshold=number, change=change)
        if signal.redundant_pair is not None and signal.redundant_pair.tolerance_v:
            yield PairTripped(signal=signal.name, change=change)
    for comparator in project.comparators:
        edge = dice.choice(("rising", "falling", "both"))
        yield ComparatorSwitched(comparator=comparator.name, edge=edge)
    for chain in project.chains:
        yield ResultsFetched(converter=chain.converter)
    yield PeriodElapsed(period_s=f"{dice.randint(300, 9000)} us")
    yield RunStarted()


def _dos(workspace: Workspace, dice: random.Random) -> Iterator[Do]:
    project, part = workspace.project, workspace.part
    names = [one.name for one in project.signals if project.chain_of(one.name) is not None]
    taken = {pin for one in project.signals for pin in (one.pin, one.negative)}
    taken |= {wiring.pin for wiring in project.bench}
    pins = [pin for port in part.ports for pin in port.bits if pin not in taken]
    levels = ("high", "low", "toggle", "toggle", "follows", "follows-inverted")
    for pin in dice.sample(pins, min(3, len(pins))):
        yield PinAction(pin=pin, level=dice.choice(levels))
    if not names:
        return
    value = {
        "signal": dice.choice(names),
        "input": dice.choice(("raw", "filtered")),
        "from_v": round(dice.uniform(-0.5, 1.2), 3),
        "to_v": round(dice.uniform(1.3, 4.0), 3),
    }
    if len(pins) > 3:
        shown = tuple(dice.sample(pins, dice.randint(2, min(6, len(pins)))))
        yield BarAction(pins=shown, shows=dice.choice(("bar", "bits")), **value)
    for pwm in project.pwm:
        low, high = dice.random(), dice.random()
        yield DutyAction(pwm=pwm.name, low=low, high=high, **value)
        longer = pwm.period_s * dice.randint(1, 3)
        yield PeriodAction(pwm=pwm.name, low_s=pwm.period_s, high_s=longer, **value)
    for dac in part.dacs:
        yield DacAction(dac=dac.name, low_v=0.3, high_v=dice.uniform(0.4, 3.0), **value)
    for uart in project.uarts:
        said = "".join(f"{{{dice.choice(names)}:{dice.choice(FORMS)}}} " for _ in range(2))
        yield TextAction(uart=uart.name, text=f"{dice.randint(0, 99)}: {said}{{{{%\r\n")
        yield BytesAction(
            uart=uart.name,
            signals=tuple(dice.choices(names, k=dice.randint(1, 3))),
            input=dice.choice(("raw", "filtered")),
            bits=dice.choice((8, 16)),
            endianness=dice.choice(("little-endian", "big-endian")),
        )
