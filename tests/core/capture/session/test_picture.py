from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import edited
from wattigram.core.capture.session.stream_drawer import _stretch
from wattigram.core.capture.session.stream_view import (
    ExpectedWindow,
    expected_only,
    picture,
    signal_numbers,
    to_columns,
)
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import AddSlot, SetBufferLength, SetWiring
from wattigram.core.predict.expected import expected_filtered, expected_raw


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.tuples(st.integers(0, 3000), st.integers(1, 900)), min_size=1, max_size=8),
    st.sampled_from(["Coil current", "Upper zone"]),
)
def test_a_window_that_moves_gives_what_a_fresh_one_does(
    kiln: Workspace, moves: list[tuple[int, int]], name: str
) -> None:
    chain = kiln.project.chains[0]
    signal = kiln.project.signal(name)
    history = ((0, kiln),)
    window = ExpectedWindow(history, chain, signal)
    for begin, count in moves:
        values = window.values(begin, begin + count)
        direct = (expected_filtered if signal.filter else expected_raw)(
            history, "ADC 1", name, begin, begin + count
        )
        assert values == pytest.approx(direct.settled_v, abs=1e-12)
        assert window.half_width_v == pytest.approx(direct.half_width_v)


def test_a_window_is_made_anew_when_a_knob_is_turned(kiln: Workspace) -> None:
    chain, signal = kiln.project.chains[0], kiln.project.signal("3.3 V rail")
    history = ((0, kiln),)
    window = ExpectedWindow(history, chain, signal)
    turned = edited(
        kiln, SetWiring(Wiring(pin="A6", source_resistance_ohm=1.0, source=DcSource(voltage_v=0.5)))
    )
    assert window.fits(history, signal)
    assert not window.fits((*history, (5, turned)), signal)


def test_two_slots_of_a_signal_are_expected_in_order(kiln: Workspace) -> None:
    twice = edited(kiln, AddSlot("ADC 1", "Coil current", 32))
    window = ExpectedWindow(
        ((0, twice),), twice.project.chains[0], twice.project.signal("Coil current")
    )
    direct = expected_raw(((0, twice),), "ADC 1", "Coil current", 0, 50)
    assert window.values(7, 91) == pytest.approx(direct.settled_v[7:91])


@pytest.mark.parametrize(("shift_v", "in_band"), [(0.0, True), (0.002, True), (0.02, False)])
def test_a_picture_says_whether_it_is_on_the_band(
    kiln: Workspace, shift_v: float, in_band: bool
) -> None:
    signal = kiln.project.signal("Coil current")
    window = ExpectedWindow(((0, kiln),), kiln.project.chains[0], signal)
    volts = expected_raw(((0, kiln),), "ADC 1", "Coil current", 400, 1000).settled_v + shift_v
    drawn = picture(window, signal, 400, volts, 10_000.0, 120)
    assert drawn.in_band is in_band
    assert (drawn.begin_s, drawn.end_s) == (0.04, 0.1)
    assert len(drawn.low_v) == len(drawn.expected_low_v) == 120
    assert drawn.reading_v == pytest.approx(volts.mean(), abs=1e-9)


def test_before_a_run_there_is_only_the_band(kiln: Workspace) -> None:
    signal = kiln.project.signal("Door latch")
    drawn = expected_only(
        ExpectedWindow(((0, kiln),), kiln.project.chains[0], signal), signal, 1.0, 10_000.0, 100
    )
    assert drawn.in_band is None
    assert len(drawn.low_v) == 0
    assert (drawn.expected_low_v.min(), drawn.expected_high_v.max()) == (0.02, 3.28)


@given(st.lists(st.floats(-5, 5), min_size=1, max_size=300), st.integers(1, 50))
def test_columns_hold_all_extremes(values: list[float], columns: int) -> None:
    array = np.array(values)
    low, high = to_columns(array, columns)
    assert len(low) == len(high) == min(columns, len(array))
    assert low.min() == array.min()
    assert high.max() == array.max()
    assert np.all(low <= high)


@given(
    st.integers(0, 5000), st.integers(0, 5000), st.integers(1, 400), st.sampled_from([0.02, 2.0])
)
def test_a_stretch_lies_within_what_is_there(
    oldest: int, more: int, wanted: int, span_s: float
) -> None:
    newest = oldest + more
    begin, end = _stretch(oldest, newest, wanted, span_s)
    assert oldest <= begin <= end <= newest
    assert end - begin <= wanted
    if more >= 2 * wanted and span_s < 0.25:
        assert begin % wanted == 0  # a short stretch stands still from period to period
        assert end - begin == wanted


@pytest.mark.parametrize("items", [512, 510, 8, 30])
def test_numbers_are_those_that_a_reader_finds(kiln: Workspace, items: int) -> None:
    chain = edited(kiln, SetBufferLength("ADC 1", items)).project.chains[0]
    numbers = signal_numbers(chain, "Door latch", 100, 300)
    assert numbers.tolist() == [n for n in range(400, 1200) if n % items % 4 == 2]
