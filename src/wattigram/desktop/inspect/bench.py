"""The bench of one pin: what feeds it, and a knob where it is a level."""

from __future__ import annotations

from collections.abc import Callable

from pydantic import ValidationError

from wattigram.core.bench import Floating, Follow, Level, Ramp, Sine, Source, Steps, Wiring
from wattigram.core.design import Signal, Workspace
from wattigram.core.design.edits import Edit, SetWiring
from wattigram.core.errors import QuantityError
from wattigram.core.fields import key_of
from wattigram.core.quantity import brief, parse_quantity
from wattigram.desktop.inspect.model import Fact, Field, Panel

KINDS = {
    "level": "level (knob)",
    "sine": "sine",
    "ramp": "ramp there and back",
    "steps": "steps",
    "floating": "not connected",
    "follow": "same as another pin",
}
_LABELS = {
    "voltage_v": ("voltage", "V"),
    "offset_v": ("offset", "V"),
    "amplitude_v": ("amplitude", "V"),
    "frequency_hz": ("frequency", "Hz"),
    "phase": ("phase, of a turn", "%"),
    "from_v": ("from", "V"),
    "to_v": ("to", "V"),
    "period_s": ("period", "s"),
    "low_v": ("low", "V"),
    "high_v": ("high", "V"),
    "duty": ("high for", "%"),
    "pickup_v": ("mains pick-up", "V"),
    "mains_hz": ("mains", "Hz"),
    "noise_v": ("noise rms", "V"),
}


def bench_panel(workspace: Workspace, signal: Signal) -> Panel:
    """What is wired to the signal's pin, every figure of it to be edited."""
    if not signal.pin[0].isupper():
        return _internal_panel(workspace, signal)
    wiring = workspace.project.wired(signal.pin)
    shown = wiring or Wiring(pin=signal.pin, resistance_ohm=0.0, source=Level(voltage_v=0.0))
    source = shown.source

    def kind(text: str) -> Edit:
        name = next((key for key, value in KINDS.items() if value == text), source.kind)
        return SetWiring(shown.changed(source=_fresh(name, workspace, signal, source)))

    fields = [Field("wired to it", KINDS[source.kind] if wiring else "", kind, tuple(KINDS.values()))]
    facts = [Fact("pin", signal.pin), Fact("wired", "yes" if wiring else "not yet", bool(wiring))]
    if wiring is None:
        return Panel(f"Bench · pin {signal.pin}", tuple(facts), tuple(fields))
    if isinstance(source, Level):
        span = (0.0, workspace.reference_v, source.voltage_v)
        fields.append(Field("knob", f"{source.voltage_v:.3f} V", _quantity(shown, "voltage_v", "V"), slider=span))
    if isinstance(source, Follow):
        pins = tuple(other.pin for other in workspace.project.bench if other.pin != signal.pin)
        fields.append(Field("same as pin", source.pin, lambda text: _rewired(shown, pin=text), pins))
    for name in type(source).model_fields:
        if name in _LABELS:
            label, unit = _LABELS[name]
            text = brief(getattr(source, name), unit, 9)
            fields.append(Field(label, text, _quantity(shown, name, unit), hint=f"in {unit}"))
    fields += [
        Field(
            "resistance", brief(shown.resistance_ohm, "Ω", 9), _own(shown, "resistance_ohm", "Ω"), hint="such as 4.7k"
        ),
        Field(
            "capacitor at pin", brief(shown.capacitor_f, "F", 9), _own(shown, "capacitor_f", "F"), hint="0 or 100 nF"
        ),
        Field("note", shown.label, lambda text: SetWiring(_valid(lambda: shown.changed(label=text.strip())))),
    ]
    return Panel(f"Bench · pin {signal.pin}", tuple(facts), tuple(fields))


def _internal_panel(workspace: Workspace, signal: Signal) -> Panel:
    """An internal channel: the part says what stands on it."""
    wiring = workspace.wiring(signal.pin)
    facts = [Fact("inside the part", signal.pin)]
    if wiring is not None and isinstance(wiring.source, Level):
        facts += [
            Fact("voltage", f"{wiring.source.voltage_v:.3f} V"),
            Fact("resistance", brief(wiring.resistance_ohm, "Ω")),
            Fact("noise", f"{brief(wiring.source.noise_v, 'V')} rms"),
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
        return SetWiring(_valid(lambda: wiring.changed(**{name: value})))

    return make


def _rewired(wiring: Wiring, **updates: object) -> Edit:
    return SetWiring(_valid(lambda: wiring.changed(source=wiring.source.changed(**updates))))


def _valid(make: Callable[[], Wiring]) -> Wiring:
    try:
        return make()
    except ValidationError as fault:
        item = fault.errors(include_url=False)[0]
        cause = item.get("ctx", {}).get("error")
        message = str(cause) if cause else item["msg"]
        raise QuantityError(f"{key_of(str(item['loc'][-1])) if item['loc'] else 'value'}: {message}") from fault


def _fresh(kind: str, workspace: Workspace, signal: Signal, old: Source) -> Source:
    """A source of another kind with figures that make sense on this part."""
    full_v = workspace.reference_v
    noise_v = old.noise_v
    match kind:
        case "sine":
            return Sine(offset_v=full_v / 2, amplitude_v=full_v / 4, frequency_hz="50 Hz", noise_v=noise_v)
        case "ramp":
            return Ramp(from_v=full_v / 4, to_v=full_v * 3 / 4, period_s="2 s", noise_v=noise_v)
        case "steps":
            return Steps(low_v=0.02, high_v=full_v - 0.02, period_s="1 s", noise_v=noise_v)
        case "floating":
            return Floating()
        case "follow":
            others = [wiring.pin for wiring in workspace.project.bench if wiring.pin != signal.pin]
            if not others:
                raise QuantityError("No other pin is wired.", cure="Wire another pin first.")
            return Follow(pin=others[0], noise_v=noise_v)
        case _:
            return Level(voltage_v=full_v / 2, noise_v=noise_v)
