"""A panel for each kind of selection."""

from __future__ import annotations

from functools import partial

from msgspec.structs import replace

from wattigram.core.advise import explanations
from wattigram.core.base.fields import ratio_text, read_ratio
from wattigram.core.base.quantity import (
    exact_text,
    format_rounded,
    format_si,
    format_volts,
    parse_quantity,
)
from wattigram.core.model.design import Chain, Signal, Workspace, signal_scale
from wattigram.core.model.design.edits import (
    Edit,
    RenameSignal,
    SetBoardReference,
    SetBusClock,
    SetClockTolerance,
    SetPin,
    SetProjectName,
    SetReference,
    SetScaling,
)
from wattigram.desktop.inspector.bench import bench_panel, wiring_fields
from wattigram.desktop.inspector.chain import clock_panel, start_panel, startup_panel
from wattigram.desktop.inspector.filters import filter_panel
from wattigram.desktop.inspector.outputs import generator_panel, pwm_panel
from wattigram.desktop.inspector.panel_model import Fact, Field, Panel
from wattigram.desktop.inspector.reactions import reaction_panel
from wattigram.desktop.inspector.routes import route_panel, uart_panel
from wattigram.desktop.inspector.several_signals import shared_panel
from wattigram.desktop.inspector.slot import slot_panel
from wattigram.desktop.inspector.stream import quantity_field, stream_panel
from wattigram.desktop.inspector.thresholds import (
    comparator_panel,
    redundant_pair_panel,
    threshold_panel,
)
from wattigram.desktop.inspector.transfer import buffer_panel, reader_panel
from wattigram.desktop.state.selection import Selection

SHARED = {
    "signal": "Signal",
    "front end": "Bench",
    "filter": "Filter",
    "thresholds": "Thresholds",
}
"""Facets that several signals are edited in at once, with their titles; slots are in their own panel."""


def panel_for(workspace: Workspace, selection: Selection) -> Panel:
    """The panel of a selection."""
    project = workspace.project
    if selection.section:
        return _output_panel(workspace, selection)
    chain = project.chain(selection.converter)
    if not selection.signal:
        if chain is None:
            return _project_panel(workspace)
        builders = {"start": start_panel, "start-up": startup_panel}
        return builders.get(selection.facet, clock_panel)(workspace, chain)
    signal = project.signal(selection.signal)
    names = selection.signals_in(workspace)
    facet = selection.facet.partition(":")[0]
    if len(names) > 1 and facet in SHARED:
        return shared_panel(
            SHARED[facet],
            {name: panel_for(workspace, _alone(workspace, selection, name)) for name in names},
        )
    if selection.facet == "front end":
        return bench_panel(workspace, signal)
    if selection.facet == "signal" or chain is None:
        return _signal_panel(workspace, chain, signal)
    return _stage_panel(workspace, chain, signal, selection)


def _alone(workspace: Workspace, selection: Selection, name: str) -> Selection:
    """The same facet of one signal by itself."""
    chain = workspace.project.chain(selection.converter)
    assert chain is not None
    return replace(selection, signal=name, place=chain.places_of(name)[0], also=frozenset[int]())


def _output_panel(workspace: Workspace, selection: Selection) -> Panel:
    project = workspace.project
    if (
        generator := project.generator(selection.output)
    ) is not None and selection.section == "generators":
        return generator_panel(workspace, generator)
    if (pwm := project.pwm_output(selection.output)) is not None and selection.section == "pwm":
        return pwm_panel(workspace, pwm)
    if (uart := project.uart(selection.output)) is not None and selection.section == "uarts":
        return uart_panel(workspace, uart)
    if (route := project.route(selection.output)) is not None and selection.section == "routes":
        return route_panel(workspace, route)
    if (reaction := project.reaction(selection.output)) is not None and (
        selection.section == "reactions"
    ):
        return reaction_panel(workspace, reaction)
    return _project_panel(workspace)


def _stage_panel(workspace: Workspace, chain: Chain, signal: Signal, selection: Selection) -> Panel:
    facet, _, number = selection.facet.partition(":")
    match facet:
        case "transfer":
            return buffer_panel(workspace, chain)
        case "read as":
            return reader_panel(workspace, chain)
        case "filter":
            return filter_panel(workspace, chain, signal)
        case "thresholds":
            return threshold_panel(workspace, signal, int(number or 1) - 1)
        case "redundant pair":
            return redundant_pair_panel(workspace, signal)
        case "comparator":
            return comparator_panel(workspace, signal)
        case "stream":
            return stream_panel(workspace, chain, signal)
        case _:
            return slot_panel(workspace, chain, signal, selection.place, selection.places)


