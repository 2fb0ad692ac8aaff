"""Panels of reactions, and their words."""

from __future__ import annotations

from collections.abc import Callable

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.fields import read_interval
from wattigram.core.base.quantity import (
    exact_text,
    format_rounded,
    format_si,
    parse_quantity,
)
from wattigram.core.model.design import (
    BarAction,
    BytesAction,
    CallAction,
    ComparatorSwitched,
    DacAction,
    DutyAction,
    PairTripped,
    PeriodAction,
    PeriodElapsed,
    PinAction,
    Reaction,
    ResultsFetched,
    RunStarted,
    ScaledAction,
    TextAction,
    ThresholdCrossed,
    Workspace,
    changes_of,
)
from wattigram.core.model.design.edits import Edit, SetReaction
from wattigram.core.model.design.pin_assignment import other_uses
from wattigram.core.model.design.reaction import Do, When
from wattigram.core.predict.pins import pwm_pin
from wattigram.core.predict.program import (
    LEVEL,
    reaction_timing,
    scaled_ends,
    sent_bytes,
    shown_text,
    threshold_name,
    typed_text,
    volts_per_code,
    wire_s,
)
from wattigram.desktop.inspector.outputs import NO, YES, checked, key_for
from wattigram.desktop.inspector.panel_model import Fact, Field, Panel

WHEN = {
    "threshold": "a threshold",
    "redundant-pair": "a redundant pair",
    "comparator": "a comparator",
    "results": "half a buffer is full",
    "period": "a period is over",
    "start": "the start",
}
DO = {
    "pin": "set a port pin",
    "bar": "show on port pins",
    "duty": "set a duty",
    "pulse-period": "set a pulse's period",
    "dac": "set a DAC",
    "text": "send text",
    "bytes": "send bytes",
    "call": "call own code",
}
CHANGE = {"enters": "begins to hold", "leaves": "ceases to hold", "both": "both"}

# --- the panel


def reaction_panel(workspace: Workspace, reaction: Reaction) -> Panel:
    """A reaction: when, what, and how late."""
    fields = [
        Field(
            "name",
            reaction.name,
            lambda text: _changed(reaction, name=text.strip()),
            hint="any name",
        ),
        Field(
            "when",
            WHEN[reaction.when.kind],
            lambda text: _other_when(workspace, reaction, key_for(text, WHEN)),
            tuple(WHEN.values()),
        ),
        *_when_fields(workspace, reaction),
        Field(
            "do",
            DO[reaction.do.kind],
            lambda text: _other_do(workspace, reaction, key_for(text, DO)),
            tuple(DO.values()),
        ),
        *_do_fields(workspace, reaction),
    ]
    return Panel(f"Reaction · {reaction.name}", tuple(_facts(workspace, reaction)), tuple(fields))


def _facts(workspace: Workspace, reaction: Reaction) -> list[Fact]:
    timing = reaction_timing(workspace, reaction)
    facts = []
    if not isinstance(reaction.when, (PeriodElapsed, RunStarted)):
        least, most = format_rounded(timing.least_s, "s", 4), format_rounded(timing.most_s, "s", 4)
        facts.append(Fact("acts after the held value", f"{least} … {most}"))
        facts.append(Fact("besides", "the program's own clocks"))
    if timing.filter_s:
        facts.append(Fact("filter is behind by", format_rounded(timing.filter_s, "s", 3)))
    if timing.load_s:
        facts.append(Fact("then takes effect within", format_rounded(timing.load_s, "s", 3)))
    do = reaction.do
    if isinstance(do, (BarAction, DutyAction, PeriodAction, DacAction)):
        ends = scaled_ends(workspace, do)
        if ends is None:
            facts.append(Fact("value", "nothing converts it", False))
        else:
            facts.append(Fact("from code", f"{ends.from_code:.1f} … {ends.to_code:.1f}"))
            fits = max(ends.from_out, ends.to_out) <= ends.most
            facts.append(Fact("register", f"{ends.from_out} … {ends.to_out} of {ends.most}", fits))
            steps = abs(ends.to_out - ends.from_out) / abs(ends.to_code - ends.from_code)
            facts.append(Fact("steps per code", f"{steps:.3g}"))
            count_v = volts_per_code(workspace, do.signal, do.input)
            facts.append(Fact("1 code", format_rounded(count_v, "V", 4)))
    if isinstance(do, (TextAction, BytesAction)):
        facts.append(Fact("longest", f"{sent_bytes(workspace, reaction)} bytes"))
        facts.append(Fact("on the wire", format_rounded(wire_s(workspace, reaction), "s", 3)))
    if isinstance(do, PinAction):
        port = workspace.part.port_of(do.pin)
        uses = other_uses(workspace, do.pin)
        mine = [use for use in uses if not use.startswith("set by reaction")]
        facts.append(Fact("port", f"{port.name}, bit {port.bits[do.pin]}" if port else "none"))
        if mine:
            facts.append(Fact("also wanted by", ", ".join(mine), False))
    return facts


