"""The next place of a recording where something is as one looks for: outside of what is expected, missing, above a
level, a jump, an event."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from weakref import WeakKeyDictionary

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import TakeError
from wattigram.core.base.quantity import format_si
from wattigram.core.capture.recording import Channel, Recording
from wattigram.core.capture.recording.from_take import TakeChannel
from wattigram.core.judge.measured.beside_expected import comparable
from wattigram.core.judge.measured.events import event_title

FIRST_BLOCK, BLOCK = 1 << 10, 1 << 16
"""The next place is often near: blocks that are looked through grow from the first size to the second."""
JUMP_SHARE, JUMP_TIMES = 90.0, 4.0
LEAST_JUMP_LSB = 3.5
FEWEST_FOR_NOISE = 64
"""Samples of which the noise of a stream is told."""
MOST_HELD = 1 << 14
"""Samples that are looked back over for when a level was left."""
Flags = Callable[[int, int], NDArray[np.bool_]]
"""Which of the samples ``begin`` to ``end`` are so, (n,) bool."""


class Sought(msgspec.Struct, frozen=True):
    """What is looked for in a channel.

    Attributes
    ----------
    what : str
        Of :data:`PLACES`.
    channel : str
    level : float or None
        Of "level", in the channel's unit.
    """

    what: str
    channel: str
    level: float | None = None


class Place(msgspec.Struct, frozen=True):
    """Where it is so: from its first sample to its last, seconds, and what is there."""

    begin_s: float
    end_s: float
    title: str


class Search(msgspec.Struct, frozen=True):
    """What is looked for, from when, which way, and who is told how far it is."""

    sought: Sought
    from_s: float
    forward: bool
    progress: Callable[[float], None]


def next_place(
    recording: Recording,
    sought: Sought,
    from_s: float,
    *,
    forward: bool = True,
    progress: Callable[[float], None] = lambda _share: None,
) -> Place | None:
    """The first place that begins after an instant, or the last that begins before it; None where there is none.
    After −∞ seconds is the very first, before ∞ the very last.

    Raises
    ------
    TakeError
        When it cannot be looked for in that channel.
    """
    way = PLACES.get(sought.what)
    if way is None:
        raise TakeError(
            f"“{sought.what}” is nothing that is looked for.",
            cure=f"Choose one of {', '.join(PLACES)}.",
        )
    channel = recording.channel(sought.channel)
    try:
        return way.find(channel, Search(sought, from_s, forward, progress))
    except ValueError as fault:
        raise TakeError(
            f"{way.title.capitalize()} cannot be looked for in “{channel.name}”: {fault}."
        ) from fault


def places_between(
    recording: Recording, sought: Sought, begin_s: float | None = None, end_s: float | None = None
) -> Iterator[Place]:
    """All places that begin in a stretch, one after the other.

    Raises
    ------
    TakeError
        When it cannot be looked for in that channel.
    """
    at_s = -math.inf if begin_s is None else math.nextafter(begin_s, -math.inf)
    while (place := next_place(recording, sought, at_s)) is not None:
        if end_s is not None and place.begin_s >= end_s:
            return
        yield place
        at_s = place.begin_s


# --- runs of samples


def _run(channel: Channel, flags: Flags, search: Search) -> tuple[int, int] | None:
    """(first, past the last) of a run of samples that are so."""
    start = (_first if search.forward else _last)(channel, flags, search)
    if start is None:
        return None
    for begin, end in _growing(channel.count - start):
        ends = np.flatnonzero(~flags(start + begin, start + end))
        if len(ends):
            return start, start + begin + int(ends[0])
        search.progress(end / (channel.count - start))
    return start, channel.count


def _growing(count: int) -> Iterator[tuple[int, int]]:
    """(begin, end) of blocks that grow, of ``count`` samples."""
    begin, size = 0, FIRST_BLOCK
    while begin < count:
        end = min(begin + size, count)
        yield begin, end
        begin, size = end, min(4 * size, BLOCK)


def _starts(flags: Flags, begin: int, end: int) -> NDArray[np.intp]:
    """Numbers of samples that are so while the one before is not, (n,) int, ascending."""
    before = max(0, begin - 1)
    found = flags(before, end)
    is_first = found & ~np.concatenate(([False], found[:-1]))
    return np.flatnonzero(is_first[begin - before :]) + begin


def _first(channel: Channel, flags: Flags, search: Search) -> int | None:
    first = _past(channel, search.from_s)
    count = channel.count - first
    for begin, end in _growing(count):
        starts = _starts(flags, first + begin, first + end)
        if len(starts):
            return int(starts[0])
        search.progress(end / count)
    return None


def _last(channel: Channel, flags: Flags, search: Search) -> int | None:
    from_s = search.from_s
    past = channel.count if from_s == math.inf else channel.number_at(from_s)
    for begin, end in _growing(past):
        starts = _starts(flags, past - end, past - begin)
        if len(starts):
            return int(starts[-1])
        search.progress(end / past)
    return None


def _past(channel: Channel, from_s: float) -> int:
    """Number of the first sample that comes after an instant."""
    if from_s == -math.inf:
        return 0
    number = channel.number_at(from_s)
    if number < channel.count and _time_s(channel, number) <= from_s:
        number += 1
    return number


def _time_s(channel: Channel, number: int) -> float:
    return float(channel.read(number, number + 1).times_s[0])


def _place(channel: Channel, first: int, past: int, title: str) -> Place:
    return Place(_time_s(channel, first), _time_s(channel, past - 1), title)


def _samples(count: int) -> str:
    return "one sample" if count == 1 else f"{count:,} samples".replace(",", "\u202f")


def _shown(value: float, channel: Channel) -> str:
    return format_si(value, channel.unit, 4) if channel.unit else f"{value:.4g}"


# --- what is looked for


def _unexpected(channel: Channel, search: Search) -> Place | None:
    if not isinstance(channel, TakeChannel):
        raise ValueError("no design says what is expected of it")
    compare = comparable(channel)
    band_v = 0.0

    def beyond(begin: int, end: int) -> NDArray[np.float64]:
        """How far each sample lies outside, (n,) volts."""
        nonlocal band_v
        both = compare(begin, end)
        band_v = both.expected.half_width_v
        return both.beyond_v

    run = _run(channel, lambda begin, end: beyond(begin, end) > 0, search)
    if run is None:
        return None
    most = max(
        float(np.nanmax(beyond(at, min(at + BLOCK, run[1])))) for at in range(run[0], run[1], BLOCK)
    )
    title = (
        f"{_samples(run[1] - run[0])} outside what is expected ± {_shown(band_v, channel)}, "
        f"by up to {_shown(most, channel)}"
    )
    return _place(channel, *run, title)


def _missing(channel: Channel, search: Search) -> Place | None:
    run = _run(channel, lambda begin, end: ~channel.read(begin, end).valid, search)
    if run is None:
        return None
    return _place(channel, *run, f"{_samples(run[1] - run[0])} missing")


def _above(channel: Channel, search: Search) -> Place | None:
    level = search.sought.level
    if level is None or not math.isfinite(level):
        raise ValueError("no level is given")

    back = level - _noise(channel)

    def flags(begin: int, end: int) -> NDArray[np.bool_]:
        """At or above the level, or not yet back below it by more than noise."""
        before = max(0, begin - MOST_HELD)
        block = channel.read(before, end)
        known = np.where(block.values >= level, 1, np.where(block.values < back, 0, -1))
        known = np.where(block.valid, known, 0)
        last = np.maximum.accumulate(np.where(known >= 0, np.arange(len(known)), -1))
        held = np.where(last >= 0, known[np.maximum(last, 0)], 0)
        return np.asarray(held[begin - before :] == 1)

    run = _run(channel, flags, search)
    if run is None:
        return None
    title = f"{_samples(run[1] - run[0])} at or above {_shown(level, channel)}"
    lowest = min(
        float(np.nanmin(channel.read(at, min(at + BLOCK, run[1])).values))
        for at in range(run[0], run[1], BLOCK)
    )
    if lowest < level:
        title += f", noise of {_shown(level - back, channel)} apart"
    return _place(channel, *run, title)


_noises: WeakKeyDictionary[Channel, float] = WeakKeyDictionary()
"""Noise of channels that were looked at: each place that is found asks for it again."""


def _noise(channel: Channel) -> float:
    known = _noises.get(channel)
    if known is None:
        known = _noises[channel] = _told_noise(channel)
    return known


def _told_noise(channel: Channel) -> float:
    """What a stream may go back by without having left a level: four times its noise from sample to sample, a tenth of
    its span at most."""
    block = channel.read(0, min(channel.count, BLOCK)).came
    if len(block) < FEWEST_FOR_NOISE:
        return 0.0
    steps = np.abs(np.diff(block.values))
    sigma = 1.4826 * float(np.median(steps)) / math.sqrt(2)
    return min(4 * sigma, 0.1 * float(np.ptp(block.values)))


def _jump(channel: Channel, search: Search) -> Place | None:
    def moves(begin: int, end: int) -> NDArray[np.float64]:
        """From the sample before to each, (n,); 0 for the first, and where one is missing."""
        before = max(0, begin - 1)
        block = channel.read(before, end)
        moved = np.diff(np.where(block.valid, block.values, np.nan), prepend=np.nan)
        return np.nan_to_num(moved[begin - before :], nan=0.0)

    usual = np.percentile(np.abs(moves(0, min(channel.count, BLOCK))), JUMP_SHARE)
    least = max(JUMP_TIMES * float(usual), LEAST_JUMP_LSB * (channel.lsb or 0.0))
    run = _run(channel, lambda begin, end: np.abs(moves(begin, end)) > least, search)
    if run is None:
        return None
    moved = moves(*run)
    most = float(moved[np.argmax(np.abs(moved))])
    title = f"a jump of {_shown(most, channel)} from one sample to the next (a jump is more than {_shown(least, channel)})"
    return _place(channel, *run, title)


def _event(channel: Channel, search: Search) -> Place | None:
    if not isinstance(channel, TakeChannel):
        raise ValueError("only a take has events")
    take = channel.take
    watches = take.workspace.watches
    if not any(one.signal == channel.signal.name for one in watches):
        raise ValueError("no threshold, pair or comparator makes events of it")
    events = take.events_of(channel.signal.name)
    at_s = events["ticks"].astype(np.float64) / take.tick_hz
    order = np.argsort(at_s, kind="stable")
    at_s, events = at_s[order], events[order]
    number = int(np.searchsorted(at_s, search.from_s, "right" if search.forward else "left"))
    number -= 0 if search.forward else 1
    if not 0 <= number < len(at_s):
        return None
    when_s = float(at_s[number])
    titles = [  # of all that came at that instant
        event_title(take, watches[int(row["source"])], bool(row["entered"]))
        for row in events[at_s == when_s]
    ]
    return Place(when_s, when_s, ", ".join(titles))


class Way(msgspec.Struct, frozen=True):
    """How it is called, and what finds it."""

    title: str
    find: Callable[[Channel, Search], Place | None]


PLACES = {
    "unexpected": Way("outside what is expected", _unexpected),
    "missing": Way("samples missing", _missing),
    "event": Way("an event", _event),
    "jump": Way("a jump", _jump),
    "level": Way("above a level", _above),
}
"""What can be looked for, by its name."""
