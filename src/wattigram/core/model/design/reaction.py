"""Reactions: what the program does, when it does it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from fractions import Fraction
from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from wattigram.core.base.fields import Every, Share, Volts
from wattigram.core.base.models import StrictModel
from wattigram.core.model.design.route import Order
from wattigram.core.model.design.trigger import Edge
from wattigram.core.model.field_types import Flag, InputName, Name, PinName

Input = Literal["raw", "filtered"]
Change = Literal["enters", "leaves", "both"]
"""When a condition begins to hold, when it ceases to, or both."""


# --- when


class ThresholdCrossed(StrictModel):
    """The condition of a threshold begins to hold, or ceases to."""

    kind: Literal["threshold"] = "threshold"
    signal: Name
    threshold: Annotated[int, Meta(ge=1, le=8)] = 1
    change: Change = "enters"


class PairTripped(StrictModel):
    """A signal and its twin differ by more than they may, or do so no longer."""

    kind: Literal["redundant-pair"] = "redundant-pair"
    signal: Name
    change: Change = "enters"


class ComparatorSwitched(StrictModel):
    """The output of a comparator changes."""

    kind: Literal["comparator"] = "comparator"
    comparator: Name
    edge: Edge = "rising"


class InputChanged(StrictModel):
    """The level of a port pin changes: a button, a switch, a line of another board.

    The program looks at it every ``look_period_s``, and takes for a change what is so from one look to
    the next; a contact that bounces for less is seen once.
    """

    kind: Literal["input"] = "input"
    pin: PinName
    edge: Edge = "falling"
    look_period_s: Every = Fraction(5, 1000)


class ByteReceived(StrictModel):
    """A byte comes over a serial port: a certain one, or any."""

    kind: Literal["byte"] = "byte"
    uart: Name
    byte: Annotated[int, Meta(ge=0, le=511)] | None = None


class ResultsFetched(StrictModel):
    """The program has got results of a converter: a half of its buffer is full, the first, or the
    second, with which all of it is. With that a single run is over."""

    kind: Literal["results"] = "results"
    converter: Name
    mark: Literal["each", "half", "full"] = "each"


class PeriodElapsed(StrictModel):
    """A period is over; the first ends one period after the start."""

    kind: Literal["period"] = "period"
    period_s: Every


class RunStarted(StrictModel):
    """All is set up, and the board begins to run."""

    kind: Literal["start"] = "start"


When = (
    ThresholdCrossed
    | PairTripped
    | ComparatorSwitched
    | InputChanged
    | ByteReceived
    | ResultsFetched
    | PeriodElapsed
    | RunStarted
)


Condition = ThresholdCrossed | PairTripped | ComparatorSwitched | InputChanged
"""Causes that hold for a while, so that they begin and end."""
CONDITIONS = (ThresholdCrossed, PairTripped, ComparatorSwitched, InputChanged)


# --- do


class PinAction(StrictModel):
    """A port pin is set. ``follows`` is high while the condition holds, ``follows-inverted`` low.

    ``starts_high`` is its level before anything happens.
    """

    kind: Literal["pin"] = "pin"
    pin: PinName
    level: Literal["high", "low", "toggle", "follows", "follows-inverted"] = "high"
    starts_high: Flag = False

    @property
    def is_high_at_start(self) -> bool:
        """Its level before anything happens."""
        return self.starts_high or self.level == "follows-inverted"


class BarAction(StrictModel):
    """A value is shown on port pins: as a bar that grows from the first pin, or as bits, the first
    pin the lowest.

    Nothing is lit at ``from_v``, all is at ``to_v``.
    """

    kind: Literal["bar"] = "bar"
    pins: Annotated[tuple[PinName, ...], Meta(min_length=2, max_length=16)]
    shows: Literal["bar", "bits"] = "bar"
    signal: Name
    input: Input = "filtered"
    from_v: Volts
    to_v: Volts


class DutyAction(StrictModel):
    """The duty of a PWM output follows a value: ``low`` at ``from_v``, ``high`` at ``to_v``, and
    no more or less beyond."""

    kind: Literal["duty"] = "duty"
    pwm: Name
    signal: Name
    input: Input = "filtered"
    from_v: Volts
    to_v: Volts
    low: Share = 0.0
    high: Share = 1.0


class PeriodAction(StrictModel):
    """The period of a PWM output follows a value; its pulse stays as long as it was."""

    kind: Literal["pulse-period"] = "pulse-period"
    pwm: Name
    signal: Name
    input: Input = "filtered"
    from_v: Volts
    to_v: Volts
    low_s: Every
    high_s: Every


class DacAction(StrictModel):
    """The level of a DAC follows a value."""

    kind: Literal["dac"] = "dac"
    dac: Name
    signal: Name
    input: Input = "filtered"
    from_v: Volts
    to_v: Volts
    low_v: Volts
    high_v: Volts


class TextAction(StrictModel):
    """Text is sent over a serial port; ``{signal}`` in it stands for the newest value.

    ``{signal:V}`` gives volts, ``mV`` millivolts, ``code`` and ``hex`` the code; ``raw`` before it
    the value before the filter. ``{{`` and ``}}`` are braces, in the name of a signal too.
    """

    kind: Literal["text"] = "text"
    uart: Name
    text: Annotated[str, Meta(min_length=1, max_length=300)]

    def __post_init__(self) -> None:
        if not list(text_pieces(self.text)):  # all of it, so that every fault is told
            raise ValueError("the text is empty. Write some.")


class BytesAction(StrictModel):
    """Newest values are sent over a serial port as they are: the upper eight bits of each, or
    sixteen."""

    kind: Literal["bytes"] = "bytes"
    uart: Name
    signals: Annotated[tuple[Name, ...], Meta(min_length=1, max_length=8)]
    input: Input = "filtered"
    bits: Literal[8, 16] = 8
    endianness: Order = "little-endian"


class ConverterAction(StrictModel):
    """A converter is turned off, or on again; one that starts itself, or that the program starts again
    and again, begins anew with that. Re-armed, it fills its buffer once more from the first element on;
    while a single run is not over that does nothing."""

    kind: Literal["converter"] = "converter"
    converter: Name
    action: Literal["stop", "start", "rearm"] = "stop"


class PointAction(StrictModel):
    """A signal is read at another pin: its slots are pointed there, from the next scan on."""

    kind: Literal["point"] = "point"
    signal: Name
    pin: InputName


class EndAction(StrictModel):
    """The run ends: converters and timers are turned off, and what is left is handed over."""

    kind: Literal["end"] = "end"


class CallAction(StrictModel):
    """A function of the engineer's own is called, from the main loop."""

    kind: Literal["call"] = "call"
    function: Annotated[
        str,
        Meta(
            pattern=r"^[a-z][a-z0-9_]{0,40}\Z",
            description="a C name of small letters, digits and underscores, at most 41",
        ),
    ]

    def __post_init__(self) -> None:
        if self.function.startswith("wg_"):
            raise ValueError("names with wg_ are taken by generated code. Choose another.")