def _changed(reaction: Reaction, **updates: object) -> Edit:
    return checked(lambda: SetReaction(reaction.name, reaction.replaced(**updates)))


def _of_when(reaction: Reaction, name: str, read: Callable[[str], object]) -> Callable[[str], Edit]:
    return lambda text: checked(
        lambda: SetReaction(
            reaction.name,
            reaction.replaced(when=reaction.when.replaced(**{name: read(text)})),
        )
    )


def _of_do(reaction: Reaction, name: str, read: Callable[[str], object]) -> Callable[[str], Edit]:
    return lambda text: checked(
        lambda: SetReaction(
            reaction.name, reaction.replaced(do=reaction.do.replaced(**{name: read(text)}))
        )
    )


def _when_fields(workspace: Workspace, reaction: Reaction) -> list[Field]:
    project = workspace.project
    match reaction.when:
        case ThresholdCrossed(signal=signal, threshold=number, change=change):
            names = _thresholds(workspace)
            now = next(text for text, place in names.items() if place == (signal, number))

            def choose(text: str) -> Edit:
                name, place = names[text]
                when = ThresholdCrossed(signal=name, threshold=place, change=change)
                return _changed(reaction, when=when)

            return [
                Field("threshold", now, choose, tuple(names)),
                _change_field(reaction, change),
            ]
        case PairTripped(signal=signal, change=change):
            return [
                Field("pair of", signal, _of_when(reaction, "signal", str), _pairs(workspace)),
                _change_field(reaction, change),
            ]
        case ComparatorSwitched(comparator=name, edge=edge):
            comparators = tuple(item.name for item in project.comparators)
            edges = ("rising", "falling", "both")
            return [
                Field("comparator", name, _of_when(reaction, "comparator", str), comparators),
                Field("edge", edge, _of_when(reaction, "edge", str), edges),
            ]
        case ResultsFetched(converter=converter):
            chains = tuple(chain.converter for chain in project.chains)
            return [Field("results of", converter, _of_when(reaction, "converter", str), chains)]
        case PeriodElapsed(period_s=period_s):
            return [
                Field(
                    "period",
                    format_si(period_s, "s", 9),
                    _of_when(reaction, "period_s", read_interval),
                    hint="500 ms or 2 Hz",
                )
            ]
        case _:
            return []


def _change_field(reaction: Reaction, change: str) -> Field:
    return Field(
        "which",
        CHANGE[change],
        _of_when(reaction, "change", lambda text: key_for(text, CHANGE)),
        tuple(CHANGE.values()),
    )


