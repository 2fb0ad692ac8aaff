"""Rules on voltages at the pins."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.base.quantity import format_volts
from wattigram.core.model.bench import FloatingInput
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import SetReference
from wattigram.core.predict.pins import input_extent_v, input_source


@rule("input-beyond-reference", cell="front end")
def input_beyond_reference(workspace: Workspace) -> Iterator[Finding]:
    """Readings stay at full scale or at zero; beyond the supply the pin is in danger."""
    for signal in workspace.project.signals:
        if workspace.wiring(signal.pin) is None or isinstance(
            input_source(workspace, signal.pin), FloatingInput
        ):
            continue  # of a pin that floats it is said that it does
        low_v, high_v = input_extent_v(workspace, signal)
        lowest_v = -workspace.reference_v if signal.negative is not None else 0.0
        if low_v >= lowest_v and high_v <= workspace.reference_v:
            continue
        enough = [
            item
            for item in sorted(workspace.part.references, key=lambda item: item.voltage_v)
            if item.voltage_v >= high_v
            and low_v >= (-item.voltage_v if signal.negative is not None else 0.0)
        ]
        worst = (
            f"rises to {format_volts(high_v)}"
            if high_v > workspace.reference_v
            else f"falls to {format_volts(low_v)}"
        )
        yield Finding(
            "input-beyond-reference",
            "error",
            f"pin {signal.pin}",
            f"{signal.name} leaves the range",
            f"Pin {signal.pin} {worst}; readings end at {format_volts(lowest_v)} and "
            f"{format_volts(workspace.reference_v)}.",
            SetReference(enough[0].name) if enough else None,
            signal=signal.name,
        )


@rule("quantity-ambiguous", cell="front end")
def quantity_ambiguous(workspace: Workspace) -> Iterator[Finding]:
    """The quantity cannot be told from the volts: it turns round, or has no value, within the range."""
    for signal in workspace.project.signals:
        if signal.quantity is None:
            continue
        high_v = signal.at_source(workspace.reference_v)
        low_v = -high_v if signal.negative is not None else 0.0
        if signal.quantity.is_readable(low_v, high_v):
            continue
        yield Finding(
            "quantity-ambiguous",
            "warning",
            signal.name,
            f"{signal.name} has no clear value in {signal.quantity.unit}",
            f"Between {format_volts(low_v)} and {format_volts(high_v)} {signal.quantity.text} does not rise or fall all the "
            "way: bands and extremes in it are not to be trusted there.",
            None,
            signal=signal.name,
        )


@rule("pin-floats", cell="front end")
def pin_floats(workspace: Workspace) -> Iterator[Finding]:
    """The reading wanders, carries mains, and copies the slot before."""
    for signal in workspace.project.signals:
        for pin, side in ((signal.pin, ""), (signal.negative, "The negative pin of ")):
            if pin is None or not isinstance(input_source(workspace, pin), FloatingInput):
                continue
            yield Finding(
                "pin-floats",
                "warning",
                f"pin {pin}",
                f"Nothing drives pin {pin}",
                f"{side}{signal.name} is not connected on the bench: it will wander and pick up "
                "mains.",
                signal=signal.name,
            )
