"""Tables: a row a sample, or a row an instant."""

from __future__ import annotations

import csv
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from wattigram.core.capture.recording.channel import Block, Channel, Recording
from wattigram.core.capture.recording.exporting import Choice, Progress, Share, Written, new_file
from wattigram.core.capture.recording.tables import LONG

ROWS_AT_ONCE = 20_000
DIGITS = ".9g"


def write_long(recording: Recording, path: Path, choice: Choice, progress: Progress) -> Written:
    """Time, signal, unit, code and value of each sample that came."""
    channels = choice.channels(recording)
    share = Share(progress, sum(end - begin for begin, end in map(choice.numbers, channels)))
    rows = 0
    with new_file(path) as new, new.open("w", newline="", encoding="utf-8") as stream:
        writer = csv.writer(stream)
        writer.writerow(LONG)
        for channel in channels:
            for block in channel.blocks(choice.begin_s, choice.end_s, ROWS_AT_ONCE):
                came = block.came
                codes = [""] * len(came) if came.codes is None else came.codes.tolist()
                writer.writerows(
                    (f"{time:.9f}", channel.name, channel.unit, code, f"{value:{DIGITS}}")
                    for time, code, value in zip(
                        came.times_s.tolist(), codes, came.values.tolist(), strict=True
                    )
                )
                rows += len(came)
                share.add(len(block))
    return Written(rows)


def write_wide(recording: Recording, path: Path, choice: Choice, progress: Progress) -> Written:
    """A column for the time and one a channel; empty where a channel was not sampled at that instant."""
    channels = choice.channels(recording)
    share = Share(progress, sum(end - begin for begin, end in map(choice.numbers, channels)))
    rows = 0
    with new_file(path) as new, new.open("w", newline="", encoding="utf-8") as stream:
        writer = csv.writer(stream)
        titles = [f"{one.name} ({one.unit})" if one.unit else one.name for one in channels]
        writer.writerow(["time (s)", *titles])
        for parts in merged(channels, choice):
            instants = np.unique(np.concatenate([part.times_s for part in parts]))
            columns = []
            for part in parts:
                column = np.full(len(instants), np.nan)
                column[np.searchsorted(instants, part.times_s)] = part.values
                columns.append(column.tolist())
                share.add(len(part))
            writer.writerows(
                [f"{time:.9f}", *("" if value != value else f"{value:{DIGITS}}" for value in row)]
                for time, *row in zip(instants.tolist(), *columns, strict=True)
            )
            rows += len(instants)
    return Written(rows)


def merged(channels: tuple[Channel, ...], choice: Choice) -> Iterator[list[Block]]:
    """All channels side by side: what each has up to an instant before which all are known, again and again."""
    sources = [channel.blocks(choice.begin_s, choice.end_s, ROWS_AT_ONCE) for channel in channels]
    waiting = [Block.joined([]) for _ in channels]
    ended = [False] * len(channels)
    while True:
        for place, source in enumerate(sources):
            if not len(waiting[place]) and not ended[place]:
                block = next(source, None)
                if block is None:
                    ended[place] = True
                else:
                    waiting[place] = block.came
                    if not len(waiting[place]):
                        break  # all of it is missing: the next one
        else:
            known = [float(part.times_s[-1]) for part in waiting if len(part)]
            if not known:
                if all(ended):
                    return
                continue
            until = min(known)
            parts = []
            for place, part in enumerate(waiting):
                count = int(np.searchsorted(part.times_s, until, side="right"))
                parts.append(_part(part, slice(0, count)))
                waiting[place] = _part(part, slice(count, None))
            yield parts


def _part(block: Block, part: slice) -> Block:
    codes = None if block.codes is None else block.codes[part]
    return Block(block.values[part], block.times_s[part], block.valid[part], codes)
