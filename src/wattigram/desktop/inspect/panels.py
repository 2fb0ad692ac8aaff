"""A panel for each kind of selection."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

from wattigram.core.accuracy import (
    chain_scale,
    signal_noise,
    slot_settling,
)
from wattigram.core.design import Chain, FollowTrigger, Signal, Workspace
from wattigram.core.design.edits import (
    Edit,
    RenameSignal,
    SetAlignment,
    SetBits,
    SetBusClock,
    SetCalibration,
    SetDivider,
    SetFrontEnd,
    SetItemWidth,
    SetLoopItems,
    SetPeriod,
    SetPin,
    SetReference,
    SetSampling,
)
from wattigram.core.errors import QuantityError
from wattigram.core.fields import period_text, ratio_text, read_every, read_ratio
from wattigram.core.quantity import brief, parse_quantity, show, show_counts, show_volts
from wattigram.core.timing import chain_timer, cycle_timing, loop_timing
from wattigram.desktop.inspect.bench import bench_panel
from wattigram.desktop.inspect.model import Choice, Fact, Field, Panel, WhatIf
from wattigram.desktop.inspect.stages import reduce_panel, whole_number, window_panel
from wattigram.desktop.selection import Selection


def panel_for(workspace: Workspace, selection: Selection) -> Panel:
    """The panel of a selection."""
    project = workspace.project
    chain = project.chain(selection.converter)
    if not selection.signal:
        return _chain_panel(workspace, chain) if chain is not None else _project_panel(workspace)
    signal = project.signal(selection.signal)
    if selection.facet == "front end":
        return bench_panel(workspace, signal)
    if selection.facet == "signal" or chain is None:
        return _signal_panel(workspace, chain, signal)
    builders: dict[str, Callable[[], Panel]] = {
        "sample": lambda: _slot_panel(workspace, chain, signal, selection.place),
        "move": lambda: _loop_panel(workspace, chain),
        "reduce": lambda: reduce_panel(workspace, chain, signal),
        "window": lambda: window_panel(workspace, signal),
        "stream": lambda: _slot_panel(workspace, chain, signal, selection.place),
    }
    return builders[selection.facet]()


def _project_panel(workspace: Workspace) -> Panel:
    project, part = workspace.project, workspace.part

    def clock(text: str) -> Edit:
        wanted_hz = parse_quantity(text, "Hz")
        return SetBusClock(None if wanted_hz == part.processor.clock_hz else wanted_hz)

    references = tuple(item.name for item in part.references)
    return Panel(
        f"{project.name} on {part.name}",
        (
            Fact("signals", str(len(project.signals))),
            Fact("chains", str(len(project.chains))),
            Fact("full scale", show_volts(workspace.reference_v)),
            Fact("build mark", workspace.build_mark),
        ),
        (
            Field("bus clock", brief(workspace.bus_clock_hz, "Hz", 9), clock, hint="such as 96 MHz"),
            Field("reference", project.reference, SetReference, references),
        ),
    )


def _slot_panel(workspace: Workspace, chain: Chain, signal: Signal, place: int) -> Panel:
    settling = slot_settling(workspace, chain, place)
    cycle = cycle_timing(workspace, chain)
    timing = cycle.slots[place]
    noise = signal_noise(workspace, chain, signal)
    slot = chain.slots[place]
    converter = workspace.converter(chain)
    conversion = converter.conversion_cycles(chain.bits)
    facts = [
        Fact("sampling", f"{slot.sampling_cycles} cyc · {show(timing.sampling_s, 's', 3)}"),
        Fact("conversion", f"{conversion} cyc · {show(timing.conversion_s, 's', 3)}"),
        Fact("held after", show(timing.held_s, "s", 6)),
        Fact("source", brief(settling.source_ohm, "Ω")),
    ]
    if settling.needed_s is None:
        facts.append(Fact("charge sharing", show_counts(settling.sharing * (1 << chain.bits))))
        facts.append(Fact("mean shift", show_counts(settling.mean_shift * (1 << chain.bits))))
    else:
        facts.append(Fact("settled after", show(settling.needed_s, "s", 3), settling.sampling_s >= settling.needed_s))
    facts += [
        Fact("full-scale step", show_counts(settling.full_scale_error_lsb), settling.adequate),
        Fact("as wired", show_counts(settling.wired_error_lsb), settling.wired_error_lsb <= 0.5),
        Fact("1 LSB", show(chain_scale(workspace, chain).lsb_v, "V", 4)),
        Fact("noise expected", f"{noise.raw_lsb:.2f} LSB rms"),
        Fact("rate", f"{brief(timing.rate_hz, 'Hz', 5)}"),
    ]

    def sampling(text: str) -> Edit:
        cycles = parse_quantity(text, "cyc")
        if cycles.denominator != 1:
            raise QuantityError(f"“{text}” is no whole number of cycles.", cure="Choose one of the list.")
        return SetSampling(chain.converter, place, int(cycles), signal.name)

    choices = []
    for cycles in sorted(converter.sampling_cycles):
        what = slot_settling(workspace, chain, place, cycles)
        added_s = (cycles - slot.sampling_cycles) / cycle.clock_hz
        fits = added_s <= cycle.slack_s
        tip = f"{cycles} cyc, {show(what.sampling_s, 's', 3)}: {show_counts(what.full_scale_error_lsb)} left of a full-scale step"
        if not fits:
            tip += ", and the cycle no longer fits its period"
        choices.append(
            Choice(
                str(cycles),
                what.full_scale_error_lsb,
                what.adequate and fits,
                cycles == slot.sampling_cycles,
                tip,
                SetSampling(chain.converter, place, cycles, signal.name),
            )
        )
    options = tuple(f"{cycles} cyc" for cycles in sorted(converter.sampling_cycles))
    return Panel(
        f"Slot {place + 1} · {signal.name}",
        tuple(facts),
        (Field("sampling", f"{slot.sampling_cycles} cyc", sampling, options),),
        WhatIf("If sampling were · LSB left", tuple(choices), 0.5, "½ LSB"),
    )


def _signal_panel(workspace: Workspace, chain: Chain | None, signal: Signal) -> Panel:
    project = workspace.project
    converters = [workspace.converter(chain)] if chain else list(workspace.part.converters)
    pins = tuple(dict.fromkeys(pin for converter in converters for pin in converter.channels))
    if signal.pin not in pins:
        pins = (signal.pin, *pins)
    facts = []
    if chain is not None:
        scale = chain_scale(workspace, chain)
        gain = float(signal.front_end)
        facts = [
            Fact("converter", chain.converter),
            Fact("channel", str(workspace.converter(chain).channels.get(signal.pin, "none"))),
            Fact("range", f"0 to {show_volts(workspace.reference_v / gain)}"),
            Fact("1 LSB", show(scale.lsb_v / gain, "V", 4)),
        ]
    taken = [other.name for other in project.signals if other.pin == signal.pin and other is not signal]
    if taken:
        facts.append(Fact("pin shared with", ", ".join(taken), False))
    return Panel(
        signal.name,
        tuple(facts),
        (
            Field("name", signal.name, lambda text: RenameSignal(signal.name, text.strip()), hint="any name"),
            Field("pin", signal.pin, lambda text: SetPin(signal.name, text), pins),
            Field(
                "front end",
                ratio_text(signal.front_end),
                lambda text: SetFrontEnd(signal.name, read_ratio(text)),
                hint="÷ 2 or × 120",
            ),
        ),
    )


def _loop_panel(workspace: Workspace, chain: Chain) -> Panel:
    loop = loop_timing(workspace, chain)
    dma = workspace.part.dma_channel(chain.loop.dma)
    slots = len(chain.slots)

    def items(text: str) -> Edit:
        return SetLoopItems(chain.converter, whole_number(text, "items"))

    facts = (
        Fact("bytes", str(loop.bytes)),
        Fact("lap", show(loop.lap_s, "s", 4)),
        Fact("half, deadline", show(loop.half_s, "s", 4)),
        Fact("cycles a lap", f"{loop.items / slots:g}", loop.in_step),
        Fact("halves in step", "yes" if loop.halves_in_step else "no", loop.halves_in_step),
        Fact("handler", f"{loop.load.cycles} cyc · {float(loop.load.share) * 100:.2g} % CPU", loop.load.share <= 1),
    )
    highest = dma.items_max if dma else 1 << 16
    lengths = [2 * slots * (1 << power) for power in range(1, 12) if 2 * slots * (1 << power) <= highest][-9:]
    if chain.loop.items not in lengths:
        lengths = sorted([*lengths, chain.loop.items])
    choices = []
    for length in lengths:
        half_s = loop.half_s * Fraction(length, loop.items)
        share = loop.load.share * Fraction(loop.items, length)
        choices.append(
            Choice(
                str(length),
                float(half_s),
                length % (2 * slots) == 0 and share <= 1,
                length == chain.loop.items,
                f"{length} items: {show(half_s, 's', 3)} to serve a half, {float(share) * 100:.2g} % CPU",
                SetLoopItems(chain.converter, length),
            )
        )
    widths = tuple(str(width) for width in (dma.widths if dma else (16,)))
    return Panel(
        f"{chain.loop.name} · {chain.converter}",
        facts,
        (
            Field("items", str(chain.loop.items), items, hint=f"a multiple of {2 * slots}"),
            Field(
                "item width",
                str(chain.loop.width_bits),
                lambda text: SetItemWidth(chain.converter, whole_number(text, "bits")),
                widths,
            ),
        ),
        WhatIf("If items were · time to serve a half", tuple(choices)),
    )


def _chain_panel(workspace: Workspace, chain: Chain) -> Panel:
    cycle = cycle_timing(workspace, chain)
    timer = chain_timer(workspace, chain)
    converter = workspace.converter(chain)
    ppm = float(timer.rate_error) * 1e6
    trigger = workspace.project.timer_trigger(chain)
    facts = (
        Fact(
            "converter clock",
            brief(cycle.clock_hz, "Hz"),
            converter.clock_low_hz <= cycle.clock_hz <= converter.clock_high_hz,
        ),
        Fact("legal", f"{brief(converter.clock_low_hz, 'Hz')} to {brief(converter.clock_high_hz, 'Hz')}"),
        Fact("busy", show(cycle.busy_s, "s", 6)),
        Fact("slack", show(cycle.slack_s, "s", 6), cycle.slack_s >= 0),
        Fact(trigger.timer, f"{timer.prescaler} × {timer.period_counts}"),
        Fact("registers hold", f"{timer.prescaler - 1}, {timer.period_counts - 1}"),
        Fact("rate error", "exact" if ppm == 0 else f"{ppm:+.3g} ppm", abs(ppm) < 100),
        Fact("noise", f"{converter.noise_lsb:g} LSB at {max(converter.bits)} bit"),
    )
    choices = []
    for divider in sorted(converter.dividers):
        clock_hz = workspace.bus_clock_hz / divider
        legal = converter.clock_low_hz <= clock_hz <= converter.clock_high_hz
        tip = f"÷ {divider}: {brief(clock_hz, 'Hz')}" + ("" if legal else ", out of range")
        edit = SetDivider(chain.converter, divider)
        choices.append(Choice(str(divider), float(clock_hz), legal, divider == chain.divider, tip, edit))

    def every(text: str) -> Edit:
        return SetPeriod(chain.converter, read_every(text))

    follows = isinstance(chain.trigger, FollowTrigger)
    return Panel(
        f"{chain.converter}: what its signals share",
        facts,
        (
            Field(
                "period" if not follows else "period, shared",
                period_text(timer.wanted_s),
                every,
                hint="100 us or 10 kHz",
            ),
            Field(
                "resolution",
                f"{chain.bits}",
                lambda text: SetBits(chain.converter, whole_number(text, "bits")),
                tuple(str(bits) for bits in converter.bits),
            ),
            Field(
                "alignment",
                chain.alignment,
                lambda text: SetAlignment(chain.converter, "left" if text == "left" else "right"),
                ("right", "left"),
            ),
            Field(
                "calibration",
                "at start-up" if chain.calibrate else "none",
                lambda text: SetCalibration(chain.converter, text == "at start-up"),
                ("at start-up", "none"),
            ),
        ),
        WhatIf(
            "If the bus were divided by · clock",
            tuple(choices),
            float(converter.clock_high_hz),
            f"{brief(converter.clock_high_hz, 'Hz')}",
        ),
    )
