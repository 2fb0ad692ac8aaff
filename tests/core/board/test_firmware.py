from __future__ import annotations

import numpy as np
import pytest

from wattigram.core.board import EffectiveConverter, EffectiveLoop, EffectiveSlot, EffectiveTap, EffectiveWindow
from wattigram.core.board.firmware import Tap

CONVERTER = EffectiveConverter(
    name="ADC",
    bits=12,
    lsb_v=1e-3,
    cycle_ticks=100,
    slots=(EffectiveSlot(pin="A0", held_ticks=10), EffectiveSlot(pin="A1", held_ticks=30)),
    loop=EffectiveLoop(name="L", items=8, width_bits=16),
)


def tap(**settings: object) -> Tap:
    return Tap(EffectiveTap(name="x", converter=0, places=(1,), **settings), 0, CONVERTER)  # type: ignore[arg-type]


def interleaved(values: list[int]) -> np.ndarray:
    """Items in which slot 1 has the values and slot 0 has noise."""
    return np.column_stack((np.full(len(values), 4000), values)).ravel().astype(np.uint16)


@pytest.mark.parametrize("halves", [[16], [4, 4, 8], [1] * 16, [3, 5, 7, 1]])
def test_a_mean_takes_its_samples_across_halves(halves: list[int]) -> None:
    values = [100, 101, 102, 103, 200, 200, 200, 204]
    items = interleaved(values)
    stage = tap(count=4, shift=2)
    reduced, ticks, position = [], [], 0
    for size in halves:
        part, at, events = stage.feed(items[position : position + size], position)
        reduced += part.tolist()
        ticks += at.tolist()
        position += size
        assert len(events) == 0
    assert reduced == [sum(values[:4]) >> 2, sum(values[4:]) >> 2]
    assert ticks == [3 * 100 + 30, 7 * 100 + 30]


def test_a_narrow_register_overflows() -> None:
    reduced, _ticks, _events = tap(count=4, shift=2, register_bits=12).feed(interleaved([2000] * 4), 0)
    assert reduced.tolist() == [(8000 & 0xFFF) >> 2]


@pytest.mark.parametrize(
    ("condition", "expected"),
    [
        ("above", [(2, True), (4, False)]),
        ("below", [(5, True)]),
        ("outside", [(2, True), (4, False), (5, True)]),
        ("inside", [(0, True), (2, False), (3, True), (5, False)]),
    ],
)
def test_windows_compare_as_integers_do(condition: str, expected: list[tuple[int, bool]]) -> None:
    window = EffectiveWindow(low=1000, high=2000, hysteresis=10, condition=condition, on_reduced=False)  # type: ignore[arg-type]
    values = [1500, 2000, 2011, 1995, 1980, 980, 995]
    _reduced, _ticks, events = tap(window=window).feed(interleaved(values), 0)
    assert [(int(event["ticks"]) // 100, bool(event["entered"])) for event in events] == expected
    assert all(int(event["value"]) == values[int(event["ticks"]) // 100] for event in events)


def test_a_loop_out_of_step_feeds_the_wrong_places() -> None:
    odd = CONVERTER.model_copy(update={"loop": CONVERTER.loop.model_copy(update={"items": 7})})
    stage = Tap(EffectiveTap(name="x", converter=0, places=(1,), count=2, shift=1), 0, odd)
    items = np.tile(np.array([10, 20], dtype=np.uint16), 14)
    reduced, _ticks, _events = stage.feed(items, 0)
    assert reduced[0] == 20
    assert 10 in reduced.tolist()
