"""Rules on pins, and on signals without a slot."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.base.quantity import format_volts
from wattigram.core.model.bench import (
    DcSource,
    FloatingInput,
    TiedInput,
    Wiring,
    resolve_source,
)
from wattigram.core.model.design import (
    Chain,
    Signal,
    Workspace,
    given_sampling,
    part_faults,
    pointed_pins,
)
from wattigram.core.model.design.edits import AddSlot, SetPin, SetWiring
from wattigram.core.model.part import Reference
from wattigram.core.predict.accuracy import adequate_sampling_s
from wattigram.core.predict.pins import input_resistance_ohm, input_source
from wattigram.core.predict.timing import scan_timing

CLOSE_V = 1e-9


@rule("pin-used-twice", cell="signal")
def pin_shared(workspace: Workspace) -> Iterator[Finding]:
    """Two signals show the same curve."""
    seen: dict[str, Signal] = {}
    for signal in workspace.project.signals:
        other = seen.setdefault(signal.pin, signal)
        if other is signal or other.name == signal.partner or other.partner == signal.name:
            continue
        yield Finding(
            "pin-used-twice",
            "error",
            f"pin {signal.pin}",
            f"Two signals share pin {signal.pin}",
            f"{other.name} and {signal.name} are both on {signal.pin}: they will read the same "
            "voltage.",
            free_pin(workspace, signal),
            signal=signal.name,
        )


@rule("pin-not-analog", cell="signal")
def pin_not_analog(workspace: Workspace) -> Iterator[Finding]:
    """The slot converts whatever its multiplexer leaves: a constant, or the slot before."""
    for signal in workspace.project.signals:
        chain = workspace.project.chain_of(signal.name)
        converters = [workspace.converter(chain)] if chain else list(workspace.part.converters)
        if any(
            converter.channel(signal.pin, signal.negative) is not None for converter in converters
        ):
            continue
        names = " or ".join(converter.name for converter in converters)
        yield Finding(
            "pin-not-analog",
            "error",
            f"pin {signal.pin}",
            f"{signal.pin} is no analog input",
            f"{signal.name} is on {_pins(signal)}, which is no input of {names}.",
            free_pin(workspace, signal),
            signal=signal.name,
        )


@rule("negative-pin-not-wired", "pin-not-wired", cell="front end")
def pin_not_wired(workspace: Workspace) -> Iterator[Finding]:
    """Nothing can be expected of the signal."""
    for signal in workspace.project.signals:
        if signal.negative is not None and workspace.wiring(signal.negative) is None:
            yield Finding(
                "negative-pin-not-wired",
                "warning",
                f"pin {signal.negative}",
                f"Nothing is wired to {signal.negative}",
                f"The bench does not say what feeds the negative pin of {signal.name}: 0 V is "
                "supposed there, and the "
                "difference is worth no more than that.",
                SetWiring(
                    Wiring(
                        pin=signal.negative,
                        source_resistance_ohm=0.0,
                        source=TiedInput(to="ground"),
                    )
                ),
                signal=signal.name,
            )
        for pin in (signal.pin, *pointed_pins(workspace.project.reactions, signal.name)):
            if workspace.wiring(pin) is not None:
                continue
            there = "" if pin == signal.pin else " there"
            yield Finding(
                "pin-not-wired",
                "note",
                f"pin {pin}",
                f"Nothing is wired to {pin}",
                f"The bench does not say what feeds {signal.name}{there}; it is expected to read 0 V. "
                "Click its pin to wire it.",
                signal=signal.name,
            )


@rule("reference-floats", "reference-not-steady", "reference-not-wired")
def reference_not_held(workspace: Workspace) -> Iterator[Finding]:
    """Every reading, or what a DAC puts out, wanders with the reference."""
    seen = set()
    for name, what, signal in _references_used(workspace):
        reference = workspace.part.reference(name)
        if reference is not None and reference.pin is not None and name not in seen:
            seen.add(name)
            yield from _not_held(workspace, reference, what, signal)


def _references_used(workspace: Workspace) -> Iterator[tuple[str, str, str]]:
    """Name of each reference, what wanders with it, and the output that does; "" for readings."""
    if workspace.project.chains:
        yield workspace.project.reference, "every reading", ""
    for generator in workspace.project.generators:
        dac = workspace.part.dac(generator.dac)
        if dac is not None:
            yield workspace.dac_reference(dac), f"what {generator.name} puts out", generator.name


def _not_held(
    workspace: Workspace, reference: Reference, what: str, output: str
) -> Iterator[Finding]:
    """What is wrong with the pin of a reference."""
    pin, name = reference.pin, reference.name
    assert pin is not None
    wiring = workspace.project.wired(pin)
    cure = SetWiring(
        Wiring(pin=pin, source_resistance_ohm=0.0, source=DcSource(voltage_v=reference.voltage_v))
    )
    if wiring is None:
        yield Finding(
            "reference-not-wired",
            "error",
            f"pin {pin}",
            f"Nothing is wired to the reference pin {pin}",
            f"“{name}” comes from {pin}, and the bench has nothing there: full scale is "
            "whatever the pin floats to.",
            cure,
            signal=output,
        )
    elif isinstance(resolve_source(wiring, workspace.project.bench), FloatingInput):
        yield Finding(
            "reference-floats",
            "error",
            f"pin {pin}",
            f"Nothing drives the reference pin {pin}",
            f"“{name}” comes from {pin}, which is not connected: {what} wanders with it.",
            cure,
            signal=output,
        )
    elif not isinstance(wiring.source, DcSource) or wiring.source.voltage_v <= 0:
        worked_v = workspace.voltage_of(name)
        yield Finding(
            "reference-not-steady",
            "error",
            f"pin {pin}",
            f"The reference pin {pin} has no steady voltage",
            f"“{name}” comes from {pin}, and {what} is worked out with {format_volts(worked_v)}; "
            "what is wired there is no level above 0 V.",
            cure,
            signal=output,
        )


@rule("pin-beyond-limits")
def pin_beyond_limits(workspace: Workspace) -> Iterator[Finding]:
    """The pin's protection conducts, readings of others are disturbed, and the part may be
    damaged."""
    low_v = workspace.part.pin_low_v
    high_v = workspace.supply_v + workspace.part.pin_above_supply_v
    users = {}
    for name, _what, _output in _references_used(workspace):
        reference = workspace.part.reference(name)
        if reference is not None and reference.pin is not None:
            users[reference.pin] = f"reference {name}"
    for signal in workspace.project.signals:
        users[signal.pin] = signal.name
        for pin in pointed_pins(workspace.project.reactions, signal.name):
            users.setdefault(pin, signal.name)
        if signal.negative is not None:
            users[signal.negative] = f"negative pin of {signal.name}"
    for pin, user in users.items():
        if workspace.project.wired(pin) is None:
            continue
        least_v, most_v = input_source(workspace, pin).extent_v
        if least_v >= low_v - CLOSE_V and most_v <= high_v + CLOSE_V:
            continue
        worst = (
            f"rises to {format_volts(most_v)}"
            if most_v > high_v + CLOSE_V
            else f"falls to {format_volts(least_v)}"
        )
        yield Finding(
            "pin-beyond-limits",
            "error",
            f"pin {pin}",
            f"Pin {pin} leaves its absolute limits",
            f"Pin {pin} ({user}) {worst}; the part allows {format_volts(low_v)} to "
            f"{format_volts(high_v)} on any pin. Divide "
            "or clamp it before the pin.",
            signal=next(
                (
                    signal.name
                    for signal in workspace.project.signals
                    if pin in (signal.pin, signal.negative)
                ),
                "",
            ),
        )


@rule("signal-not-converted", cell="sample")
def signal_not_converted(workspace: Workspace) -> Iterator[Finding]:
    """The signal has no stream at all."""
    compared = {item.signal for item in workspace.project.comparators}
    for signal in workspace.project.signals:
        if workspace.project.chain_of(signal.name) is not None or signal.name in compared:
            continue
        remedy = _slot_for(workspace, signal)
        yield Finding(
            "signal-not-converted",
            "error",
            signal.name,
            f"{signal.name} is never converted",
            f"No converter has a slot for {signal.name} (pin {signal.pin}), so it gives no samples."
            + ("" if remedy else " Add a slot on a converter that reaches its pin."),
            remedy,
            signal=signal.name,
        )


def free_pin(workspace: Workspace, signal: Signal) -> SetPin | None:
    """The signal on the first input that nobody uses."""
    chain = workspace.project.chain_of(signal.name)
    used = {other.pin for other in workspace.project.signals} | {
        wiring.pin for wiring in workspace.project.bench
    }
    converters = [workspace.converter(chain)] if chain else list(workspace.part.converters)
    for converter in converters:
        for pin in converter.channels:
            if pin not in used:
                return SetPin(signal.name, pin)
    return None


def _slot_for(workspace: Workspace, signal: Signal) -> AddSlot | None:
    for chain in workspace.project.chains:
        converter = workspace.converter(chain)
        if (
            converter.channel(signal.pin, signal.negative) is not None
            and len(chain.slots) < converter.slots
        ):
            edit = AddSlot(chain.converter, signal.name, _sampling_for(workspace, chain, signal))
            if not part_faults(edit.apply(workspace.project), workspace.part):
                return edit
    return None


def _sampling_for(workspace: Workspace, chain: Chain, signal: Signal) -> float:
    """Shortest adequate sampling time for the signal's source, the longest where none is."""
    converter = workspace.converter(chain)
    given = given_sampling(workspace.project, workspace.part, chain, signal.pin, signal.negative)
    if given is not None:
        return given
    ohm = input_resistance_ohm(workspace, signal) + converter.switch_resistance_ohm
    needed_s = adequate_sampling_s(ohm * converter.sampling_capacitor_f, chain.bits)
    clock_hz = scan_timing(workspace, chain).clock_hz
    choices = sorted(converter.sampling_cycles)
    return next(
        (cycles for cycles in choices if float(Fraction(cycles) / clock_hz) >= needed_s),
        choices[-1],
    )


def _pins(signal: Signal) -> str:
    return signal.pin if signal.negative is None else f"the pair {signal.pin} and {signal.negative}"
