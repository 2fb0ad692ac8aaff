"""Rules on the order of slots, and of starting up."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import OrderSlots, SetStartup
from wattigram.core.predict.timing import STEP_NAMES, slot_order, startup


@rule("slot-order", cell="sample")
def slots_not_in_channel_order(workspace: Workspace) -> Iterator[Finding]:
    """Signals read each other's voltages."""
    for chain in workspace.project.chains:
        order = slot_order(workspace, chain)
        if order == list(range(len(chain.slots))):
            continue
        place = next(number for number, really in enumerate(order) if number != really)
        expected, really = chain.slots[place].signal, chain.slots[order[place]].signal
        yield Finding(
            "slot-order",
            "error",
            f"{chain.converter}, slot {place + 1}",
            f"{chain.converter} converts in another order",
            f"It only goes up by channel number: slot {place + 1} holds {really}, and {expected} "
            "is read there.",
            OrderSlots(chain.converter, tuple(order)),
            signal=expected,
            converter=chain.converter,
        )


@rule(
    "startup-calibrate",
    "startup-converter",
    "startup-interrupt",
    "startup-memory",
    "startup-trigger",
    "startup-window",
)
def start_up_order(workspace: Workspace) -> Iterator[Finding]:
    """Silence, a buffer that never changes, an offset, or a lost first event, as the step has
    it."""
    for chain in workspace.project.chains:
        start = startup(workspace, chain)
        for fault in start.faults:
            name = STEP_NAMES[fault.step]
            yield Finding(
                f"startup-{fault.step}",
                "warning" if fault.mild else "error",
                f"start-up of {chain.converter}",
                f"{chain.converter} starts up in the wrong order",
                f"“{name[0].upper()}{name[1:]}” {fault.sentence}.",
                SetStartup(chain.converter, None),
                converter=chain.converter,
            )
