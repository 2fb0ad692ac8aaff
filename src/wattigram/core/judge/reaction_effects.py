"""What reactions did in a take: when their causes came, and when their effects."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Sequence
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.take import Take
from wattigram.core.capture.take.signal_samples import OutputSamples
from wattigram.core.model.design import (
    BarAction,
    ByteReceived,
    BytesAction,
    ComparatorSwitched,
    ConverterAction,
    InputChanged,
    PairTripped,
    PeriodElapsed,
    PinAction,
    PointAction,
    ProgramOutput,
    Reaction,
    ResultsFetched,
    RunStarted,
    SoftwareTrigger,
    TextAction,
    TextValue,
    ThresholdCrossed,
    Watch,
    changes_of,
    output_of,
    program_outputs,
    start_levels,
    text_pieces,
)
from wattigram.core.predict.program import volts_per_code
from wattigram.core.predict.timing import scan_timing, slot_order

FloatArray = NDArray[np.float64]
SAME_S = 1e-9
"""Instants that are nearer than this are the same tick."""


class Due(msgspec.Struct, frozen=True):
    """Something that causes a reaction: when its value was held, or it was due."""

    time_s: float
    holds: bool = True


class Effects(msgspec.Struct, frozen=True):
    """Causes of a reaction with their effects.

    Attributes
    ----------
    latencies_s : (n,) float64, from each cause that had its effect to that effect
    due, missing : int, causes that were to have an effect, and those that had none
    unexpected : int, effects without a cause
    """

    latencies_s: FloatArray
    due: int
    missing: int
    unexpected: int


def samples_of(take: Take, output: ProgramOutput) -> OutputSamples:
    """What was seen of an output."""
    project = take.workspace.project
    return take.output(len(project.routes) + program_outputs(project.reactions).index(output))


def causes_of(take: Take, reaction: Reaction) -> list[Due]:
    """When a reaction was to act, in the order of time, as the board told it."""
    workspace = take.workspace
    match reaction.when:
        case ThresholdCrossed(signal=signal, threshold=number, change=change):
            return _events(take, Watch("window", signal, number - 1), change)
        case PairTripped(signal=signal, change=change):
            return _events(take, Watch("twin", signal), change)
        case ComparatorSwitched(comparator=name) as when:
            comparator = workspace.project.comparator(name)
            assert comparator is not None
            watch = Watch("comparator", comparator.signal, comparator=name)
            return _events(take, watch, changes_of(when))
        case InputChanged(pin=pin, look_period_s=every_s) as when:
            return _events(
                take, Watch("input", "", pin=pin, look_period_s=every_s), changes_of(when)
            )
        case ByteReceived(uart=uart, byte=byte):
            return _events(take, Watch("byte", "", uart=uart, byte=byte), "enters")
        case ResultsFetched(converter=converter, mark=mark):
            return [Due(at_s) for at_s in fetched_s(take, converter, mark).tolist()]
        case PeriodElapsed(period_s=period_s):
            every = max(1, round(period_s * take.tick_hz)) / take.tick_hz
            count = int(take.seconds / every + SAME_S)
            first = max(1, math.ceil(take.begins_s / every))
            return [Due(number * every) for number in range(first, count + 1)]
        case RunStarted():
            return [] if take.begins_ticks else [Due(0.0)]


def _events(take: Take, watch: Watch, change: str) -> list[Due]:
    watches = take.workspace.watches
    if watch not in watches:
        return []
    mine = take.events[take.events["source"] == watches.index(watch)]
    wanted = {"enters": (True,), "leaves": (False,), "both": (True, False)}[change]
    return [
        Due(int(row["ticks"]) / take.tick_hz, bool(row["entered"]))
        for row in mine
        if bool(row["entered"]) in wanted
    ]


def fetched_s(
    take: Take, converter: str, mark: Literal["each", "half", "full"] = "each"
) -> FloatArray:
    """When the program had each part of a converter's results, or those that end the first half of its
    buffer or fill it, (parts,) seconds: when the last of it was ready."""
    project = take.workspace.project
    chain = project.chain(converter)
    assert chain is not None
    rows = take.frame_rows(project.chains.index(chain))
    slots = len(chain.slots)
    cycle = scan_timing(take.workspace, chain)
    order = slot_order(take.workspace, chain)
    later_s = [float(cycle.slots[place].end_s - cycle.slots[place].held_s) for place in order]
    ends = []
    for row in rows:
        last = int(row["first"]) + int(row["count"]) - 1
        is_full = (last + 1) % chain.buffer.samples == 0
        if mark != "each" and is_full != (mark == "full"):
            continue
        number, slot = divmod(last, slots)
        held_s = take.instants(chain, number, number + 1).held_s(number, number + 1)
        ends.append(float(held_s[0, slot]) + later_s[slot])
    return np.array(ends)


# --- pins, and inputs of signals


def change_effects(take: Take, reaction: Reaction, within_s: float) -> Effects:
    """Changes that a reaction makes of a pin's level, or of the input that a signal is read at, held
    against its causes.

    A cause that leaves it as it is has no effect; all reactions that set the same are followed for
    that.
    """
    output = output_of(reaction)
    assert output is not None
    is_pin = output.kind == "pins"
    wanted = (
        wanted_changes(take, output.names[0]) if is_pin else wanted_inputs(take, output.names[0])
    )
    mine = [(due, level) for due, level, owner in wanted if owner == reaction.name]
    seen = samples_of(take, output)
    times = seen.times_s.tolist()
    levels = (seen.values & 1 if is_pin else seen.values).tolist()
    changes = [
        (at, level)
        for before, at, level in zip(levels, times[1:], levels[1:], strict=False)
        if level != before
    ]
    is_alone = len({owner for _due, _level, owner in wanted}) <= 1
    return _matched(take, mine, changes, within_s, count_others=is_alone)


def level_at_start(take: Take, pin: str) -> bool:
    """A pin's level when the take begins: as designed, or where it begins later than the run, as recorded."""
    project = take.workspace.project
    if take.begins_ticks:
        for output in program_outputs(project.reactions):
            if output.kind == "pins" and output.names == (pin,):
                values = samples_of(take, output).values
                if len(values):
                    return bool(values[0] & 1)
    return start_levels(project.reactions).get(pin, False)


