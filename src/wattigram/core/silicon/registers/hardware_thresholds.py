"""Windows that the converter judges by itself, as settings."""

from __future__ import annotations

from typing import Literal

from wattigram.core.base.errors import RegisterError
from wattigram.core.model.design import Chain, Signal, Threshold, Watch, Workspace
from wattigram.core.silicon.registers.register_map import RegisterMap, Setting, c_name
from wattigram.core.silicon.registers.threshold_codes import judges_filtered, threshold_codes

NO_WINDOW = -1
"""Stands for the number of a window where the owner is a comparator."""

_ALWAYS = {
    "window-target": 0,
    "window-judges": "raw",
    "window-hysteresis": 0,
    "window-times": 1,
    "window-every": False,
    "window-stops": False,
    "window-once": False,
    "window-tells": True,
}
"""What a threshold does where the part has no field for it."""


def event_count(place: tuple[str, int], what: Literal["began", "ended", "first"]) -> str:
    """Name under which a board's silicon counts what a window or comparator saw.

    Parameters
    ----------
    place : the peripheral, and the number of its window or ``NO_WINDOW``
    what : how often its condition began or ended; or the ticks at which it first began
    """
    owner, index = place
    number = "" if index == NO_WINDOW else f".{index}"
    return f"{what}.{c_name(owner)}{number}"


def watch_place(workspace: Workspace, watch: Watch) -> tuple[str, int] | None:
    """The peripheral that makes a watch, and its window's number; None where software does."""
    if watch.kind == "comparator":
        return watch.comparator, NO_WINDOW
    if watch.kind in {"input", "byte"}:
        return None
    chain = workspace.project.chain_of(watch.signal)
    mine = hardware_watches(workspace, chain) if chain is not None else []
    return (chain.converter, mine.index(watch)) if chain is not None and watch in mine else None


def hardware_watches(workspace: Workspace, chain: Chain) -> list[Watch]:
    """Windows of a chain's signals that the converter judges, in the order in which it numbers
    them."""
    return [
        Watch("window", name, index)
        for name in dict.fromkeys(slot.signal for slot in chain.slots)
        for index, window in enumerate(workspace.project.signal(name).thresholds)
        if window.done_in == "hardware"
    ]


def hardware_thresholds(workspace: Workspace, chain: Chain) -> list[tuple[Signal, Threshold]]:
    """The same, as signals with their windows."""
    project = workspace.project
    return [
        (project.signal(hardware_watch.signal), hardware_watch.window(project))
        for hardware_watch in hardware_watches(workspace, chain)
    ]


def judged_settings(
    workspace: Workspace, registers: RegisterMap, chain: Chain
) -> tuple[Setting, ...]:
    """Limits, conditions and actions of a chain's hardware windows.

    Raises :class:`RegisterError` for a limit that the registers cannot hold.
    """
    settings: list[Setting] = []
    name, converter = chain.converter, workspace.converter(chain)
    for index, (signal, window) in enumerate(hardware_thresholds(workspace, chain)):
        if window.minus_signal is not None:
            raise RegisterError(
                f"{name} cannot hold “{signal.name}” against “{window.minus_signal}”: its "
                "thresholds have a fixed target.",
                cure="Let software judge that threshold.",
            )
        if (
            judges_filtered(signal, window)
            and signal.filter is not None
            and signal.filter.done_in == "software"
        ):
            raise RegisterError(
                f"{name} cannot judge what software makes of “{signal.name}”.",
                cure="Let software judge that threshold, or judge raw values.",
            )
        codes = threshold_codes(workspace, signal, window)
        values: dict[str, int | str | bool] = {
            "window-channel": converter.channel(signal.pin, signal.negative) or 0,
            "window-low": codes.low,
            "window-high": codes.high,
            "window-target": codes.target,
            "window-judges": "filtered" if judges_filtered(signal, window) else "raw",
            "window-condition": window.condition,
            "window-hysteresis": codes.hysteresis,
            "window-times": window.consecutive,
            "window-every": window.on == "every-result",
            "window-stops": window.action == "stop",
            "window-once": not window.rearm,
            "window-tells": window.interrupt_enabled,
        }
        if len(chain.slots) == 1 and not registers.has(name, "window-channel"):
            del values["window-channel"]  # all results are of that one
        for what, value in values.items():
            if _ALWAYS.get(what) == value and not registers.has(name, what):
                continue
            registers.find(name, what, index)
            settings.append(Setting(name, what, value, index))
    return tuple(settings)
