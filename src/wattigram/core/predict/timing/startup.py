"""The order in which things must be enabled, why, and what another order does."""

from __future__ import annotations

import msgspec

from wattigram.core.model.design.project import Chain, Step
from wattigram.core.model.design.retrieval import Dma
from wattigram.core.model.design.trigger import FollowTrigger, SoftwareTrigger
from wattigram.core.model.design.workspace import Workspace, cached
from wattigram.core.predict.timing.cycle import scan_timing

STEP_NAMES: dict[Step, str] = {
    "calibrate": "calibrate the converter",
    "memory": "enable DMA",
    "interrupt": "enable the interrupt",
    "window": "arm the thresholds",
    "converter": "enable the converter",
    "trigger": "start the trigger",
}


class StartupFault(msgspec.Struct, frozen=True):
    """A step out of place; ``mild`` ones cost the first event at most."""

    step: Step
    sentence: str
    mild: bool = False


class StartupCheck(msgspec.Struct, frozen=True):
    """An order of steps and what comes of it.

    Attributes
    ----------
    calibrated, delivers, interrupts, windows_armed : bool
        The converter is calibrated; its results reach memory; the handler is called; hardware
        windows judge.
    starts : bool
        The first trigger finds the converter enabled.
    faults : tuple of StartUpFault
        What is wrong with the order; empty where it is right.
    """

    order: tuple[Step, ...]
    calibrated: bool
    delivers: bool
    interrupts: bool
    windows_armed: bool
    starts: bool
    faults: tuple[StartupFault, ...]

    @property
    def runs(self) -> bool:
        """Items reach the program."""
        return self.delivers and self.interrupts and self.starts


def right_order(workspace: Workspace, chain: Chain) -> tuple[tuple[Step, str], ...]:
    """Each step that the chain needs, in the right order, with the reason for its place."""
    converter = workspace.converter(chain)
    steps: list[tuple[Step, str]] = []
    if converter.needs_calibration and chain.calibrate:
        steps.append(("calibrate", "Calibration needs a converter that is not yet enabled."))
    if isinstance(chain.readout, Dma):
        steps.append(
            (
                "memory",
                "DMA must wait for the first result: one that nobody fetches stops all requests.",
            )
        )
    if chain.readout.kind != "polling" and chain.read_period_s is None:
        steps.append(
            (
                "interrupt",
                "The ISR must be there at the first event, or what it announces is lost.",
            )
        )
    if _hardware_windows(workspace, chain):
        steps.append(("window", "A threshold that is armed later does not see what came before."))
    steps.append(("converter", "All that takes its results is ready now."))
    if isinstance(chain.trigger, SoftwareTrigger) and chain.trigger.asked:
        pass  # whoever wants a result starts it
    elif isinstance(chain.trigger, FollowTrigger):
        steps.append(
            (
                "trigger",
                f"It comes from {chain.trigger.follows}, which is started when both are enabled.",
            )
        )
    else:
        steps.append(
            ("trigger", "The trigger is last: an earlier one finds a converter that is off.")
        )
    return tuple(steps)


def _hardware_windows(workspace: Workspace, chain: Chain) -> bool:
    signals = (workspace.project.signal(slot.signal) for slot in chain.slots)
    return any(window.done_in == "hardware" for signal in signals for window in signal.thresholds)


@cached
def startup(workspace: Workspace, chain: Chain) -> StartupCheck:
    """The chain's order as designed, and what comes of it."""
    needed = tuple(step for step, _why in right_order(workspace, chain))
    order = (
        needed if chain.startup is None else tuple(step for step in chain.startup if step in needed)
    )
    places = {step: order.index(step) for step in order}

    def early(step: Step, other: Step) -> bool:
        return step in places and other in places and places[step] < places[other]

    faults = [
        StartupFault(step, "is a step that this chain does not have, and does nothing", mild=True)
        for step in chain.startup or ()
        if step not in needed
    ]
    calibrated = delivers = interrupts = windows_armed = starts = True
    if "calibrate" in needed and not early("calibrate", "converter"):
        calibrated = False
        faults.append(
            StartupFault(
                "calibrate",
                "comes after the converter is enabled and does nothing: all readings are offset",
            )
        )
    if "memory" in needed and not early("memory", "converter"):
        delivers = False
        faults.append(
            StartupFault(
                "memory",
                "comes after the converter: its first result is never read out, and memory never "
                "changes",
            )
        )
    if "interrupt" in needed and "interrupt" not in places:
        interrupts = False
        faults.append(
            StartupFault(
                "interrupt", "is missing: the ISR is never called, nothing reaches the program"
            )
        )
    elif "interrupt" in needed and early("trigger", "interrupt"):
        faults.append(
            StartupFault(
                "interrupt", "comes after the trigger: the first event can be lost", mild=True
            )
        )
    if "window" in needed and "window" not in places:
        windows_armed = False
        faults.append(StartupFault("window", "is missing: no crossing is ever noticed"))
    elif "window" in needed and early("trigger", "window"):
        faults.append(
            StartupFault(
                "window",
                "comes after the trigger: a crossing at the very start goes unnoticed",
                mild=True,
            )
        )
    if "converter" not in places:
        starts = False
        faults.append(StartupFault("converter", "is missing: it never converts"))
    if "trigger" not in needed:
        pass
    elif "trigger" not in places:
        starts = False
        faults.append(StartupFault("trigger", "is missing: nothing is ever started"))
    elif not early("converter", "trigger"):
        only_one = scan_timing(workspace, chain).trigger.pace in {"once", "self"}
        starts = starts and not only_one
        rest = (
            "and there is no other: it never starts"
            if only_one
            else "and is lost; the second one starts it"
        )
        faults.append(
            StartupFault("trigger", f"comes while the converter is off, {rest}", mild=not only_one)
        )
    return StartupCheck(
        order, calibrated, delivers, interrupts, windows_armed, starts, tuple(faults)
    )
