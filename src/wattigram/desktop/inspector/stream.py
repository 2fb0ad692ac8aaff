"""The panel of a stream: what is expected of it, and how wide its band is."""

from __future__ import annotations

from functools import partial

from wattigram.core.advise import explanations
from wattigram.core.base.quantity import format_counts, format_rounded, format_si, format_volts
from wattigram.core.model.design import Chain, Signal, Workspace, read_quantity, signal_scale
from wattigram.core.model.design.edits import SetQuantity
from wattigram.core.predict.accuracy import signal_noise
from wattigram.core.predict.expected import band_half_width_v
from wattigram.core.predict.pins import input_extent_v, set_while_running
from wattigram.core.predict.timing import scan_timing
from wattigram.desktop.inspector.panel_model import Fact, Field, Panel


def stream_panel(workspace: Workspace, chain: Chain, signal: Signal) -> Panel:
    """What a signal's stream should show, and by how much it may be off."""
    return Panel(
        f"Stream · {signal.name}",
        tuple(_facts(workspace, chain, signal)),
        (quantity_field(signal),),
    )


def quantity_field(signal: Signal) -> Field:
    """What the signal's volts stand for."""
    return Field(
        "quantity",
        signal.quantity.text if signal.quantity is not None else "",
        lambda text: SetQuantity(signal.name, read_quantity(text)),
        hint="°C: 0.5 V = 0, 2.5 V = 200",
    )


def _facts(workspace: Workspace, chain: Chain, signal: Signal) -> list[Fact]:
    place = chain.places_of(signal.name)[0]
    timing = scan_timing(workspace, chain).slots[place]
    facts = [
        Fact(
            "rate",
            format_si(timing.rate_hz, "Hz", 5) if timing.rate_hz else "one-shot",
            why=partial(explanations.signal_rate, workspace, chain, place)
            if timing.rate_hz
            else None,
        ),
        Fact(
            "sampling instant",
            format_rounded(timing.held_s, "s", 6),
            why=partial(explanations.sampling_instant, workspace, chain, place),
        ),
    ]
    source = set_while_running(workspace, signal)
    if source:
        facts.append(Fact("expected", f"as {source} is set while it runs"))
    else:
        low_v, high_v = (signal.at_source(volts) for volts in input_extent_v(workspace, signal))
        facts.append(
            Fact(
                "expected",
                f"{format_volts(low_v)} to {format_volts(high_v)}",
                why=partial(explanations.wired_extent, workspace, chain, signal),
            )
        )
    stages = [("band", False)]
    if signal.later_filter is not None:
        stages.append(("band, filtered", True))
    count_v = signal_scale(workspace, chain, signal.name).lsb_v / float(signal.scaling)
    for label, filtered in stages:
        half_v = band_half_width_v(workspace, chain, signal.name, reduced=filtered)
        facts.append(
            Fact(
                label,
                f"± {format_rounded(half_v, 'V', 3)} · {format_counts(half_v / count_v)}",
                why=partial(explanations.band, workspace, chain, signal, filtered=filtered),
            )
        )
    facts.append(
        Fact(
            "noise expected",
            f"{signal_noise(workspace, chain, signal).raw_lsb:.2f} LSB rms",
            why=partial(explanations.raw_noise, workspace, chain, signal),
        )
    )
    return facts
