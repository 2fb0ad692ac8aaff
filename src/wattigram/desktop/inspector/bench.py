"""The bench of one pin: what feeds it, and a knob where it is a level."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.models import key_of
from wattigram.core.base.quantity import format_si, parse_quantity
from wattigram.core.base.validation import ModelError
from wattigram.core.contract.shapes import (
    ChirpShape,
    NoiseShape,
    PulseShape,
    SawtoothShape,
    SineShape,
    TriangleShape,
)
from wattigram.core.model.bench import (
    Battery,
    Bridge,
    DcSource,
    FloatingInput,
    Jumper,
    PairedSource,
    SignalGenerator,
    SineSource,
    Source,
    SquareSource,
    Supply,
    SweptSource,
    Switch,
    Thermistor,
    TiedInput,
    TriangleSource,
    Wiring,
    swapped_partner,
)
from wattigram.core.model.design import Signal, Workspace
from wattigram.core.model.design.edits import Edit, SetWiring, SwapWires
from wattigram.core.predict.pins import pwm_pin
from wattigram.desktop.inspector.panel_model import Fact, Field, Panel

KINDS = {
    "dc": "DC, adjustable",
    "sine": "sine",
    "triangle": "triangle",
    "square": "square",
    "floating": "floating",
    "follow": "same as another pin",
    "tied": "tied to a known voltage",
    "switch": "switch",
    "battery": "battery with a load",
    "supply": "bench supply",
    "generator": "signal generator",
    "swept-sine": "swept sine",
    "thermistor": "thermistor",
    "bridge": "strain bridge",
    "jumper": "jumper from an output",
}
SHAPES = {
    "sine": SineShape(),
    "triangle": TriangleShape(),
    "sawtooth": SawtoothShape(),
    "pulse": PulseShape(),
    "noise": NoiseShape(),
    "chirp": ChirpShape(),
}
_LABELS = {
    "voltage_v": ("voltage", "V"),
    "offset_v": ("offset", "V"),
    "amplitude_v": ("amplitude", "V"),
    "frequency_hz": ("frequency", "Hz"),
    "phase": ("phase", "%"),
    "from_v": ("from", "V"),
    "to_v": ("to", "V"),
    "period_s": ("period", "s"),
    "low_v": ("low", "V"),
    "high_v": ("high", "V"),
    "duty": ("duty cycle", "%"),
    "hum_v": ("mains hum", "V"),
    "mains_hz": ("mains", "Hz"),
    "open_v": ("open", "V"),
    "closed_v": ("closed", "V"),
    "drop_v": ("drop under load", "V"),
    "loaded": ("loaded for", "%"),
    "recovery_s": ("recovers in", "s"),
    "meter_v": ("meter reads", "V"),
    "from_hz": ("from", "Hz"),
    "to_hz": ("to", "Hz"),
    "lasting_s": ("sweep time", "s"),
    "r25_ohm": ("at 25 °C", "Ω"),
    "pull_up_ohm": ("pull-up", "Ω"),
    "supply_v": ("supply", "V"),
    "from_degc": ("coldest", "°C"),
    "to_degc": ("hottest", "°C"),
    "excitation_v": ("excitation", "V"),
    "sensitivity": ("at full load, of it", "%"),
    "from_load": ("load from", "%"),
    "to_load": ("load to", "%"),
    "noise_v": ("noise rms", "V"),
}
NOT = "no"
_PLAIN = {"beta_kelvin": "B, in kelvin", "gain": "amplified"}


def bench_panel(workspace: Workspace, signal: Signal) -> Panel:
    """What is wired to the signal's pins, every figure of it to be edited."""
    if not signal.pin[0].isupper():
        return _internal_panel(workspace, signal)
    facts, fields = wiring_fields(workspace, signal.pin)
    if signal.negative is None:
        return Panel(f"Bench · pin {signal.pin}", tuple(facts), tuple(fields))
    more_facts, more_fields = wiring_fields(workspace, signal.negative)
    of_negative = [
        replace(field, label=f"{signal.negative}: {field.label}") for field in more_fields
    ]
    return Panel(
        f"Bench · pins {signal.pin} and {signal.negative}",
        (*facts, *more_facts),
        (*fields, *of_negative),
    )


