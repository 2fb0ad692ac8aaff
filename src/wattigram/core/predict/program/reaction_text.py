"""Reactions in a few words."""

from __future__ import annotations

from wattigram.core.base.quantity import format_si, format_volts
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
from wattigram.core.predict.program.reaction_timing import reaction_timing

LEVEL = {
    "high": "high",
    "low": "low",
    "toggle": "toggle",
    "follows": "high while it holds",
    "follows-inverted": "low while it holds",
}
ESCAPES = (("\\", "\\\\"), ("\r", "\\r"), ("\n", "\\n"), ("\t", "\\t"))


def shown_text(text: str) -> str:
    """A text on one line, as it is typed: ``\\r``, ``\\n``, ``\\t``."""
    for plain, escaped in ESCAPES:
        text = text.replace(plain, escaped)
    return text


def typed_text(shown: str) -> str:
    """What was typed, with its escapes undone."""
    known = {"r": "\r", "n": "\n", "t": "\t", "\\": "\\"}
    out, at = "", 0
    while at < len(shown):
        if shown[at] == "\\" and shown[at + 1 : at + 2] in known:
            out += known[shown[at + 1]]
            at += 2
        else:
            out += shown[at]
            at += 1
    return out


def threshold_name(workspace: Workspace, signal: str, number: int) -> str:
    """A threshold as it is called, or by its number where it has no name."""
    windows = workspace.project.signal(signal).thresholds
    return windows[number - 1].name or f"threshold {number}"


def when_text(workspace: Workspace, reaction: Reaction) -> str:
    """What a reaction waits for, in a few words."""
    match reaction.when:
        case ThresholdCrossed(signal=signal, threshold=number, change=change):
            verb = {"enters": "enters", "leaves": "leaves", "both": "enters or leaves"}[change]
            return f"{signal} {verb} {threshold_name(workspace, signal, number)}"
        case PairTripped(signal=signal, change=change):
            moves = {
                "enters": "parts from",
                "leaves": "comes back to",
                "both": "parts from or meets",
            }
            partner = workspace.project.signal(signal).partner or "its twin"
            return f"{signal} {moves[change]} {partner}"
        case ComparatorSwitched(comparator=name, edge=edge):
            return f"{name} switches, {edge} edge{'s' if edge == 'both' else ''}"
        case InputChanged(pin=pin, edge=edge, look_period_s=every_s):
            moves = {"rising": "goes high", "falling": "goes low", "both": "changes"}
            return f"port pin {pin} {moves[edge]}, looked at every {format_si(every_s, 's', 6)}"
        case ByteReceived(uart=uart, byte=byte):
            return f"{byte_text(byte)} comes over {uart}"
        case ResultsFetched(converter=converter, mark=mark):
            which = {"each": "each half", "half": "the first half", "full": "all"}[mark]
            return f"{which} of the buffer of {converter}"
        case PeriodElapsed(period_s=period_s):
            return f"every {format_si(period_s, 's', 6)}"
        case _:
            return "once, at the start"


def byte_text(byte: int | None) -> str:
    """A byte as it is called: a character as it is typed, else its code."""
    if byte is None:
        return "a byte"
    return f"‘{chr(byte)}’" if 0x21 <= byte <= 0x7E else f"byte 0x{byte:02X}"


def do_texts(reaction: Reaction) -> tuple[str, str]:
    """What a reaction does, in a few words and a few more."""
    match reaction.do:
        case PinAction(pin=pin, level=level):
            return f"port pin {pin}", LEVEL[level]
        case BarAction(pins=pins, shows=shows) as bar:
            return f"{'bar' if shows == 'bar' else 'bits'} on {' '.join(pins)}", _scale_text(
                bar, ""
            )
        case DutyAction(pwm=pwm, low=low, high=high) as duty:
            ends = f"{format_si(low, '%')} … {format_si(high, '%')}"
            return f"duty of {pwm} ← {duty.signal}", _scale_text(duty, ends)
        case PeriodAction(pwm=pwm, low_s=low_s, high_s=high_s) as period:
            ends = f"{format_si(low_s, 's')} … {format_si(high_s, 's')}"
            return f"period of {pwm} ← {period.signal}", _scale_text(period, ends)
        case DacAction(dac=dac, low_v=low_v, high_v=high_v) as level_action:
            ends = f"{format_volts(low_v)} … {format_volts(high_v)}"
            return f"{dac} ← {level_action.signal}", _scale_text(level_action, ends)
        case TextAction(uart=uart, text=text):
            return f"text on {uart}", f"“{shown_text(text)}”"
        case BytesAction(uart=uart, signals=signals, bits=bits):
            return f"bytes on {uart}", f"{bits} bits of {', '.join(signals)}"
        case ConverterAction(converter=converter, action=action):
            on = {
                "stop": "off, until it is started",
                "start": "on again",
                "rearm": "one run more, once it is over",
            }
            return f"{action.replace('rearm', 're-arm')} {converter}", on[action]
        case PointAction(signal=signal, pin=pin):
            return f"point {signal} to {pin}", "from the next scan on"
        case EndAction():
            return "end the run", "all is turned off"
        case call:
            return f"own code {call.function}()", "in own.c"


def _scale_text(action: ScaledAction, ends: str) -> str:
    start = f"{format_volts(action.from_v)} … {format_volts(action.to_v)}"
    return f"{start} → {ends}" if ends else start


def after_texts(workspace: Workspace, reaction: Reaction) -> tuple[str, str]:
    """How long after its cause it acts at most, and what comes on top first of all."""
    timing = reaction_timing(workspace, reaction)
    more = ""
    if timing.load_s:
        more = f"+ {format_si(timing.load_s, 's', 3)} to load"
    elif timing.wire_s:
        more = f"+ {format_si(timing.wire_s, 's', 3)} on the wire"
    elif timing.filter_s:
        more = f"filter {format_si(timing.filter_s, 's', 3)} behind"
    if isinstance(reaction.when, (PeriodElapsed, RunStarted)):
        if timing.most_s:
            return f"≤ {format_si(timing.most_s, 's', 3)} after it is due", more
        return "when due", more
    return f"≤ {format_si(timing.most_s, 's', 3)}", more
