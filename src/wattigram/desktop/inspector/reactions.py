"""Panels of reactions, and their words."""

from __future__ import annotations

from collections.abc import Callable

from wattigram.core.advise import explanations
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
    ByteReceived,
    BytesAction,
    ComparatorSwitched,
    ConverterAction,
    DacAction,
    DutyAction,
    EndAction,
    InputChanged,
    PairTripped,
    PeriodAction,
    PeriodElapsed,
    PinAction,
    PointAction,
    Reaction,
    ResultsFetched,
    RunStarted,
    ScaledAction,
    TextAction,
    ThresholdCrossed,
    Workspace,
)
from wattigram.core.model.design.edits import Edit, SetReaction
from wattigram.core.model.design.pin_assignment import other_uses
from wattigram.core.predict.program import (
    LEVEL,
    reaction_timing,
    scaled_ends,
    sent_bytes,
    shown_text,
    typed_text,
    volts_per_code,
    wire_s,
)
from wattigram.desktop.inspector.bench import hand_fields
from wattigram.desktop.inspector.fresh_reactions import (
    converted_signals,
    free_dacs,
    free_port_pins,
    fresh_do,
    fresh_when,
    pair_signals,
    pointable_pins,
    pointable_signals,
    threshold_places,
)
from wattigram.desktop.inspector.number_entry import byte_entry, read_byte
from wattigram.desktop.inspector.outputs import NO, YES, checked, key_for
from wattigram.desktop.inspector.panel_model import Fact, Field, Panel
from wattigram.desktop.inspector.serial_lines import line_fields

WHEN = {
    "threshold": "a threshold",
    "redundant-pair": "a redundant pair",
    "comparator": "a comparator",
    "input": "a port pin changes",
    "byte": "a byte comes",
    "results": "a buffer fills",
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
    "converter": "stop, start or re-arm",
    "point": "read a signal at another pin",
    "end": "end the run",
    "call": "call own code",
}
CHANGE = {"enters": "begins to hold", "leaves": "ceases to hold", "both": "both"}

ACTIONS = {"stop": "stop", "start": "start", "rearm": "re-arm"}
"""What becomes of a converter."""
MARK = {"each": "each half is full", "half": "the first half is", "full": "all of it is"}

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
        Field(
            "clocks",
            "" if reaction.cycles is None else str(reaction.cycles),
            lambda text: _changed(reaction, cycles=_cycles(text)),
            hint="not stated",
        ),
    ]
    return Panel(f"Reaction · {reaction.name}", tuple(_facts(workspace, reaction)), tuple(fields))


def _cycles(text: str) -> int | None:
    """Clocks as they are typed; None for nothing."""
    typed = text.strip().removesuffix("clk").replace("\u202f", "").replace(" ", "")
    if not typed:
        return None
    if not typed.isdigit():
        raise QuantityError(f"“{text}” is no number of clocks. Type a whole number, such as 2800.")
    return int(typed)