def wanted_changes(take: Take, pin: str) -> list[tuple[Due, bool, str]]:
    """Causes that change a pin, with the level after it and the reaction that does it."""
    reactions = take.workspace.project.reactions
    setters = [one for one in reactions if isinstance(one.do, PinAction) and one.do.pin == pin]
    due = [(cause, one) for one in setters for cause in causes_of(take, one)]
    level = level_at_start(take, pin)
    wanted = []
    for cause, one in sorted(due, key=lambda pair: pair[0].time_s):
        assert isinstance(one.do, PinAction)
        after = {
            "high": True,
            "low": False,
            "toggle": not level,
            "follows": cause.holds,
            "follows-inverted": not cause.holds,
        }[one.do.level]
        if after != level:
            wanted.append((cause, after, one.name))
        level = after
    return wanted


def wanted_inputs(take: Take, signal: str) -> list[tuple[Due, int, str]]:
    """Causes that let a signal be read at another input, with the channel after it and the reaction that
    does it."""
    workspace = take.workspace
    chain = workspace.project.chain_of(signal)
    assert chain is not None
    converter = workspace.converter(chain)
    setters = [
        (one, one.do)
        for one in workspace.project.reactions
        if isinstance(one.do, PointAction) and one.do.signal == signal
    ]
    seen = samples_of(take, ProgramOutput("input", (signal,))).values
    now = converter.channel(workspace.project.signal(signal).pin, None)
    if take.begins_ticks and len(seen):
        now = int(seen[0])
    due = [(cause, one, do) for one, do in setters for cause in causes_of(take, one)]
    wanted = []
    for cause, one, do in sorted(due, key=lambda row: row[0].time_s):
        after = converter.channel(do.pin, None)
        assert after is not None
        if after != now:
            wanted.append((cause, after, one.name))
        now = after
    return wanted