def _project_panel(workspace: Workspace) -> Panel:
    project, part = workspace.project, workspace.part

    def clock(text: str) -> Edit:
        wanted_hz = parse_quantity(text, "Hz")
        return SetBusClock(None if wanted_hz == part.processor.clock_hz else wanted_hz)

    def tolerance(text: str) -> Edit:
        wanted = float(parse_quantity(text, "%")) if text.strip() else None
        return SetClockTolerance(None if wanted == part.processor.clock_tolerance else wanted)

    references = tuple(item.name for item in part.references)
    of_reference: list[Field] = []
    if workspace.reference_pin is not None:
        _facts, fields = wiring_fields(workspace, workspace.reference_pin)
        of_reference = [
            replace(field, label=f"{workspace.reference_pin}: {field.label}") for field in fields
        ]
    return Panel(
        f"{project.name} on {part.name}",
        (
            Fact("signals", str(len(project.signals))),
            Fact("chains", str(len(project.chains))),
            Fact(
                "full scale",
                _full_scale(workspace),
                why=partial(explanations.full_scale, workspace),
            ),
            Fact("build ID", workspace.build_id),
        ),
        (
            Field("name", project.name, lambda text: SetProjectName(text.strip()), hint="any name"),
            Field(
                "bus clock",
                format_si(workspace.bus_clock_hz, "Hz", 9),
                clock,
                hint="such as 96 MHz",
            ),
            Field(
                "clock tolerance",
                format_si(workspace.clock_tolerance, "%"),
                tolerance,
                hint="the part's own, or 30 ppm",
            ),
            Field("reference", project.reference, SetReference, references),
            *_board_references(workspace),
            *of_reference,
        ),
    )


def _full_scale(workspace: Workspace) -> str:
    tolerance = workspace.tolerance_of(workspace.project.reference)
    within = f" ± {format_si(tolerance, '%')}" if tolerance else ""
    return f"{format_volts(workspace.reference_v)}{within}"


def _board_references(workspace: Workspace) -> list[Field]:
    """What the reference in use, and the supply, really are on this board."""
    fields = []
    for name in dict.fromkeys((workspace.project.reference, "supply")):
        reference = workspace.part.reference(name)
        if reference is None or reference.pin is not None:
            continue  # what comes from a pin is stated on the bench
        own = next((one for one in workspace.project.references if one.name == name), None)
        volts, share = (own.voltage_v, own.tolerance) if own is not None else (None, None)
        within = workspace.tolerance_of(name)
        fields.append(
            Field(
                f"{name} is",
                exact_text(workspace.voltage_of(name), "V"),
                partial(_state_voltage, name, reference.voltage_v, share),
                hint="as measured on the board, such as 3.287 V",
            )
        )
        fields.append(
            Field(
                f"{name} within",
                format_si(within, "%") if within or share is not None else "",
                partial(_state_tolerance, name, volts, 0.0 if volts else reference.tolerance),
                hint="not stated, such as 0.1 %",
            )
        )
    return fields


def _state_voltage(name: str, of_part_v: float, tolerance: float | None, text: str) -> Edit:
    volts = float(parse_quantity(text, "V")) if text.strip() else None
    return SetBoardReference(name, None if volts == of_part_v else volts, tolerance)


def _state_tolerance(name: str, volts: float | None, unsaid: float, text: str) -> Edit:
    share = float(parse_quantity(text, "%")) if text.strip() else None
    return SetBoardReference(name, volts, None if share == unsaid else share)


def _signal_panel(workspace: Workspace, chain: Chain | None, signal: Signal) -> Panel:
    project = workspace.project
    pins = input_choices(workspace, chain)
    now = pin_text(signal)
    if now not in pins:
        pins = (now, *pins)
    facts = []
    if chain is not None:
        scale = signal_scale(workspace, chain, signal.name)
        gain = float(signal.scaling)
        facts = [
            Fact("converter", chain.converter),
            Fact(
                "channel",
                str(channel)
                if (channel := workspace.converter(chain).channel(signal.pin, signal.negative))
                is not None
                else "none",
            ),
            Fact(
                "range",
                f"{format_volts(scale.low_v / gain) if scale.signed else 0} to "
                f"{format_volts(workspace.reference_v / gain)}",
                why=explanations.signal_range(workspace, chain, signal),
            ),
            Fact(
                "1 LSB",
                format_rounded(scale.lsb_v / gain, "V", 4),
                why=explanations.source_count_volts(workspace, chain, signal),
            ),
        ]
    taken = [
        other.name for other in project.signals if other.pin == signal.pin and other is not signal
    ]
    if taken:
        facts.append(Fact("pin shared with", ", ".join(taken), False))
    return Panel(
        signal.name,
        tuple(facts),
        (
            Field(
                "name",
                signal.name,
                lambda text: RenameSignal(signal.name, text.strip()),
                hint="any name",
            ),
            Field("pin", now, lambda text: SetPin(signal.name, *split_pins(text)), pins),
            Field(
                "front end",
                ratio_text(signal.scaling),
                lambda text: SetScaling(signal.name, read_ratio(text)),
                hint="÷ 2 or × 120",
            ),
            quantity_field(signal),
        ),
    )


def input_choices(workspace: Workspace, chain: Chain | None) -> tuple[str, ...]:
    """All inputs that a signal could have: pins, pairs, internal channels."""
    converters = [workspace.converter(chain)] if chain else list(workspace.part.converters)
    inputs: dict[str, None] = {}
    for converter in converters:
        inputs |= dict.fromkeys(converter.channels)
    for converter in converters:
        inputs |= dict.fromkeys(f"{pair.positive} − {pair.negative}" for pair in converter.pairs)
        inputs |= dict.fromkeys(item.name for item in converter.internal)
    return tuple(inputs)


def pin_text(signal: Signal) -> str:
    """A signal's input as it is shown."""
    return signal.pin if signal.negative is None else f"{signal.pin} − {signal.negative}"


def split_pins(text: str) -> tuple[str, str | None]:
    """A shown input as (pin, negative pin)."""
    pin, _, negative = text.partition(" − ")
    return pin, negative or None