def _facts(workspace: Workspace, reaction: Reaction) -> list[Fact]:
    timing = reaction_timing(workspace, reaction)
    facts = []
    if not isinstance(reaction.when, (PeriodElapsed, RunStarted)):
        least, most = format_rounded(timing.least_s, "s", 4), format_rounded(timing.most_s, "s", 4)
        since = {"input": "edge", "byte": "byte"}.get(reaction.when.kind, "held value")
        both = (
            explanations.acts_after(workspace, reaction, oldest=False),
            explanations.acts_after(workspace, reaction, oldest=True),
        )
        facts.append(Fact(f"acts after the {since}", f"{least} … {most}", why=both))
        if reaction.cycles is None:
            facts.append(Fact("besides", "its own clocks, not stated"))
    elif timing.most_s:
        late = explanations.acts_after(workspace, reaction, oldest=True)
        text = f"≤ {format_rounded(timing.most_s, 's', 4)}"
        facts.append(Fact("done after it is due", text, why=late))
    if timing.others_s:
        facts.append(
            Fact(
                "of that, other reactions",
                format_rounded(timing.others_s, "s", 4),
                why=explanations.others_first(workspace, reaction),
            )
        )
    if timing.busy is not None:
        share = explanations.processor_share(workspace, reaction)
        text = f"{float(timing.busy):.3%}"
        facts.append(Fact("keeps the processor", text, timing.busy < 1, share))
    if timing.filter_s:
        behind = explanations.filter_of_reaction(workspace, reaction)
        text = format_rounded(timing.filter_s, "s", 3)
        facts.append(Fact("filter is behind by", text, why=behind))
    if timing.load_s:
        facts.append(
            Fact(
                "then takes effect within",
                format_rounded(timing.load_s, "s", 3),
                why=explanations.takes_effect(workspace, reaction),
            )
        )
    do = reaction.do
    if isinstance(do, (BarAction, DutyAction, PeriodAction, DacAction)):
        ends = scaled_ends(workspace, do)
        if ends is None:
            facts.append(Fact("value", "nothing converts it", False))
        else:
            codes, registers = explanations.scale_ends(workspace, reaction)
            text = f"{ends.from_code:.1f} … {ends.to_code:.1f}"
            facts.append(Fact("from code", text, why=codes))
            fits = max(ends.from_out, ends.to_out) <= ends.most
            text = f"{ends.from_out} … {ends.to_out} of {ends.most}"
            facts.append(Fact("register", text, fits, registers))
            steps = abs(ends.to_out - ends.from_out) / abs(ends.to_code - ends.from_code)
            per_code = explanations.steps_per_code(workspace, reaction)
            facts.append(Fact("steps per code", f"{steps:.3g}", why=per_code))
            count_v = volts_per_code(workspace, do.signal, do.input)
            one = explanations.code_of_scale(workspace, reaction)
            facts.append(Fact("1 code", format_rounded(count_v, "V", 4), why=one))
    if isinstance(do, (TextAction, BytesAction)):
        facts.append(Fact("longest", f"{sent_bytes(workspace, reaction)} bytes"))
        wire = explanations.wire_time(workspace, reaction)
        text = format_rounded(wire_s(workspace, reaction), "s", 3)
        facts.append(Fact("on the wire", text, why=wire))
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
            names = threshold_places(workspace)
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
                Field(
                    "pair of", signal, _of_when(reaction, "signal", str), pair_signals(workspace)
                ),
                _change_field(reaction, change),
            ]
        case ComparatorSwitched(comparator=name, edge=edge):
            comparators = tuple(item.name for item in project.comparators)
            edges = ("rising", "falling", "both")
            return [
                Field("comparator", name, _of_when(reaction, "comparator", str), comparators),
                Field("edge", edge, _of_when(reaction, "edge", str), edges),
            ]
        case InputChanged(pin=pin, edge=edge, look_period_s=every_s):
            edges = ("rising", "falling", "both")
            return [
                Field("pin", pin, _of_when(reaction, "pin", str), free_port_pins(workspace, pin)),
                Field("edge", edge, _of_when(reaction, "edge", str), edges),
                Field(
                    "looks every",
                    format_si(every_s, "s", 9),
                    _of_when(reaction, "look_period_s", read_interval),
                    hint="longer than a contact bounces, such as 5 ms",
                ),
                *hand_fields(workspace, pin),
            ]
        case ByteReceived(uart=uart, byte=byte):
            return [
                Field(
                    "serial port",
                    uart,
                    _of_when(reaction, "uart", str),
                    tuple(one.name for one in project.uarts),
                ),
                Field(
                    "byte",
                    "" if byte is None else byte_entry(byte),
                    _of_when(reaction, "byte", read_byte),
                    hint="any; or a character, or 0x41",
                ),
                *line_fields(workspace, uart),
            ]
        case ResultsFetched(converter=converter, mark=mark):
            chains = tuple(chain.converter for chain in project.chains)
            return [
                Field("results of", converter, _of_when(reaction, "converter", str), chains),
                Field(
                    "when",
                    MARK[mark],
                    _of_when(reaction, "mark", lambda text: key_for(text, MARK)),
                    tuple(MARK.values()),
                ),
            ]
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
                Field("DAC", dac, of("dac", str), free_dacs(workspace, dac)),
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
        case ConverterAction(converter=converter, action=action):
            chains = tuple(chain.converter for chain in project.chains)
            return [
                Field("converter", converter, of("converter", str), chains),
                Field(
                    "then",
                    ACTIONS[action],
                    of("action", lambda text: next(one for one in ACTIONS if ACTIONS[one] == text)),
                    tuple(ACTIONS.values()),
                ),
            ]
        case PointAction(signal=signal, pin=pin):
            return [
                Field("signal", signal, of("signal", str), pointable_signals(workspace)),
                Field("input", pin, of("pin", str), pointable_pins(workspace, signal)),
            ]
        case EndAction():
            return []
        case call:
            return [Field("function", call.function, of("function", str.strip), hint="a name in C")]


def _value_fields(
    workspace: Workspace,
    do: ScaledAction,
    of: Callable[[str, Callable[[str], object]], Callable[[str], Edit]],
) -> list[Field]:
    return [
        Field("value of", do.signal, of("signal", str), converted_signals(workspace)),
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


def _other_when(workspace: Workspace, reaction: Reaction, kind: str) -> Edit | None:
    if kind == reaction.when.kind:
        return None
    when = fresh_when(workspace, kind)
    do = reaction.do
    if isinstance(do, PinAction) and do.level.startswith("follows"):
        if isinstance(when, (ComparatorSwitched, InputChanged)):
            when = when.replaced(edge="both")
        elif isinstance(when, (ThresholdCrossed, PairTripped)):
            when = when.replaced(change="both")
        else:
            do = do.replaced(level="toggle")
    return _changed(reaction, when=when, do=do)


def _other_do(workspace: Workspace, reaction: Reaction, kind: str) -> Edit | None:
    if kind == reaction.do.kind:
        return None
    return _changed(reaction, do=fresh_do(workspace, kind, reaction.when))
