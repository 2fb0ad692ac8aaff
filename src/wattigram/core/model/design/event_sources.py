"""What the board's program works on, in the order in which it numbers it."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

import msgspec

from wattigram.core.model.design.project import Project, Signal
from wattigram.core.model.design.reaction import awaited_bytes, watched_inputs
from wattigram.core.model.design.stage import Threshold


class Watch(msgspec.Struct, frozen=True):
    """Something that makes events: a window of a signal, a twin's limit, a comparator, a port pin, or
    a serial port.

    ``index`` counts a signal's windows from 0. A port pin belongs to no signal; the program looks at
    it every ``look_period_s``. Of a serial port a certain ``byte`` is an event, or each where that is
    None.
    """

    kind: Literal["window", "twin", "comparator", "input", "byte"]
    signal: str
    index: int = 0
    comparator: str = ""
    pin: str = ""
    look_period_s: Fraction = Fraction(0)
    uart: str = ""
    byte: int | None = None

    def window(self, project: Project) -> Threshold:
        """The window that it stands for."""
        return project.signal(self.signal).thresholds[self.index]


def watch_title(project: Project, watch: Watch) -> str:
    """What makes the events, for people."""
    match watch.kind:
        case "comparator":
            return watch.comparator
        case "input":
            return f"pin {watch.pin}"
        case "byte":
            which = "any byte" if watch.byte is None else f"byte 0x{watch.byte:02X}"
            return f"{watch.uart}: {which}"
        case "twin":
            return f"{watch.signal}: twin"
    name = watch.window(project).name
    return f"{watch.signal}: {name}" if name else watch.signal


def tapped_signals(project: Project) -> tuple[Signal, ...]:
    """Signals with something to be done after memory that are converted, in the order of their
    taps."""
    converted = {slot.signal for chain in project.chains for slot in chain.slots}
    leaders = {
        signal.redundant_pair.paired_with
        for signal in project.signals
        if signal.redundant_pair is not None and signal.redundant_pair.tolerance_v
    }
    targets = {window.minus_signal for signal in project.signals for window in signal.thresholds}
    used = {signal for reaction in project.reactions for signal, _input in reaction.readings}
    return tuple(
        signal
        for signal in project.signals
        if (
            signal.later_filter is not None
            or signal.thresholds
            or signal.name in leaders
            or signal.name in targets
            or signal.name in used
            or (signal.redundant_pair is not None and signal.redundant_pair.tolerance_v)
        )
        and signal.name in converted
    )


def tap_index(project: Project, signal: str) -> int | None:
    """Number of a signal's tap on the board."""
    names = [tapped.name for tapped in tapped_signals(project)]
    return names.index(signal) if signal in names else None


def watches(project: Project) -> tuple[Watch, ...]:
    """All that makes events; an event's number is a place in this."""
    watched = []
    for signal in tapped_signals(project):
        watched += [Watch("window", signal.name, index) for index in range(len(signal.thresholds))]
        twin = signal.redundant_pair
        if twin is not None and twin.tolerance_v and project.chain_of(twin.paired_with) is not None:
            watched.append(Watch("twin", signal.name))
    watched += [
        Watch("comparator", item.signal, comparator=item.name) for item in project.comparators
    ]
    watched += [
        Watch("input", "", pin=pin, look_period_s=every_s)
        for pin, every_s in watched_inputs(project.reactions)
    ]
    watched += [
        Watch("byte", "", uart=uart, byte=byte) for uart, byte in awaited_bytes(project.reactions)
    ]
    return tuple(watched)