def _do_fields(workspace: Workspace, reaction: Reaction) -> list[Field]:
    project, do = workspace.project, reaction.do

    def of(name: str, read: Callable[[str], object]) -> Callable[[str], Edit]:
        return _of_do(reaction, name, read)

    uarts = tuple(uart.name for uart in project.uarts)
    outputs = tuple(pwm.name for pwm in project.pwm)
    match do:
        case PinAction(pin=pin, level=level, starts_high=starts_high):
            return [
                Field("pin", pin, of("pin", str), free_port_pins(workspace, pin)),
                Field(
                    "level",
                    LEVEL[level],
                    of("level", lambda t: key_for(t, LEVEL)),
                    tuple(LEVEL.values()),
                ),
                Field(
                    "high at the start",
                    YES if starts_high else NO,
                    of("starts_high", lambda t: t == YES),
                    (YES, NO),
                ),
            ]
        case BarAction(pins=pins, shows=shows):
            return [
                Field(
                    "pins",
                    " ".join(pins),
                    of("pins", lambda text: tuple(text.replace(",", " ").split())),
                    hint="A4 A5 A6",
                ),
                Field("shown as", shows, of("shows", str), ("bar", "bits")),
                *_value_fields(workspace, do, of),
            ]
        case DutyAction(pwm=pwm, low=low, high=high):
            return [
                Field("PWM output", pwm, of("pwm", str), outputs),
                *_value_fields(workspace, do, of),
                Field("duty at start", format_si(low, "%"), of("low", _share), hint="20 %"),
                Field("duty at end", format_si(high, "%"), of("high", _share), hint="100 %"),
            ]
        case PeriodAction(pwm=pwm, low_s=low_s, high_s=high_s):
            return [
                Field("PWM output", pwm, of("pwm", str), outputs),
                *_value_fields(workspace, do, of),
                Field("period at start", format_si(low_s, "s", 9), of("low_s", read_interval)),
                Field("period at end", format_si(high_s, "s", 9), of("high_s", read_interval)),
            ]
        case DacAction(dac=dac, low_v=low_v, high_v=high_v):
            return [
                Field("DAC", dac, of("dac", str), _free_dacs(workspace, dac)),
                *_value_fields(workspace, do, of),
                Field("level at start", exact_text(low_v, "V"), of("low_v", _volts)),
                Field("level at end", exact_text(high_v, "V"), of("high_v", _volts)),
            ]
        case TextAction(uart=uart, text=text):
            return [
                Field("serial port", uart, of("uart", str), uarts),
                Field(
                    "text",
                    shown_text(text),
                    of("text", typed_text),
                    hint=r"hot {signal:V} V, also mV, code, hex; ends with \r\n",
                ),
            ]
        case BytesAction(uart=uart, signals=signals, bits=bits) as sent:
            return [
                Field("serial port", uart, of("uart", str), uarts),
                Field(
                    "signals",
                    ", ".join(signals),
                    of("signals", lambda text: _signal_list(workspace, text)),
                    hint="names with commas between",
                ),
                Field("bits of each", str(bits), of("bits", int), ("8", "16")),
                Field("taken", sent.input, of("input", str), ("filtered", "raw")),
                Field(
                    "endianness",
                    sent.endianness,
                    of("endianness", str),
                    ("little-endian", "big-endian"),
                ),
            ]
        case call:
            return [Field("function", call.function, of("function", str.strip), hint="a name in C")]


def _value_fields(
    workspace: Workspace,
    do: ScaledAction,
    of: Callable[[str, Callable[[str], object]], Callable[[str], Edit]],
) -> list[Field]:
    return [
        Field("value of", do.signal, of("signal", str), _converted(workspace)),
        Field("taken", do.input, of("input", str), ("filtered", "raw")),
        Field("scale start", exact_text(do.from_v, "V"), of("from_v", _volts), hint="1.2 V"),
        Field("scale end", exact_text(do.to_v, "V"), of("to_v", _volts), hint="2.2 V"),
    ]


def _volts(text: str) -> float:
    return float(parse_quantity(text, "V"))


def _share(text: str) -> float:
    return float(parse_quantity(text, "%"))


