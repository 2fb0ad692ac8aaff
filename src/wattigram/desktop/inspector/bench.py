"""The bench of one pin: what feeds it, and a knob where it is a level."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from msgspec.structs import replace

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.model_fields import key_of, unit_of
from wattigram.core.base.quantity import format_si, parse_quantity
from wattigram.core.base.validation import ModelError
from wattigram.core.model.bench import (
    SOURCES,
    BoardSource,
    Choice,
    DcSource,
    Surroundings,
    Wiring,
    swapped_partner,
)
from wattigram.core.model.design import Signal, Workspace, start_levels
from wattigram.core.model.design.edits import Edit, SetWiring, SwapWires
from wattigram.core.model.design.workspace_files import projects_beside
from wattigram.core.predict.pins import moved_pins, output_waveform, pwm_pin, surroundings_of
from wattigram.desktop.inspector.number_entry import whole_number
from wattigram.desktop.inspector.panel_model import Fact, Field, Panel

OFFERED = {kind.title: kind for kind in SOURCES if kind.title}
NOT = "no"


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
    around = _around(workspace, pin)

    def kind(text: str) -> Edit | None:
        chosen = OFFERED.get(text)
        if chosen is None:
            return None  # what it is already, and made elsewhere: another board on a wire
        there = with_boards(workspace, pin, around) if chosen is BoardSource else around
        return SetWiring(shown.replaced(source=chosen.fresh(there, source.noise_v)))

    fields = [
        Field(
            "source",
            (source.title or source.kind) if wiring else "",
            kind,
            tuple(OFFERED),
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
    fields += choice_fields(workspace, shown)
    fields += figure_fields(shown)
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
            "source within",
            format_si(shown.tolerance, "%") if shown.tolerance else "",
            lambda text: _wired(
                shown, tolerance=float(parse_quantity(text, "%")) if text.strip() else 0.0
            ),
            hint="not stated, such as 1 %",
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


def _whole(wiring: Wiring, name: str, text: str) -> Edit:
    return _rewired(wiring, **{name: whole_number(text, type(wiring.source).labels[name])})


def _around(workspace: Workspace, pin: str) -> Surroundings:
    others = tuple(wiring.pin for wiring in workspace.project.bench if wiring.pin != pin)
    around: Surroundings = replace(
        surroundings_of(workspace), output_pins=output_pins(workspace), other_pins=others
    )
    return around


def choice_fields(workspace: Workspace, wiring: Wiring) -> list[Field]:
    """Fields of a source whose values have names."""
    around = _around(workspace, wiring.pin)
    if isinstance(wiring.source, BoardSource):
        around = with_boards(workspace, wiring.pin, around)
    return [_choice_field(wiring, choice) for choice in wiring.source.choices(around)]


def figure_fields(wiring: Wiring) -> list[Field]:
    """Fields of a source that are figures."""
    return [_figure_field(wiring, name, label) for name, label in wiring.source.labels.items()]


def with_boards(workspace: Workspace, pin: str, around: Surroundings) -> Surroundings:
    """With what leaves the boards of the projects beside this one: serial ports for a receive pin, else
    pins."""
    receives = any(pin in group.receive_pins.values() for group in workspace.part.uarts)
    boards = {
        name: tuple(uart.name for uart in other.project.uarts) if receives else _used_pins(other)
        for name, other in projects_beside(workspace).items()
    }
    there: Surroundings = replace(around, boards=boards)
    return there


def _used_pins(other: Workspace) -> tuple[str, ...]:
    return tuple(
        pin
        for pin in dict.fromkeys((*output_pins(other), *moved_pins(other)))
        if pin in moved_pins(other) or output_waveform(other, pin) is not None
    )


def hand_fields(workspace: Workspace, pin: str) -> list[Field]:
    """What is wired to a pin, and how it stands, where a hand can turn it: a switch, a button."""
    _facts, fields = wiring_fields(workspace, pin)
    wiring = workspace.project.wired(pin)
    count = 0 if wiring is None else len(wiring.source.choices(_around(workspace, pin)))
    return [replace(field, label=f"bench: {field.label}") for field in fields[: 1 + count]]


def _choice_field(wiring: Wiring, choice: Choice) -> Field:
    """A field whose values have names."""
    value = getattr(wiring.source, choice.field)

    def make(text: str) -> Edit:
        if text not in choice.options:
            words = ", ".join(choice.options)
            raise QuantityError(
                f"“{text}” is no choice here.", cure=f"Choose one of these: {words}."
            )
        return _rewired(wiring, **{choice.field: choice.options[text]})

    now = next((word for word, option in choice.options.items() if option == value), str(value))
    return Field(
        choice.label,
        now,
        make,
        tuple(choice.options),
    )


def _figure_field(wiring: Wiring, name: str, label: str) -> Field:
    """A quantity with its unit, or a plain number."""
    value, unit = getattr(wiring.source, name), unit_of(type(wiring.source), name)
    if isinstance(value, int):
        return Field(label, str(value), partial(_whole, wiring, name))
    if unit is None:
        return Field(label, f"{value:g}", partial(_number, wiring, name))
    text = format_si(value, unit, 9) if value is not None else ""
    return Field(label, text, _quantity(wiring, name, unit), hint=f"in {unit}")


def output_pins(workspace: Workspace) -> tuple[str, ...]:
    """Pins on which something comes out, those of DACs and PWM in use first."""
    project, part = workspace.project, workspace.part
    used = [
        dac.pin for generator in project.generators if (dac := part.dac(generator.dac)) is not None
    ]
    used += [pwm_pin(workspace, pwm) for pwm in project.pwm]
    used += start_levels(project.reactions)
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
