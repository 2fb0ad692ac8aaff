"""Rules on voltages: inputs beyond the reference, windows out of place."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.bench import resolve_source, source_extent_v
from wattigram.core.design import Workspace
from wattigram.core.design.edits import SetReference, SetWindow
from wattigram.core.findings.finding import Finding, rule
from wattigram.core.quantity import show_volts


@rule
def input_beyond_reference(workspace: Workspace) -> Iterator[Finding]:
    """Readings stand still at full scale or at zero; beyond the supply the pin is in danger."""
    for signal in workspace.project.signals:
        wiring = workspace.project.wiring(signal.pin)
        if wiring is None:
            continue
        low_v, high_v = source_extent_v(resolve_source(wiring, workspace.project.bench))
        if low_v >= 0 and high_v <= workspace.reference_v:
            continue
        enough = [item for item in workspace.part.references if low_v >= 0 and item.voltage_v >= high_v]
        enough.sort(key=lambda item: item.voltage_v)
        worst = f"rises to {show_volts(high_v)}" if high_v > workspace.reference_v else f"falls to {show_volts(low_v)}"
        yield Finding(
            "input-beyond-reference",
            "error",
            f"pin {signal.pin}",
            f"{signal.name} leaves the range",
            f"Pin {signal.pin} {worst}; readings end at 0 V and {show_volts(workspace.reference_v)}.",
            SetReference(enough[0].name) if enough else None,
            signal=signal.name,
        )


@rule
def window_misplaced(workspace: Workspace) -> Iterator[Finding]:
    """The alarm is always on, or can never come."""
    for signal in workspace.project.signals:
        window = signal.window
        if window is None:
            continue
        highest_v = signal.at_source(workspace.reference_v)
        if window.low_v > window.high_v:
            yield Finding(
                "window-swapped",
                "error",
                f"window of {signal.name}",
                f"The limits of {signal.name} are exchanged",
                f"The lower limit, {show_volts(window.low_v)}, is above the upper one, {show_volts(window.high_v)}.",
                SetWindow(signal.name, window.changed(low_v=window.high_v, high_v=window.low_v)),
                signal=signal.name,
            )
        elif window.low_v < 0 or window.high_v > highest_v:
            low_v, high_v = max(0.0, window.low_v), min(highest_v, window.high_v)
            yield Finding(
                "window-out-of-range",
                "error",
                f"window of {signal.name}",
                f"A limit of {signal.name} can never be reached",
                f"{show_volts(window.low_v)} to {show_volts(window.high_v)} goes beyond what can be read, 0 V to "
                f"{show_volts(highest_v)}.",
                SetWindow(signal.name, window.changed(low_v=low_v, high_v=high_v)) if low_v < high_v else None,
                signal=signal.name,
            )