def _matched(
    take: Take,
    mine: Sequence[tuple[Due, int]],
    changes: Sequence[tuple[float, int]],
    within_s: float,
    *,
    count_others: bool,
) -> Effects:
    """Each cause with the first change to its level after it, before the next cause of that kind. What changes
    at the very beginning of a take that begins later may be of a cause before it."""
    left, end_s = list(changes), take.seconds
    latencies, missing, due = [], 0, 0
    for number, (cause, level) in enumerate(mine):
        until_s = next((one.time_s for one, other in mine[number + 1 :] if other == level), np.inf)
        found = next(
            (
                place
                for place, (at, after) in enumerate(left)
                if after == level and cause.time_s - SAME_S <= at < until_s + within_s
            ),
            None,
        )
        if found is not None:
            latencies.append(max(0.0, left.pop(found)[0] - cause.time_s))
        elif cause.time_s + within_s < end_s:
            missing += 1
        else:
            continue
        due += 1
    if take.begins_ticks:
        left = [change for change in left if change[0] > take.begins_s + within_s]
    unexpected = len(left) if count_others else 0
    return Effects(np.array(latencies), due, missing, unexpected)


# --- scans


def scan_effects(take: Take, reaction: Reaction, within_s: float) -> Effects | None:
    """Scans that a reaction asks for, held against its causes; None where it does not ask for each by
    itself, but turns a converter on or off."""
    assert isinstance(reaction.do, ConverterAction)
    workspace = take.workspace
    chain = workspace.project.chain(reaction.do.converter)
    assert chain is not None
    if not (isinstance(chain.trigger, SoftwareTrigger) and chain.trigger.asked):
        return None
    starters = workspace.project.starters_of(chain)
    asked = sorted(
        ((cause, one.name) for one in starters for cause in causes_of(take, one)),
        key=lambda pair: pair[0].time_s,
    )
    first = slot_order(workspace, chain)[0]
    slot = scan_timing(workspace, chain).slots[first]
    first, end = take.first_cycle(chain), take.chain_cycles(chain)
    held_s = (
        take.instants(chain, first, end).held_s(first, end)[:, 0] if end > first else np.empty(0)
    )
    begun = [(at, True) for at in (held_s - float(slot.held_s - slot.start_s)).tolist()]
    mine = [(cause, True) for cause, name in asked if name == reaction.name]
    return _matched(take, mine, begun, within_s, count_others=len(starters) == 1)


# --- registers and bars


def write_effects(take: Take, reaction: Reaction, within_s: float) -> Effects:
    """Writes of a register, or of pins as a bar, held against the causes: each is to come within its
    time, unless it would change nothing."""
    output = output_of(reaction)
    assert output is not None
    seen = samples_of(take, output)
    times = seen.times_s[1:] if output.kind == "pins" else seen.times_s
    if take.begins_ticks:  # what stood there, and what may be of a cause before it
        times = times[times > take.begins_s + within_s]
    causes = np.array([cause.time_s for cause in causes_of(take, reaction)])
    if not len(causes):
        return Effects(np.empty(0), 0, 0, len(times))
    places = np.searchsorted(causes, times + SAME_S, side="right") - 1
    is_caused = places >= 0
    latencies = np.maximum(times[is_caused] - causes[places[is_caused]], 0.0)
    missing = 0
    due = causes[causes + within_s < take.seconds]
    if output.kind != "pins" and len(times):
        # Nothing is written before there is a value: what comes before the first write is not due.
        due = due[due >= times[0] - float(latencies.max(initial=0.0)) - SAME_S]
        reached = np.zeros(len(causes), dtype=bool)
        reached[places[is_caused]] = True
        missing = int(np.count_nonzero(~reached[np.searchsorted(causes, due)]))
    elif output.kind != "pins":
        missing = len(due)
    unexpected = int(np.count_nonzero(~is_caused))
    return Effects(latencies, len(latencies) + missing, missing, unexpected)


# --- text


class SentText(msgspec.Struct, frozen=True):
    """A text as it left: when its first byte began, whose it is, and the values in it as volts."""

    time_s: float
    reaction: str
    text: str
    values_v: tuple[float, ...]


_FORMS = {
    "V": rb"(-?\d+\.\d{4})",
    "mV": rb"(-?\d+\.\d)",
    "code": rb"(-?\d+)",
    "hex": rb"0x([0-9A-F]+)",
}