def _signal_list(workspace: Workspace, text: str) -> tuple[str, ...]:
    """Names that were typed with commas between; names may have commas too."""
    known = {signal.name for signal in workspace.project.signals}
    names, rest = [], text.strip()
    while rest:
        name = max((one for one in known if rest.startswith(one)), key=len, default="")
        if not name:
            raise QuantityError(f"There is no signal “{rest}”.", cure="Type names of signals.")
        names.append(name)
        rest = rest.removeprefix(name).lstrip(" ,")
    return tuple(names)


# --- what there is to choose


def _converted(workspace: Workspace) -> tuple[str, ...]:
    project = workspace.project
    return tuple(
        signal.name for signal in project.signals if project.chain_of(signal.name) is not None
    )


def _thresholds(workspace: Workspace) -> dict[str, tuple[str, int]]:
    return {
        f"{signal.name}, {threshold_name(workspace, signal.name, number)}": (signal.name, number)
        for signal in workspace.project.signals
        for number in range(1, len(signal.thresholds) + 1)
    }


def _pairs(workspace: Workspace) -> tuple[str, ...]:
    return tuple(
        signal.name
        for signal in workspace.project.signals
        if signal.redundant_pair is not None and signal.redundant_pair.tolerance_v is not None
    )


def _free_dacs(workspace: Workspace, now: str = "") -> tuple[str, ...]:
    taken = {generator.dac for generator in workspace.project.generators}
    return tuple(
        dac.name for dac in workspace.part.dacs if dac.name not in taken or dac.name == now
    )


def free_port_pins(workspace: Workspace, now: str = "") -> tuple[str, ...]:
    """Port pins that nothing else wants, those that no peripheral could have first; the present one
    is among them."""
    project, part = workspace.project, workspace.part
    taken = {pin for signal in project.signals for pin in (signal.pin, signal.negative)}
    taken |= {pwm_pin(workspace, pwm) for pwm in project.pwm}
    for uart in project.uarts:
        kind = part.uart(uart.name)
        if kind is not None:
            taken |= {kind.send_pins.get(uart.name), kind.receive_pins.get(uart.name)}
    used = {generator.dac for generator in project.generators}
    taken |= {dac.pin for dac in part.dacs if dac.name in used}
    wanted = {pin for group in part.timers for pin in group.pwm_pins.values()}
    wanted |= {dac.pin for dac in part.dacs}
    wanted |= {pin for group in part.uarts for pin in group.send_pins.values()}
    pins = [pin for port in part.ports for pin in port.bits]
    free = [pin for pin in pins if pin == now or (pin not in taken and not _claims(workspace, pin))]
    return tuple(sorted(free, key=lambda pin: pin in wanted))


def _claims(workspace: Workspace, pin: str) -> bool:
    used = {
        dac.pin
        for dac in workspace.part.dacs
        if any(generator.dac == dac.name for generator in workspace.project.generators)
    }
    names = {dac.name for dac in workspace.part.dacs}
    return any(use not in names or pin in used for use in other_uses(workspace, pin))


def _other_when(workspace: Workspace, reaction: Reaction, kind: str) -> Edit | None:
    if kind == reaction.when.kind:
        return None
    when = fresh_when(workspace, kind)
    do = reaction.do
    if isinstance(do, PinAction) and do.level.startswith("follows"):
        if isinstance(when, ComparatorSwitched):
            when = when.replaced(edge="both")
        elif isinstance(when, (ThresholdCrossed, PairTripped)):
            when = when.replaced(change="both")
        else:
            do = do.replaced(level="toggle")
    return _changed(reaction, when=when, do=do)


