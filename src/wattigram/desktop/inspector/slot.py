"""The panel of a slot, or of several."""

from __future__ import annotations

from fractions import Fraction
from functools import partial

from wattigram.core.advise import explanations
from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import format_counts, format_rounded, format_si, parse_quantity
from wattigram.core.model.design import Chain, Signal, Workspace, sampled_alike, signal_scale
from wattigram.core.model.design.edits import Edit, SetSampling, SetSamplings
from wattigram.core.predict.accuracy import signal_noise, slot_settling
from wattigram.core.predict.timing import scan_timing
from wattigram.desktop.inspector.panel_model import Choice, Fact, Field, Panel, WhatIf


def slot_panel(
    workspace: Workspace, chain: Chain, signal: Signal, place: int, places: tuple[int, ...]
) -> Panel:
    """Timing and settling of a slot; with several selected its sampling time is that of all."""
    settling = slot_settling(workspace, chain, place)
    cycle = scan_timing(workspace, chain)
    timing = cycle.slots[place]
    noise = signal_noise(workspace, chain, signal)
    slot = chain.slots[place]
    converter = workspace.converter(chain)
    conversion = f"{float(converter.conversion_cycles(chain.bits)):g}"
    times = f"{timing.repeats} × " if timing.repeats > 1 else ""
    facts = [
        Fact(
            "sampling",
            f"{times}{slot.sampling_cycles} clk · {format_rounded(timing.sampling_s, 's', 3)}",
            why=partial(explanations.sampling, workspace, chain, place),
        ),
        Fact(
            "conversion",
            f"{times}{conversion} clk · {format_rounded(timing.conversion_s, 's', 3)}",
            why=partial(explanations.conversion, workspace, chain),
        ),
        Fact(
            "sampling instant",
            format_rounded(timing.held_s, "s", 6),
            why=partial(explanations.sampling_instant, workspace, chain, place),
        ),
        Fact(
            "source",
            format_si(settling.source_ohm, "Ω"),
            why=partial(explanations.source_resistance, workspace, chain, place),
        ),
    ]
    if settling.external_f:
        capacitor = partial(explanations.pin_capacitor, workspace, chain, place)
        facts.append(Fact("capacitor", format_si(settling.external_f, "F"), why=capacitor))
    if settling.needed_s is None:
        facts.append(Fact("settling time", "longer than a scan", False))
    else:
        facts.append(
            Fact(
                "settling time",
                format_rounded(settling.needed_s, "s", 3),
                settling.sampling_s >= settling.needed_s,
                partial(explanations.settling_time, workspace, chain, place),
            )
        )
    facts += [
        Fact(
            "full-scale step",
            format_counts(settling.full_scale_error_lsb),
            settling.adequate,
            partial(explanations.step_left, workspace, chain, place),
        ),
        Fact(
            "as wired",
            format_counts(settling.wired_error_lsb),
            settling.wired_error_lsb <= 0.5,
            partial(explanations.wired_left, workspace, chain, place),
        ),
        Fact(
            "1 LSB",
            format_rounded(signal_scale(workspace, chain, signal.name).lsb_v, "V", 4),
            why=partial(explanations.count_volts, workspace, chain, signal),
        ),
        Fact(
            "noise expected",
            f"{noise.raw_lsb:.2f} LSB rms",
            why=partial(explanations.raw_noise, workspace, chain, signal),
        ),
        Fact(
            "rate",
            f"{format_si(timing.rate_hz, 'Hz', 5)}" if timing.rate_hz else "one-shot",
            why=partial(explanations.signal_rate, workspace, chain, place)
            if timing.rate_hz
            else None,
        ),
    ]
    changed = sorted(
        {
            other
            for one in places
            for other in sampled_alike(workspace.project, workspace.part, chain, one)
        }
    )

    def edit_for(cycles: float) -> Edit:
        if len(changed) > 1:
            return SetSamplings(chain.converter, cycles, tuple(changed))
        return SetSampling(chain.converter, place, cycles, signal.name)

    def sampling(text: str) -> Edit:
        cycles = parse_quantity(text, "clk")
        legal = {Fraction(one): one for one in converter.sampling_cycles}
        if cycles not in legal:
            raise QuantityError(
                f"{converter.name} cannot sample for “{text}”.", cure="Choose one of the list."
            )
        return edit_for(legal[cycles])

    has_period = cycle.trigger.pace == "pattern"
    choices = []
    for cycles in sorted(converter.sampling_cycles):
        what = slot_settling(workspace, chain, place, cycles)
        added_s = sum(
            cycle.slots[one].repeats
            * (Fraction(cycles) - chain.slots[one].sampling)
            / cycle.clock_hz
            for one in changed
        )
        fits = not has_period or added_s <= cycle.slack_s
        tip = (
            f"{cycles} clk, {format_rounded(what.sampling_s, 's', 3)}: "
            f"settling error {format_counts(what.full_scale_error_lsb)} of a full-scale step"
        )
        if not fits:
            tip += ", and the scan no longer fits its period"
        elif not has_period:
            tip += f", {format_si(1 / (cycle.cycle_s + added_s), 'Hz', 4)}"
        choices.append(
            Choice(
                str(cycles),
                what.full_scale_error_lsb,
                what.adequate and fits,
                cycles == slot.sampling_cycles,
                tip,
                edit_for(cycles),
            )
        )
    options = tuple(f"{cycles:g} clk" for cycles in sorted(converter.sampling_cycles))
    label = _sampling_label(chain, places, changed)
    title = (
        f"Slot {place + 1} · {signal.name}"
        if len(places) == 1
        else f"{len(places)} slots of {chain.converter}"
    )
    return Panel(
        title,
        tuple(facts),
        (Field(label, f"{slot.sampling_cycles:g} clk", sampling, options),),
        WhatIf("If sampling were · settling error", tuple(choices), 0.5, "½ LSB"),
    )


def _sampling_label(chain: Chain, places: tuple[int, ...], changed: list[int]) -> str:
    """Which slots have the sampling time that is shown."""
    if len(changed) == 1:
        return "sampling"
    if len(changed) in {len(chain.slots), len(places)}:
        return "sampling of all"
    return f"sampling of slots {', '.join(str(place + 1) for place in changed)}"
