"""Value changes over time, as IEEE Std 1364 describes them: channels as real numbers, what leaves the part, events
and port pins as they switch."""

from __future__ import annotations

from collections.abc import Iterator
from heapq import merge
from pathlib import Path

import msgspec

from wattigram import __version__
from wattigram.core.capture.recording.changes import Changing, changes_of
from wattigram.core.capture.recording.channel import Recording
from wattigram.core.capture.recording.export_arrays import identifiers
from wattigram.core.capture.recording.exporting import Choice, Progress, Share, Written, new_file

FINEST_S = 1e-12
SCALES = {1e-9: "1 ns", 1e-12: "1 ps"}
LONGEST_S = 9_000.0
"""From there on nanoseconds, for 64-bit readers of picoseconds end after some months, and 53-bit ones after hours."""


class _Variable(msgspec.Struct, frozen=True):
    mark: str
    name: str
    changing: Changing


def write_vcd(recording: Recording, path: Path, choice: Choice, progress: Progress) -> Written:
    """All channels that are wanted and, where all are, outputs, pins and events."""
    channels = choice.channels(recording)
    share = Share(progress, sum(end - begin for begin, end in map(choice.numbers, channels)))
    changing = [
        *(
            Changing.of_channel(channel, choice.begin_s, choice.end_s, share.add)
            for channel in channels
        ),
        *(() if choice.names else changes_of(recording, choice.begin_s, choice.end_s)),
    ]
    names = identifiers([one.name for one in changing])
    variables = [
        _Variable(_mark(number), name, one)
        for number, (name, one) in enumerate(zip(names, changing, strict=True))
    ]
    step_s = 1e-9 if recording.seconds > LONGEST_S else FINEST_S
    rows = 0
    with new_file(path) as new, new.open("w", encoding="utf-8", newline="\n") as stream:
        stream.write(f"$version Wattigram {__version__} $end\n$timescale {SCALES[step_s]} $end\n")
        stream.write("$scope module recording $end\n")
        for one in variables:
            kind = {"real": "real 64", "wire": "wire 1"}.get(
                one.changing.kind, f"reg {one.changing.bits}"
            )
            stream.write(f"$var {kind} {one.mark} {one.name} $end\n")
        stream.write("$upscope $end\n$enddefinitions $end\n$dumpvars\n")
        stream.writelines(f"{_unknown(one)}\n" for one in variables)
        stream.write("$end\n")
        now = -1
        for at, _, text in merge(
            *(_lines(one, place, step_s) for place, one in enumerate(variables))
        ):
            if at != now:
                stream.write(f"#{at}\n")
                now = at
                rows += 1
            stream.write(f"{text}\n")
    renamed = tuple(
        f"“{one.changing.name}” is called {one.name}."
        for one in variables
        if one.changing.name != one.name
    )
    return Written(rows, renamed)


def _lines(variable: _Variable, place: int, step_s: float) -> Iterator[tuple[int, int, str]]:
    """Instants, the variable's place, and what is written then: only what changes."""
    last: float | None = None
    for times_s, values in variable.changing.blocks():
        for at, value in zip((times_s / step_s).round().tolist(), values.tolist(), strict=True):
            if value == last or (value != value and last is not None and last != last):
                continue
            last = value
            yield int(at), place, _value(variable, value)


def _value(variable: _Variable, value: float) -> str:
    match variable.changing.kind:
        case "real":
            return f"r{value:.9g} {variable.mark}" if value == value else f"rnan {variable.mark}"
        case "wire":
            return f"{int(value)}{variable.mark}"
        case _:
            return f"b{int(value):b} {variable.mark}"


def _unknown(variable: _Variable) -> str:
    match variable.changing.kind:
        case "real":
            return f"r0 {variable.mark}"
        case "wire":
            return f"x{variable.mark}"
        case _:
            return f"bx {variable.mark}"


def _mark(number: int) -> str:
    """Short marks of printable characters, from ! on."""
    mark = ""
    number += 1
    while number:
        number, digit = divmod(number - 1, 94)
        mark += chr(33 + digit)
    return mark