def fresh_when(workspace: Workspace, kind: str) -> When:
    """Something to wait for, of a kind. Raises :class:`QuantityError` where there is none yet."""
    project = workspace.project
    match kind:
        case "threshold":
            places = list(_thresholds(workspace).values())
            if not places:
                raise QuantityError("No signal has a threshold.", cure="Add one on the Chain page.")
            return ThresholdCrossed(signal=places[0][0], threshold=places[0][1])
        case "redundant-pair":
            pairs = _pairs(workspace)
            if not pairs:
                raise QuantityError(
                    "No signal has a redundant pair.", cure="Pair two on the Chain page."
                )
            return PairTripped(signal=pairs[0])
        case "comparator":
            if not project.comparators:
                raise QuantityError("No comparator is used.", cure="Put one on a signal first.")
            return ComparatorSwitched(comparator=project.comparators[0].name)
        case "results":
            if not project.chains:
                raise QuantityError("Nothing is converted.", cure="Put a signal into a slot.")
            return ResultsFetched(converter=project.chains[0].converter)
        case "period":
            return PeriodElapsed(period_s="500 ms")
        case _:
            return RunStarted()


def _other_do(workspace: Workspace, reaction: Reaction, kind: str) -> Edit | None:
    if kind == reaction.do.kind:
        return None
    return _changed(reaction, do=fresh_do(workspace, kind, reaction.when))


def fresh_do(workspace: Workspace, kind: str, when: When) -> Do:
    """Something to do, of a kind. Raises :class:`QuantityError` where what it needs is not there."""
    project = workspace.project
    signal = _value_signal(workspace, when)
    reference_v = round(workspace.reference_v, 3)
    match kind:
        case "pin":
            is_condition = isinstance(when, (ThresholdCrossed, PairTripped, ComparatorSwitched))
            both = is_condition and changes_of(when) == "both"  # type: ignore[arg-type]
            return PinAction(
                pin=_first_pin(workspace),
                level="follows" if both else "high" if is_condition else "toggle",
            )
        case "bar":
            pins = free_port_pins(workspace)[:4]
            if len(pins) < 2:
                raise QuantityError("No two port pins are free.", cure="Free some first.")
            return BarAction(pins=pins, signal=signal, from_v=0.0, to_v=reference_v)
        case "duty" | "pulse-period":
            if not project.pwm:
                raise QuantityError("There is no PWM output.", cure="Add one first.")
            pwm = project.pwm[0]
            if kind == "duty":
                return DutyAction(pwm=pwm.name, signal=signal, from_v=0.0, to_v=reference_v)
            return PeriodAction(
                pwm=pwm.name,
                signal=signal,
                from_v=0.0,
                to_v=reference_v,
                low_s=pwm.period_s,
                high_s=pwm.period_s * 2,
            )
        case "dac":
            dacs = _free_dacs(workspace)
            if not dacs:
                raise QuantityError(
                    f"{workspace.part.name} has no DAC that is free.", cure="Free one first."
                )
            return DacAction(
                dac=dacs[0],
                signal=signal,
                from_v=0.0,
                to_v=reference_v,
                low_v=0.0,
                high_v=reference_v,
            )
        case "text" | "bytes":
            if not project.uarts:
                raise QuantityError("There is no serial port.", cure="Add one first.")
            uart = project.uarts[0].name
            if kind == "bytes":
                return BytesAction(uart=uart, signals=(signal,))
            plain = signal.replace("{", "{{").replace("}", "}}")
            return TextAction(uart=uart, text=f"{plain} {{{signal}:V}} V\r\n")
        case _:
            return CallAction(function="own_code")


def _value_signal(workspace: Workspace, when: When) -> str:
    """The signal that a fresh action takes its value from: that of its cause, or the first."""
    known = _converted(workspace)
    if not known:
        raise QuantityError("Nothing is converted.", cure="Put a signal into a slot first.")
    cause = getattr(when, "signal", "")
    return cause if cause in known else known[0]


def _first_pin(workspace: Workspace) -> str:
    pins = free_port_pins(workspace)
    if not pins:
        raise QuantityError(
            f"{workspace.part.name} has no port pin that is free.",
            cure="Free one, or describe its ports in the part file.",
        )
    return pins[0]