def wiring_fields(workspace: Workspace, pin: str) -> tuple[list[Fact], list[Field]]:
    """What is wired to one pin: facts, and a field for every figure."""
    wiring = workspace.project.wired(pin)
    shown = wiring or Wiring(pin=pin, source_resistance_ohm=0.0, source=DcSource(voltage_v=0.0))
    source = shown.source

    def kind(text: str) -> Edit:
        name = next((key for key, value in KINDS.items() if value == text), source.kind)
        return SetWiring(shown.replaced(source=_fresh(name, workspace, pin, source)))

    fields = [
        Field(
            "source",
            KINDS.get(source.kind, source.kind) if wiring else "",
            kind,
            tuple(KINDS.values()),
        )
    ]
    facts = [Fact("pin", pin), Fact("wired", "yes" if wiring else "not yet", bool(wiring))]
    if wiring is None:
        return facts, fields
    if isinstance(source, DcSource):
        span = (0.0, workspace.reference_v, source.voltage_v)
        fields.append(
            Field(
                "adjustable",
                f"{source.voltage_v:.3f} V",
                _quantity(shown, "voltage_v", "V"),
                slider=span,
            )
        )
    if isinstance(source, PairedSource):
        pins = tuple(other.pin for other in workspace.project.bench if other.pin != pin)
        fields.append(
            Field("same as pin", source.pin, lambda text: _rewired(shown, pin=text), pins)
        )
    fields += _kind_fields(workspace, shown)
    for name in type(source).__struct_fields__:
        if name in _LABELS:
            label, unit = _LABELS[name]
            value = getattr(source, name)
            text = format_si(value, unit, 9) if value is not None else ""
            fields.append(Field(label, text, _quantity(shown, name, unit), hint=f"in {unit}"))
        elif name in _PLAIN:
            make = partial(_number, shown, name)
            fields.append(Field(_PLAIN[name], f"{getattr(source, name):g}", make))
    fields += [
        Field(
            "source resistance",
            format_si(shown.source_resistance_ohm, "Ω", 9),
            _own(shown, "source_resistance_ohm", "Ω"),
            hint="such as 4.7k",
        ),
        Field(
            "capacitor at pin",
            format_si(shown.capacitor_f, "F", 9),
            _own(shown, "capacitor_f", "F"),
            hint="0 or 100 nF",
        ),
        Field(
            "amplifier's bandwidth",
            format_si(shown.bandwidth_hz, "Hz", 9) if shown.bandwidth_hz is not None else "",
            lambda text: _wired(
                shown, bandwidth_hz=parse_quantity(text, "Hz") if text.strip() else None
            ),
            hint="none",
        ),
        Field(
            "noise density",
            format_si(shown.noise_density, "V/√Hz", 9),
            _own(shown, "noise_density", "V/√Hz"),
        ),
        Field("mains hum", format_si(shown.hum_v, "V", 9), _own(shown, "hum_v", "V")),
        Field(
            "swapped with",
            swapped_partner(workspace.project.bench, pin) or NOT,
            lambda text: SwapWires(pin, None if text == NOT else text),
            (NOT, *(other.pin for other in workspace.project.bench if other.pin != shown.pin)),
        ),
        Field(
            "note",
            shown.label,
            lambda text: SetWiring(_valid(lambda: shown.replaced(label=text.strip()))),
        ),
    ]
    return facts, fields


def _wired(wiring: Wiring, **updates: object) -> Edit:
    return SetWiring(_valid(lambda: wiring.replaced(**updates)))


def _number(wiring: Wiring, name: str, text: str) -> Edit:
    return _rewired(wiring, **{name: float(parse_quantity(text, ""))})


def _kind_fields(workspace: Workspace, wiring: Wiring) -> list[Field]:
    """What only some sources have: a choice, a switch to throw, a shape."""
    source = wiring.source
    match source:
        case TiedInput():
            return [
                Field(
                    "to",
                    source.to,
                    lambda text: _rewired(wiring, to=text),
                    ("ground", "reference", "supply", "half"),
                )
            ]
        case Switch():
            now = "closed" if source.is_closed else "open"
            return [
                Field(
                    "now",
                    now,
                    lambda text: _rewired(wiring, is_closed=text == "closed"),
                    ("open", "closed"),
                )
            ]
        case Jumper():
            return [
                Field(
                    "from pin",
                    source.pin,
                    lambda text: _rewired(wiring, pin=text),
                    output_pins(workspace),
                )
            ]
        case SignalGenerator():
            kinds = tuple(dict.fromkeys((source.shape.kind, *SHAPES)))
            return [
                Field(
                    "shape",
                    source.shape.kind,
                    lambda text: _rewired(wiring, shape=SHAPES.get(text, source.shape)),
                    kinds,
                )
            ]
        case _:
            return []


