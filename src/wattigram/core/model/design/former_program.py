"""What projects of version 5 and before said of the program, as reactions, and back.

A serial port had one signal that was sent every so often, and a threshold could name a pin that it
sets. The build ID is still worked out over those words where a design can be told in them.
"""

from __future__ import annotations

from typing import Any

from wattigram.core.base.models import plain_values
from wattigram.core.model.design.project import Project
from wattigram.core.model.design.reaction import (
    BytesAction,
    PairTripped,
    PeriodElapsed,
    PinAction,
    Reaction,
    ResultsFetched,
    TextAction,
    ThresholdCrossed,
    with_braces_doubled,
)

LONGEST_NAME = 60


def from_version_4(data: dict[str, Any]) -> dict[str, Any]:
    """What a port reported, in the words of version 5."""
    uarts = _copies(data, "uarts")
    for uart in uarts:
        if isinstance(uart, dict) and isinstance(uart.get("report"), dict):
            report = dict(uart.pop("report"))
            if "every" in report:
                report["period"] = report.pop("every")
            uart["text_output"] = report
    return {**data, "uarts": uarts} if uarts else data


def from_version_5(data: dict[str, Any]) -> dict[str, Any]:
    """Plain values of a project of version 5 with reactions; what is unknown is left as it is."""
    made: list[dict[str, Any]] = []
    data = {**data, "uarts": _copies(data, "uarts"), "signals": _copies(data, "signals")}
    for uart in data["uarts"]:
        if isinstance(uart, dict) and isinstance(uart.get("text_output"), dict):
            made.append(_report(uart, uart.pop("text_output"), made))
    for signal in data["signals"]:
        if isinstance(signal, dict):
            made += _pins(signal, made)
    for key in ("uarts", "signals"):
        if not data[key]:
            del data[key]
    return {**data, "reactions": made} if made else data


def _copies(data: dict[str, Any], key: str) -> list[Any]:
    items = data.get(key, [])
    if not isinstance(items, list):
        return [items]
    return [dict(item) if isinstance(item, dict) else item for item in items]


def _report(
    uart: dict[str, Any], said: dict[str, Any], made: list[dict[str, Any]]
) -> dict[str, Any]:
    signal, uart_name = str(said.get("signal", "")), str(uart.get("name", ""))
    form = said.get("form", "text")
    do: dict[str, Any] = (
        {"kind": "text", "uart": uart_name, "text": line_of(signal)}
        if form == "text"
        else {"kind": "bytes", "uart": uart_name, "signals": [signal], "input": "raw"}
    )
    when = {"kind": "period", "period": said.get("period")}
    return {"name": _fresh(f"{signal} over {uart_name}", made), "when": when, "do": do}


def _pins(signal: dict[str, Any], made: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """A reaction for each threshold, and for a pair, that named a pin."""
    name = str(signal.get("name", ""))
    more: list[dict[str, Any]] = []
    signal["thresholds"] = _copies(signal, "thresholds")
    sources: list[tuple[Any, dict[str, Any]]] = [
        (window, {"kind": "threshold", "signal": name, "threshold": number, "change": "both"})
        for number, window in enumerate(signal["thresholds"], start=1)
    ]
    if isinstance(signal.get("redundant_pair"), dict):
        signal["redundant_pair"] = dict(signal["redundant_pair"])
        when = {"kind": "redundant-pair", "signal": name, "change": "both"}
        sources.append((signal["redundant_pair"], when))
    for source, when in sources:
        pin = source.pop("pin", None) if isinstance(source, dict) else None
        if not isinstance(source, dict) or source.get("action") != "pin":
            continue
        del source["action"]
        title = source.get("name") or name
        do = {"kind": "pin", "pin": pin, "level": "follows"}
        more.append({"name": _fresh(f"{title} sets {pin}", made + more), "when": when, "do": do})
    if not signal["thresholds"]:
        del signal["thresholds"]
    return more


def _fresh(name: str, made: list[dict[str, Any]]) -> str:
    taken = {reaction["name"] for reaction in made}
    name = name[: LONGEST_NAME - 3]
    return next(
        one
        for number in range(1, 1000)
        if (one := f"{name} {number}" if number > 1 else name) not in taken
    )


def line_of(signal: str) -> str:
    """The line that a signal was reported in."""
    name = with_braces_doubled(signal)
    return f"{name} {{{name}:raw V}} V\r\n"


def in_former_program(project: Project, design: dict[str, Any]) -> dict[str, Any]:
    """Values in the words of version 4 with what the program does as it was said then; reactions
    that could not be said stay."""
    places = {signal.name: number for number, signal in enumerate(project.signals)}
    ports = {uart.name: number for number, uart in enumerate(project.uarts)}
    for uart in design.get("uarts", ()):
        uart["report"] = None
    for signal in design["signals"]:
        for said in (*signal["windows"], *([signal["twin"]] if signal["twin"] else ())):
            said["pin"] = None
    left: list[Reaction] = []
    for reaction in project.reactions:
        when, do = reaction.when, reaction.do
        report = _former_report(reaction)
        if report is not None and isinstance(do, (TextAction, BytesAction)):
            uart = design["uarts"][ports[do.uart]]
            if uart["report"] is None:
                uart["report"] = report
                continue
        if isinstance(do, PinAction) and do.level == "follows" and not do.starts_high:
            source: dict[str, Any] | None = None
            if isinstance(when, ThresholdCrossed):
                source = design["signals"][places[when.signal]]["windows"][when.threshold - 1]
            elif isinstance(when, PairTripped):
                source = design["signals"][places[when.signal]]["twin"]
            if source is not None and source["action"] == "event":
                source |= {"action": "pin", "pin": do.pin}
                continue
        left.append(reaction)
    design.pop("reactions", None)
    if left:
        design["reactions"] = [_said(reaction) for reaction in left]
    return design


def _former_report(reaction: Reaction) -> dict[str, Any] | None:
    when, do = reaction.when, reaction.do
    if not isinstance(when, PeriodElapsed):
        return None
    every = plain_values(when)["period"]
    match do:
        case TextAction():
            signals = [signal for signal, _input in reaction.readings]
            if len(signals) == 1 and do.text == line_of(signals[0]):
                return {"signal": signals[0], "every": every, "form": "text"}
        case BytesAction(signals=(signal,), input="raw", bits=8):
            return {"signal": signal, "every": every, "form": "byte"}
        case _:
            pass
    return None


def _said(reaction: Reaction) -> dict[str, Any]:
    """All of a reaction, without what came later and says nothing: clocks that nobody has stated, halves
    that are all the same."""
    values = plain_values(reaction, with_none=True)
    if reaction.cycles is None:
        del values["cycles"]
    if isinstance(reaction.when, ResultsFetched) and reaction.when.mark == "each":
        del values["when"]["mark"]
    return values
