"""The words and figures in the rows of the Chain page."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from wattigram.core.base.fields import ratio_text
from wattigram.core.base.quantity import format_percent, format_rounded, format_si, format_volts
from wattigram.core.capture.session import Snapshot
from wattigram.core.model.design import (
    Chain,
    Code,
    ComparatorTrigger,
    EdgeTrigger,
    FollowTrigger,
    LowPassFilter,
    Signal,
    SoftwareTrigger,
    Threshold,
    ThresholdTrigger,
    TimerTrigger,
    Watch,
    Workspace,
    limit_text,
    rate_divisor,
)
from wattigram.core.predict.accuracy import signal_noise
from wattigram.core.predict.timing import ScanTiming, buffer_timing, retrieval_timing, scan_timing
from wattigram.desktop.theme import color, signal_color, theme

PLACES_SHOWN = 2
STAGES = {"sum": "sum of", "block-average": "average", "moving-average": "moving"}
SOURCES = {
    "floating": "nothing",
    "follow": "as",
    "tied": "tied to",
    "supply": "bench supply",
    "dc": "DC",
    "swept-sine": "swept sine",
    "jumper": "jumper from",
    "serial": "bytes",
}
"""Where a source is called otherwise than in a file."""


def counted(workspace: Workspace, chain: Chain, snapshot: Snapshot) -> str:
    """What a board has missed and lost so far, as it counts itself; "" where that is nothing."""
    stream = workspace.project.chains.index(chain)
    words = {"missed": "triggers missed", "lost": "results lost"}
    counts = [(snapshot.totals.get(f"{key}.{stream}", 0), text) for key, text in words.items()]
    return ", ".join(f"{count} {text}" for count, text in counts if count)


def yoke(workspace: Workspace, chain: Chain) -> tuple[str, str, str]:
    """Name, what is shared, and how results leave."""
    cycle = scan_timing(workspace, chain)
    loop = buffer_timing(workspace, chain)
    timing = retrieval_timing(workspace, chain)
    count = len(chain.slots)
    slots = f"{count} slot{'s' if count > 1 else ''} in {format_rounded(cycle.busy_s, 's', 3)}"
    clock = f"{format_si(cycle.clock_hz, 'Hz')}{' internal' if chain.clock == 'internal' else ''}, {chain.bits} bit"
    told = (
        f"half full every {format_rounded(loop.half_s, 's', 3)}"
        if loop.read_period_s is None
        else f"newest read every {format_rounded(loop.read_period_s, 's', 3)}"
    )
    right = f"{loop.name} · {loop.items} × u{chain.buffer.element_bits} · {told}"
    if chain.readout.kind != "dma":
        right = f"{chain.readout.kind} · {loop.items} × u{chain.buffer.element_bits} · {format_percent(timing.cpu_share, 2)} CPU"
    if timing.lost_hz:
        right = f"{format_si(timing.lost_hz, 'S/s', 3)} lost · {right}"
    return (
        chain.converter,
        "   ".join((trigger_text(workspace, chain), slots, _slack(cycle), clock)),
        right,
    )


def trigger_text(workspace: Workspace, chain: Chain) -> str:
    """What starts the chain, in a few words."""
    cycle = scan_timing(workspace, chain)
    trigger = chain.trigger
    endless = " once, then continuous" if chain.per_trigger == "continuous" else ""
    match trigger:
        case FollowTrigger():
            text = f"with {trigger.follows}"
        case TimerTrigger():
            text = (
                f"{trigger.timer}{endless}"
                if endless
                else f"{trigger.timer} every {format_si(cycle.period_s, 's', 6)}"
            )
        case EdgeTrigger():
            text = f"{trigger.edge} edge of {trigger.pin}{endless}"
        case ComparatorTrigger():
            text = f"{trigger.comparator}, {trigger.edge}{endless}"
        case ThresholdTrigger():
            text = f"threshold of {trigger.signal}{endless}"
        case SoftwareTrigger():
            text = (
                "software, one-shot" if not trigger.repeat and not endless else f"software{endless}"
            )
            if trigger.period_s is not None:
                text = f"software, every {format_si(trigger.period_s, 's', 6)}"
            if trigger.asked:
                text = "software, by a reaction"
        case _:
            text = "free-running"
    if chain.per_trigger == "conversion" and len(chain.slots) > 1:
        text += ", one slot each"
    return text


def _slack(cycle: ScanTiming) -> str:
    if cycle.items_limit is not None:
        return f"{cycle.items_limit} sample{'s' if cycle.items_limit != 1 else ''} only"
    if cycle.trigger.pace == "self":
        jitter = f" ± {format_rounded(cycle.jitter_s / 2, 's', 2)}" if cycle.jitter_s else ""
        return f"{format_si(cycle.cycle_rate_hz, 'Hz', 4)}{jitter}"
    if cycle.missed_hz:
        return f"{format_percent(cycle.missed_hz / cycle.trigger.rate_hz)} missed"
    return f"slack {float(cycle.slack_s / cycle.period_s) * 100:.1f} %"


def cells(
    workspace: Workspace, chain: Chain | None, signal: Signal, place: int, snapshot: Snapshot
) -> dict[str, tuple[str, ...]]:
    """Lines of each cell that does not move with the stream."""
    return {
        "front end": _front_end(workspace, signal),
        "sample": _sample(workspace, chain, place),
        "transfer": _move(chain, place),
        "filter": _reduce(workspace, chain, signal),
        "thresholds": _window(workspace, signal, snapshot),
    }


def signal_lines(
    workspace: Workspace, chain: Chain | None, signal: Signal, snapshot: Snapshot
) -> tuple[str, ...]:
    """Name, pin and newest reading."""
    return (signal.name, _pin(workspace, chain, signal), _reading(signal, snapshot))


def _pin(workspace: Workspace, chain: Chain | None, signal: Signal) -> str:
    channel = (
        workspace.converter(chain).channel(signal.pin, signal.negative)
        if chain is not None
        else None
    )
    where = signal.pin if signal.negative is None else f"{signal.pin} − {signal.negative}"
    is_pin = signal.pin[0].isupper()
    return f"{'pin ' if is_pin else ''}{where}" + (
        f" · channel {channel}" if channel is not None else ""
    )


def _reading(signal: Signal, snapshot: Snapshot) -> str:
    picture = snapshot.pictures.get(signal.name)
    if picture is None or not math.isfinite(picture.reading_v):
        return "– V"
    return format_volts(picture.reading_v)


def _front_end(workspace: Workspace, signal: Signal) -> tuple[str, ...]:
    wiring = workspace.wiring(signal.pin)
    factor = f"   {ratio_text(signal.scaling)}" if signal.scaling != 1 else ""
    if wiring is None:
        return (f"not wired{factor}", "click to wire")
    if wiring.source.kind == "floating":
        return (f"floating{factor}", wiring.label)
    extra = f" · {format_si(wiring.capacitor_f, 'F')}" if wiring.capacitor_f else ""
    source = SOURCES.get(wiring.source.kind, wiring.source.kind)
    if wiring.source.kind == "follow":
        source = f"same as {wiring.source.pin}"
    elif wiring.source.kind in {"jumper", "tied"}:
        source += f" {wiring.source.pin if wiring.source.kind == 'jumper' else wiring.source.to}"
    return (format_si(wiring.source_resistance_ohm, "Ω") + extra, source + factor, wiring.label)


def _sample(workspace: Workspace, chain: Chain | None, place: int) -> tuple[str, ...]:
    if chain is None:
        return ("no slot",)
    timing = scan_timing(workspace, chain).slots[place]
    slot = chain.slots[place]
    times = f"{timing.repeats} × " if timing.repeats > 1 else ""
    return (
        f"slot {place + 1}",
        f"{times}{slot.sampling_cycles} clk · {format_si(timing.sampling_s, 's', 3)}",
    )


def _move(chain: Chain | None, place: int) -> tuple[str, ...]:
    if chain is None:
        return ("–",)
    slots = len(chain.slots)
    places = [
        place + lap * slots
        for lap in range(PLACES_SHOWN)
        if place + lap * slots < chain.buffer.samples
    ]
    dots = " …" if chain.buffer.samples > PLACES_SHOWN * slots else ""
    retrieval = chain.readout
    how = {
        "dma": chain.dma or "",
        "fifo": f"FIFO, watermark {retrieval.watermark}" if retrieval.kind == "fifo" else "",
        "interrupt": f"interrupt/{retrieval.per}" if retrieval.kind == "interrupt" else "",
        "polling": "polled",
    }[retrieval.kind]
    return (" ".join(f"[{number}]" for number in places) + dots, chain.buffer.name, how)


def _reduce(workspace: Workspace, chain: Chain | None, signal: Signal) -> tuple[str, ...]:
    if chain is None:
        return ("–",)
    slot = scan_timing(workspace, chain).slots[chain.places_of(signal.name)[0]]
    noise = signal_noise(workspace, chain, signal)
    stage = signal.filter
    if stage is None:
        return ("none", format_si(slot.rate_hz, "S/s", 5), f"{noise.raw_lsb:.2f} LSB")
    reduced = format_si(slot.rate_hz / rate_divisor(signal.later_filter), "S/s", 5)
    name = "low-pass" if isinstance(stage, LowPassFilter) else f"{STAGES[stage.kind]} {stage.count}"
    detail = f" · shift {stage.shift}" if isinstance(stage, LowPassFilter) else ""
    where = " · in ADC" if stage.done_in == "hardware" else ""
    return (name, f"{reduced}{detail}", f"{noise.reduced_lsb:.2f} LSB{where}")


def _window(workspace: Workspace, signal: Signal, snapshot: Snapshot) -> tuple[str, ...]:
    """Limits of the windows, the twin, or the comparator, with what they told last."""
    numbers = {
        number: watch
        for number, watch in enumerate(workspace.watches)
        if watch.signal == signal.name
    }
    mine = [event for event in snapshot.events if event[0] in numbers]
    lines = _judges(workspace, signal)
    if not lines:
        return ("–",)
    waits = snapshot.state == "running" and bool(numbers)
    state = _newest(mine, numbers, signal) if mine else "no event yet" * waits
    return (*lines[:2], state) if state else tuple(lines[:3])


def _judges(workspace: Workspace, signal: Signal) -> list[str]:
    """What judges the signal: one window in full, several by name, then twin and comparator."""
    lines: list[str] = []
    if len(signal.thresholds) == 1:
        window = signal.thresholds[0]
        limits = _limits(window)
        lines = [window.name, limits] if window.name else [limits]
        sided = window.condition in {"inside", "outside"}
        lines.append(f"{window.condition} → {_action(window)}" if sided else f"→ {_action(window)}")
    elif signal.thresholds:
        lines = [
            " · ".join(
                window.name or str(number)
                for number, window in enumerate(signal.thresholds, start=1)
            )
        ]
        lines.append(f"{len(signal.thresholds)} thresholds")
    if signal.redundant_pair is not None:
        limit = (
            f"within {format_si(signal.redundant_pair.tolerance_v, 'V')}"
            if signal.redundant_pair.tolerance_v
            else ""
        )
        lines += [
            text for text in (f"paired with {signal.redundant_pair.paired_with}", limit) if text
        ]
    lines += [
        f"{item.name} {item.threshold_v:.4g} V"
        for item in workspace.project.comparators
        if item.signal == signal.name
    ]
    return lines


def _newest(
    mine: list[tuple[int, bool, int, int]], numbers: dict[int, Watch], signal: Signal
) -> str:
    """Which zone it is in, where windows have names; else how many events came."""
    inside: dict[int, bool] = {}
    for number, entered, _value, _ticks in mine:
        inside[number] = entered
    zones = [
        signal.thresholds[watch.index].name
        for number, watch in numbers.items()
        if watch.kind == "window" and inside.get(number) and signal.thresholds[watch.index].name
    ]
    if any(window.name for window in signal.thresholds) and len(signal.thresholds) > 1:
        return "now " + (", ".join(zones) if zones else "between")
    return f"{len(mine)} event{'s' if len(mine) > 1 else ''}{', now' if mine[-1][1] else ''}"


def _action(window: Threshold) -> str:
    return {"event": "event", "stop": "stop"}[window.action]


def _limits(window: Threshold) -> str:
    """Limits as they are compared."""
    in_codes = isinstance(window.low, Code) or isinstance(window.high, Code)
    low, high = (
        limit_text(value) if in_codes else f"{value:g}" for value in (window.low, window.high)
    )
    limits = {"above": f"above {high}", "below": f"below {low}"}.get(
        window.condition, f"{low} – {high}"
    )
    return f"{limits}{'' if in_codes else ' V'}"


def slot_shares(workspace: Workspace, chain: Chain, place: int) -> tuple[float, float]:
    """(sampling, sampling + conversion) of a slot as shares of the converter's longest slot."""
    cycle = scan_timing(workspace, chain)
    start_s, end_s, sampling_s = cycle.slots[place].drawn_s
    return sampling_s / cycle.longest_slot_s, (end_s - start_s) / cycle.longest_slot_s


def paint_slot(
    painter: QPainter, bar: QRectF, filled_share: float, index: int, width: float = 1.2
) -> None:
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