def output_pins(workspace: Workspace) -> tuple[str, ...]:
    """Pins on which something comes out, those of DACs and PWM in use first."""
    project, part = workspace.project, workspace.part
    used = [
        dac.pin for generator in project.generators if (dac := part.dac(generator.dac)) is not None
    ]
    used += [pwm_pin(workspace, pwm) for pwm in project.pwm]
    return tuple(dict.fromkeys((*used, *(dac.pin for dac in part.dacs))))


def _internal_panel(workspace: Workspace, signal: Signal) -> Panel:
    """An internal channel: the part says what stands on it."""
    wiring = workspace.wiring(signal.pin)
    facts = [Fact("inside the part", signal.pin)]
    if wiring is not None and isinstance(wiring.source, DcSource):
        facts += [
            Fact("voltage", f"{wiring.source.voltage_v:.3f} V"),
            Fact("source resistance", format_si(wiring.source_resistance_ohm, "Ω")),
            Fact("noise", f"{format_si(wiring.source.noise_v, 'V')} rms"),
        ]
    return Panel(f"Inside · {signal.pin}", tuple(facts))


def _quantity(wiring: Wiring, name: str, unit: str) -> Callable[[str], Edit]:
    def make(text: str) -> Edit:
        value = parse_quantity(text, unit)
        return _rewired(wiring, **{name: value if name.endswith(("_hz", "_s")) else float(value)})

    return make


def _own(wiring: Wiring, name: str, unit: str) -> Callable[[str], Edit]:
    def make(text: str) -> Edit:
        value = float(parse_quantity(text, unit))
        return SetWiring(_valid(lambda: wiring.replaced(**{name: value})))

    return make


def _rewired(wiring: Wiring, **updates: object) -> Edit:
    return SetWiring(_valid(lambda: wiring.replaced(source=wiring.source.replaced(**updates))))


def _valid(make: Callable[[], Wiring]) -> Wiring:
    try:
        return make()
    except ModelError as fault:
        first = fault.first
        raise QuantityError(f"{key_of(first.key)}: {first.message}") from fault


def _fresh(kind: str, workspace: Workspace, pin: str, old: Source) -> Source:
    """A source of another kind with figures that make sense on this part."""
    full_v = workspace.reference_v
    noise_v = old.noise_v
    match kind:
        case "sine":
            return SineSource(
                offset_v=full_v / 2, amplitude_v=full_v / 4, frequency_hz="50 Hz", noise_v=noise_v
            )
        case "triangle":
            return TriangleSource(
                from_v=full_v / 4, to_v=full_v * 3 / 4, period_s="2 s", noise_v=noise_v
            )
        case "square":
            return SquareSource(low_v=0.02, high_v=full_v - 0.02, period_s="1 s", noise_v=noise_v)
        case "floating":
            return FloatingInput()
        case "tied":
            return TiedInput()
        case "switch":
            return Switch(open_v=workspace.supply_v, noise_v=noise_v)
        case "battery":
            return Battery(voltage_v=full_v * 0.8, drop_v=full_v * 0.2, noise_v=noise_v)
        case "supply":
            return Supply(voltage_v=full_v / 2, noise_v=noise_v)
        case "generator":
            return SignalGenerator(
                shape=TriangleShape(),
                offset_v=full_v / 2,
                amplitude_v=full_v / 4,
                frequency_hz="50 Hz",
                noise_v=noise_v,
            )
        case "swept-sine":
            return SweptSource(
                offset_v=full_v / 2,
                amplitude_v=full_v / 4,
                from_hz="10 Hz",
                to_hz="500 Hz",
                lasting_s="2 s",
                noise_v=noise_v,
            )
        case "thermistor":
            return Thermistor(supply_v=workspace.supply_v, noise_v=noise_v)
        case "bridge":
            return Bridge(excitation_v=workspace.supply_v, noise_v=noise_v)
        case "jumper":
            pins = output_pins(workspace)
            if not pins:
                raise QuantityError(
                    "Nothing comes out of this part.", cure="Add a PWM output first."
                )
            return Jumper(pin=pins[0], noise_v=noise_v)
        case "follow":
            others = [wiring.pin for wiring in workspace.project.bench if wiring.pin != pin]
            if not others:
                raise QuantityError("No other pin is wired.", cure="Wire another pin first.")
            return PairedSource(pin=others[0], noise_v=noise_v)
        case _:
            return DcSource(voltage_v=full_v / 2, noise_v=noise_v)
