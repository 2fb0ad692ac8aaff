"""Windows that the converter judges by itself, as settings."""

from __future__ import annotations

from wattigram.core.design import Chain, Signal, Window, Workspace
from wattigram.core.errors import RegisterError
from wattigram.core.registers.limits import judges_reduced, window_codes
from wattigram.core.registers.map import RegisterMap, Setting


def hardware_windows(workspace: Workspace, chain: Chain) -> list[tuple[Signal, Window]]:
    """Windows of a chain's signals that the converter judges, in the order in which it numbers them."""
    signals = [workspace.project.signal(name) for name in dict.fromkeys(slot.signal for slot in chain.slots)]
    return [(signal, window) for signal in signals for window in signal.windows if window.by == "hardware"]


def judged_settings(workspace: Workspace, registers: RegisterMap, chain: Chain) -> tuple[Setting, ...]:
    """Limits, conditions and actions of a chain's hardware windows."""
    found: list[Setting] = []
    name, converter = chain.converter, workspace.converter(chain)
    for index, (signal, window) in enumerate(hardware_windows(workspace, chain)):
        if window.target_signal is not None:
            raise RegisterError(
                f"{name} cannot hold “{signal.name}” against “{window.target_signal}”: its windows have a fixed target.",
                cure="Let software judge that window.",
            )
        if judges_reduced(signal, window) and signal.reduce is not None and signal.reduce.by == "software":
            raise RegisterError(
                f"{name} cannot judge what software makes of “{signal.name}”.",
                cure="Let software judge that window, or judge raw values.",
            )
        codes = window_codes(workspace, signal, window)
        values: dict[str, int | str | bool] = {
            "window-channel": converter.channel(signal.pin, signal.negative) or 0,
            "window-low": codes.low,
            "window-high": codes.high,
            "window-target": codes.target,
            "window-judges": "reduced" if judges_reduced(signal, window) else "raw",
            "window-condition": window.condition,
            "window-hysteresis": codes.hysteresis,
            "window-times": window.times,
            "window-every": window.when == "every",
            "window-stops": window.action == "stop",
            "window-once": not window.rearm,
            "window-tells": window.enabled,
        }
        for what, value in values.items():
            registers.find(name, what, index)
            found.append(Setting(name, what, value, index))
    return tuple(found)