Do = (
    PinAction
    | BarAction
    | DutyAction
    | PeriodAction
    | DacAction
    | TextAction
    | BytesAction
    | ConverterAction
    | PointAction
    | EndAction
    | CallAction
)
ScaledAction = BarAction | DutyAction | PeriodAction | DacAction
"""Actions that put a value through a scale."""


class Reaction(StrictModel):
    """Something that the program does each time that something happens, in its main loop.

    ``cycles``: clocks of the processor from when the program knows what causes it until it is done,
    stated or measured; None where nobody has said.
    """

    name: Name
    when: When
    do: Do
    cycles: Annotated[int, Meta(ge=0, le=10**9)] | None = None

    def __post_init__(self) -> None:
        action = self.do
        if isinstance(action, PinAction) and action.level.startswith("follows"):
            if not isinstance(self.when, CONDITIONS):
                raise ValueError(
                    "a pin follows a condition, and there is none. Set, clear or toggle it, or "
                    "let a threshold decide."
                )
            if changes_of(self.when) != "both":
                raise ValueError(
                    "a pin that follows a condition must hear of both its changes. Choose “both”."
                )
        if (
            isinstance(action, (BarAction, DutyAction, PeriodAction, DacAction))
            and action.from_v == action.to_v
        ):
            raise ValueError("the scale begins where it ends. Give two different voltages.")

    @property
    def converters(self) -> tuple[str, ...]:
        """Converters that it waits for, or acts upon."""
        waits = (self.when.converter,) if isinstance(self.when, ResultsFetched) else ()
        acts = (self.do.converter,) if isinstance(self.do, ConverterAction) else ()
        return (*waits, *acts)

    @property
    def readings(self) -> tuple[tuple[str, Input], ...]:
        """Signals whose newest values it uses, each once, with the stream that it takes them
        from."""
        match self.do:
            case TextAction(text=text):
                used = [
                    (piece.signal, piece.input)
                    for piece in text_pieces(text)
                    if isinstance(piece, TextValue)
                ]
            case BytesAction(signals=signals, input=where):
                used = [(signal, where) for signal in signals]
            case BarAction() | DutyAction() | PeriodAction() | DacAction():
                used = [(self.do.signal, self.do.input)]
            case _:
                used = []
        return tuple(dict.fromkeys(used))


def changes_of(when: Condition) -> Change:
    """Which changes of a condition count; of a comparator's output, or a pin, that it is high."""
    if isinstance(when, (ComparatorSwitched, InputChanged)):
        words: dict[str, Change] = {"rising": "enters", "falling": "leaves", "both": "both"}
        return words[when.edge]
    return when.change


# --- text


class TextValue(msgspec.Struct, frozen=True):
    """A place in a text that stands for a value."""

    signal: str
    input: Input
    form: Literal["V", "mV", "code", "hex"]


_FORM = re.compile(r"^(?:(raw) )?(V|mV|code|hex)\Z")


