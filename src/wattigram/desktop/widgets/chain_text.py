"""The words and figures in the rows of the Chain page."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from wattigram.core.accuracy import signal_noise
from wattigram.core.design import Chain, FollowTrigger, Signal, Workspace, tap_index
from wattigram.core.fields import ratio_text
from wattigram.core.quantity import brief, show, show_volts
from wattigram.core.session import Snapshot
from wattigram.core.timing import cycle_timing, loop_timing
from wattigram.desktop.theme import color, signal_color, theme

PLACES_SHOWN = 2
SOURCES = {"level": "level", "sine": "sine", "ramp": "ramp", "steps": "steps", "floating": "nothing", "follow": "as"}


def yoke(workspace: Workspace, chain: Chain) -> tuple[str, str, str]:
    """Name, what is shared, and the loop."""
    cycle = cycle_timing(workspace, chain)
    loop = loop_timing(workspace, chain)
    if isinstance(chain.trigger, FollowTrigger):
        trigger = f"with {chain.trigger.follows}"
    else:
        trigger = f"{chain.trigger.timer} every {brief(cycle.period_s, 's', 6)}"
    count = len(chain.slots)
    slots = f"{count} slot{'s' if count > 1 else ''} in {show(cycle.busy_s, 's', 3)}"
    if cycle.slack_s < 0:
        slack = f"too long by {show(-cycle.slack_s, 's', 3)}"
    else:
        slack = f"slack {float(cycle.slack_s / cycle.period_s) * 100:.1f} %"
    clock = f"{brief(cycle.clock_hz, 'Hz')}, {chain.bits} bit"
    right = f"{loop.name} · {loop.items} × u{chain.loop.width_bits} · half every {show(loop.half_s, 's', 3)}"
    return chain.converter, f"{trigger}   {slots}   {slack}   {clock}", right


def cells(
    workspace: Workspace, chain: Chain | None, signal: Signal, place: int, snapshot: Snapshot
) -> dict[str, tuple[str, ...]]:
    """Lines of each cell that does not move with the stream."""
    return {
        "front end": _front_end(workspace, signal),
        "sample": _sample(workspace, chain, place),
        "move": _move(chain, place),
        "reduce": _reduce(workspace, chain, signal),
        "window": _window(workspace, signal, snapshot),
    }


def signal_lines(workspace: Workspace, chain: Chain | None, signal: Signal, snapshot: Snapshot) -> tuple[str, ...]:
    """Name, pin and newest reading."""
    return (signal.name, _pin(workspace, chain, signal), _reading(signal, snapshot))


def _pin(workspace: Workspace, chain: Chain | None, signal: Signal) -> str:
    channel = workspace.converter(chain).channels.get(signal.pin) if chain is not None else None
    return f"pin {signal.pin}" + (f" · channel {channel}" if channel is not None else "")


def _reading(signal: Signal, snapshot: Snapshot) -> str:
    picture = snapshot.pictures.get(signal.name)
    if picture is None or not math.isfinite(picture.reading_v):
        return "– V"
    return show_volts(picture.reading_v)


def _front_end(workspace: Workspace, signal: Signal) -> tuple[str, ...]:
    wiring = workspace.project.wiring(signal.pin)
    factor = f"   {ratio_text(signal.front_end)}" if signal.front_end != 1 else ""
    if wiring is None:
        return (f"not wired{factor}", "click to wire")
    if wiring.source.kind == "floating":
        return (f"not connected{factor}", wiring.label)
    extra = f" · {brief(wiring.capacitor_f, 'F')}" if wiring.capacitor_f else ""
    source = SOURCES[wiring.source.kind]
    if wiring.source.kind == "follow":
        source = f"same as {wiring.source.pin}"
    return (brief(wiring.resistance_ohm, "Ω") + extra, source + factor, wiring.label)


def _sample(workspace: Workspace, chain: Chain | None, place: int) -> tuple[str, ...]:
    if chain is None:
        return ("no slot",)
    timing = cycle_timing(workspace, chain).slots[place]
    slot = chain.slots[place]
    return (f"slot {place + 1}", f"{slot.sampling_cycles} cyc · {brief(timing.sampling_s, 's', 3)}")


def _move(chain: Chain | None, place: int) -> tuple[str, ...]:
    if chain is None:
        return ("–",)
    slots = len(chain.slots)
    places = [place + lap * slots for lap in range(PLACES_SHOWN) if place + lap * slots < chain.loop.items]
    dots = " …" if chain.loop.items > PLACES_SHOWN * slots else ""
    return (" ".join(f"[{number}]" for number in places) + dots, chain.loop.name, chain.loop.dma)


def _reduce(workspace: Workspace, chain: Chain | None, signal: Signal) -> tuple[str, ...]:
    if chain is None:
        return ("–",)
    cycle = cycle_timing(workspace, chain)
    rate = cycle.cycle_rate_hz * len(chain.places_of(signal.name))
    noise = signal_noise(workspace, chain, signal)
    if signal.reduce is None:
        return ("none", brief(rate, "S/s", 5), f"{noise.raw_lsb:.2f} LSB")
    reduced = brief(rate / signal.reduce.count, "S/s", 5)
    return (f"mean of {signal.reduce.count}", reduced, f"{noise.reduced_lsb:.2f} LSB")


def _window(workspace: Workspace, signal: Signal, snapshot: Snapshot) -> tuple[str, ...]:
    if signal.window is None:
        return ("twin of", signal.twin_of) if signal.twin_of else ("–",)
    window = signal.window
    index = tap_index(workspace.project, signal.name)
    mine = [event for event in snapshot.events if event[0] == index]
    limits = {"above": f"above {window.high_v:g} V", "below": f"below {window.low_v:g} V"}.get(
        window.condition, f"{window.low_v:g} – {window.high_v:g} V"
    )
    condition = f"{window.condition} → event" if window.condition in {"inside", "outside"} else "→ event"
    if not mine:
        return (limits, condition, "no event yet" if snapshot.state == "running" else "")
    return (limits, condition, f"{len(mine)} event{'s' if len(mine) > 1 else ''}{', now' if mine[-1][1] else ''}")


def slot_shares(workspace: Workspace, chain: Chain, place: int) -> tuple[float, float]:
    """(sampling, sampling + conversion) of a slot as shares of the converter's longest slot."""
    slots = cycle_timing(workspace, chain).slots
    longest = max(slot.end_s - slot.start_s for slot in slots)
    mine = slots[place]
    return float(mine.sampling_s / longest), float((mine.end_s - mine.start_s) / longest)


def paint_slot(painter: QPainter, bar: QRectF, filled_share: float, index: int, width: float = 1.2) -> None:
    """A slot: its filled part is sampling, its open part conversion."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(color(theme().card))
    painter.drawRect(bar)
    painter.setBrush(signal_color(index))
    painter.drawRect(QRectF(bar.left(), bar.top(), bar.width() * filled_share, bar.height()))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(signal_color(index), width))
    painter.drawRect(bar)
    painter.restore()