def sent_texts(take: Take, uart: str) -> tuple[list[SentText], int]:
    """Texts that left a serial port, each told from the others by its plain parts; and bytes that
    belong to none."""
    output = ProgramOutput("uart", (uart,))
    seen = samples_of(take, output)
    kept = ~seen.overwritten
    data = bytes((seen.values[kept] & 0xFF).astype(np.uint8))
    times_s = seen.times_s[kept]
    reactions = [one for one in take.workspace.project.reactions if output_of(one) == output]
    patterns = [(one, re.compile(_pattern(one), re.DOTALL)) for one in reactions]
    texts: list[SentText] = []
    at = strays = 0
    while at < len(data):
        hit = next(
            ((one, match) for one, known in patterns if (match := known.match(data, at))), None
        )
        if hit is None:
            strays += not _is_cut(data[at:], reactions)
            at += 1
            continue
        reaction, match = hit
        said = match[0].decode("utf-8", "replace")
        values = tuple(_volts(take, reaction, match))
        texts.append(SentText(float(times_s[at]), reaction.name, said, values))
        at = match.end()
    return texts, strays


def _pattern(reaction: Reaction) -> bytes:
    match reaction.do:
        case TextAction(text=text):
            return b"".join(
                re.escape(piece.encode()) if isinstance(piece, str) else _FORMS[piece.form]
                for piece in text_pieces(text)
            )
        case BytesAction(signals=signals, bits=bits):
            return (
                b"(" + b".{%d}" % (bits // 8) + b")" + b"(.{%d})" % (bits // 8) * (len(signals) - 1)
            )
        case _:
            return b"(?!)"


def _is_cut(rest: bytes, reactions: list[Reaction]) -> bool:
    """Whether bytes are the beginning of a text that the take's end has cut off."""
    longest = max((len(_pattern(one)) for one in reactions), default=0)
    return len(rest) < longest


def _volts(take: Take, reaction: Reaction, match: re.Match[bytes]) -> Iterator[float]:
    workspace = take.workspace
    groups = match.groups()
    if isinstance(reaction.do, BytesAction):
        for signal, said in zip(reaction.do.signals, groups, strict=True):
            chain = workspace.project.chain_of(signal)
            bits = chain.bits if chain is not None else 8
            count_v = volts_per_code(workspace, signal, reaction.do.input)
            little = reaction.do.endianness == "little-endian"
            code = int.from_bytes(said, "little" if little else "big")
            yield code * count_v * (1 << max(0, bits - 8) if reaction.do.bits == 8 else 1)
        return
    assert isinstance(reaction.do, TextAction)
    values = [piece for piece in text_pieces(reaction.do.text) if isinstance(piece, TextValue)]
    for piece, said in zip(values, groups, strict=True):
        count_v = volts_per_code(workspace, piece.signal, piece.input)
        match piece.form:
            case "V":
                yield float(said)
            case "mV":
                yield float(said) / 1000
            case "hex":
                yield int(said, 16) * count_v
            case _:
                yield int(said) * count_v


def text_effects(take: Take, reaction: Reaction, within_s: float) -> Effects:
    """First bytes of a reaction's texts, held against its causes."""
    output = output_of(reaction)
    assert output is not None
    texts, strays = sent_texts(take, output.names[0])
    mine = [text.time_s for text in texts if text.reaction == reaction.name]
    causes = [(cause, True) for cause in causes_of(take, reaction)]
    if not isinstance(reaction.when, RunStarted) and mine:
        # Before there is a value nothing is sent.
        causes = [pair for pair in causes if pair[0].time_s >= mine[0] - within_s]
    found = _matched(take, causes, [(at, True) for at in mine], within_s, count_others=True)
    return Effects(found.latencies_s, found.due, found.missing, found.unexpected + (strays > 0))


def effects_of(take: Take, reaction: Reaction, within_s: float) -> Effects | None:
    """Causes and effects of a reaction; None for one whose effect nobody sees."""
    match reaction.do:
        case PinAction() | PointAction():
            return change_effects(take, reaction, within_s)
        case TextAction() | BytesAction():
            return text_effects(take, reaction, within_s)
        case BarAction():
            return write_effects(take, reaction, within_s)
        case ConverterAction():
            return scan_effects(take, reaction, within_s)
        case _:
            output = output_of(reaction)
            return write_effects(take, reaction, within_s) if output is not None else None