def text_pieces(text: str) -> Iterator[str | TextValue]:
    """A text cut into what is sent as it stands and what stands for values.

    Raises ``ValueError`` for braces that do not belong together, or a form that is not known.
    """
    at, plain = 0, ""
    while at < len(text):
        if text[at : at + 2] in {"{{", "}}"}:
            plain += text[at]
            at += 2
        elif text[at] == "{":
            said, end = _placed(text, at)
            if plain:
                yield plain
            plain = ""
            yield _text_value(said)
            at = end
        elif text[at] == "}":
            raise ValueError("a brace is closed that was not opened. Remove it, or write }}.")
        else:
            plain += text[at]
            at += 1
    if plain:
        yield plain


def _placed(text: str, begin: int) -> tuple[str, int]:
    """What stands between the brace at ``begin`` and the one that closes it, and where the text goes
    on. Braces of a name are doubled; of each pair the second belongs to the first, so that a brace
    may follow a value."""
    said, at, open_braces = "", begin + 1, 0
    while at < len(text):
        if text[at : at + 2] == "{{":
            said, at, open_braces = said + "{", at + 2, open_braces + 1
        elif open_braces and text[at : at + 2] == "}}":
            said, at, open_braces = said + "}", at + 2, open_braces - 1
        elif text[at] == "}":
            return said, at + 1
        else:
            said, at = said + text[at], at + 1
    raise ValueError(f"the brace in “{text[begin:]}” is not closed. Close it, or write {{{{.")


def with_braces_doubled(text: str) -> str:
    """A text, or a name, as it is written in the text of a reaction."""
    return text.replace("{", "{{").replace("}", "}}")


def _text_value(said: str) -> TextValue:
    name, colon, form = said.rpartition(":")
    if not colon:
        return TextValue(said, "filtered", "V")
    known = _FORM.match(form)
    if known is None:
        raise ValueError(
            f"“{form}” in {{{said}}} is no form. Choose V, mV, code or hex, with “raw ” before it "
            "where the filter is to be left out."
        )
    return TextValue(name, "raw" if known[1] else "filtered", known[2])  # type: ignore[arg-type]


# --- what it moves


class ProgramOutput(msgspec.Struct, frozen=True):
    """Something that the program moves: port pins, a register, a serial port, the input that a signal
    is read at."""

    kind: Literal["pins", "duty", "pulse-period", "dac", "uart", "input"]
    names: tuple[str, ...]
    """Pins, or the one PWM output, DAC, UART or signal."""

    @property
    def title(self) -> str:
        """As it is shown."""
        words = {"duty": "duty of ", "pulse-period": "period of ", "input": "channel of "}
        return words.get(self.kind, "") + " ".join(self.names)


def output_of(reaction: Reaction) -> ProgramOutput | None:
    """What a reaction moves; None for one that only calls."""
    match reaction.do:
        case PinAction(pin=pin):
            return ProgramOutput("pins", (pin,))
        case BarAction(pins=pins):
            return ProgramOutput("pins", pins)
        case DutyAction(pwm=pwm):
            return ProgramOutput("duty", (pwm,))
        case PeriodAction(pwm=pwm):
            return ProgramOutput("pulse-period", (pwm,))
        case DacAction(dac=dac):
            return ProgramOutput("dac", (dac,))
        case TextAction(uart=uart) | BytesAction(uart=uart):
            return ProgramOutput("uart", (uart,))
        case PointAction(signal=signal):
            return ProgramOutput("input", (signal,))
        case _:
            return None


def program_outputs(reactions: tuple[Reaction, ...]) -> tuple[ProgramOutput, ...]:
    """All that reactions move, each once, in their order: their streams are numbered so."""
    moved = [output_of(reaction) for reaction in reactions]
    return tuple(dict.fromkeys(output for output in moved if output is not None))


def pointed_pins(reactions: tuple[Reaction, ...], signal: str) -> tuple[str, ...]:
    """Pins at which reactions let a signal be read, each once."""
    pins = [
        one.do.pin
        for one in reactions
        if isinstance(one.do, PointAction) and one.do.signal == signal
    ]
    return tuple(dict.fromkeys(pins))


def start_levels(reactions: tuple[Reaction, ...]) -> dict[str, bool]:
    """Port pins that reactions set, each with its level before anything happens."""
    pins: dict[str, bool] = {}
    for reaction in reactions:
        match reaction.do:
            case PinAction(pin=pin):
                pins[pin] = reaction.do.is_high_at_start
            case BarAction(pins=shown):
                pins |= {pin: False for pin in shown if pin not in pins}
            case _:
                pass
    return pins


def awaited_bytes(reactions: tuple[Reaction, ...]) -> tuple[tuple[str, int | None], ...]:
    """Serial ports with the bytes that reactions wait for, None for any; each once."""
    waits = [
        (reaction.when.uart, reaction.when.byte)
        for reaction in reactions
        if isinstance(reaction.when, ByteReceived)
    ]
    return tuple(dict.fromkeys(waits))


def watched_inputs(reactions: tuple[Reaction, ...]) -> tuple[tuple[str, Fraction], ...]:
    """Port pins that the program looks at, with how often, in seconds; each once."""
    looks = [
        (reaction.when.pin, reaction.when.look_period_s)
        for reaction in reactions
        if isinstance(reaction.when, InputChanged)
    ]
    return tuple(dict.fromkeys(looks))
