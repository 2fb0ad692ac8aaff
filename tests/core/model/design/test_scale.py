"""Volts to codes and back, by values worked out by hand."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.model.design import (
    Code,
    Threshold,
    Workspace,
    limits_v,
    open_workspace,
    signal_scale,
    watched_levels,
)
from wattigram.core.model.design.edits import SetFilter, SetThreshold
from wattigram.core.model.design.scale import (
    Scale,
    aligned_shift,
    chain_scale,
    later_gain,
    limit_like,
    reduced_volts,
    stream_gain,
)
from wattigram.core.model.design.stage import SumFilter

TWELVE = Scale(bits=12, reference_v=3.3, steps=4096)


@pytest.mark.parametrize(
    ("scale", "lsb_v", "lowest", "highest", "low_v"),
    [
        (TWELVE, 3.3 / 4096, 0, 4095, 0.0),
        (Scale(8, 2.55, 255), 0.01, 0, 255, 0.0),
        (Scale(12, 2.048, 4096, signed=True), 0.001, -2048, 2047, -2.048),
        (Scale(10, 1.024, 1024, signed=True), 0.002, -512, 511, -1.024),
    ],
)
def test_ends_and_counts(
    scale: Scale, lsb_v: float, lowest: int, highest: int, low_v: float
) -> None:
    assert scale.lsb_v == pytest.approx(lsb_v, rel=1e-15)
    assert (scale.lowest_code, scale.highest_code, scale.low_v) == (lowest, highest, low_v)


@pytest.mark.parametrize(
    ("shift", "dropped", "steps"), [(0, 0, 1), (4, 0, 1), (-1, 1, 2), (-4, 15, 16)]
)
def test_an_item_without_room_for_the_lower_bits(shift: int, dropped: int, steps: int) -> None:
    scale = replace(TWELVE, shift=shift)
    assert scale.dropped_lsb == dropped
    assert scale.step_v == pytest.approx(steps * TWELVE.lsb_v)


def test_halves_go_up_and_the_ends_hold() -> None:
    scale = Scale(bits=8, reference_v=2.56, steps=256)
    volts = [-1.0, 0.0, 0.00499, 0.005, 0.0149, 0.015, 1.0, 2.549, 2.56, 9.0]
    assert scale.codes(volts).tolist() == [0, 0, 0, 1, 1, 2, 100, 255, 255, 255]
    pair = replace(scale, signed=True)
    assert pair.codes([-3.0, -0.03, -0.01, 0.0, 0.01, 3.0]).tolist() == [-128, -1, 0, 0, 1, 127]
    assert pair.volts([-128, 127]).tolist() == pytest.approx([-2.56, 2.54])


@given(st.integers(4, 16), st.booleans(), st.data())
def test_a_code_comes_back_from_its_volts(bits: int, signed: bool, data: st.DataObject) -> None:
    scale = Scale(bits=bits, reference_v=3.3, steps=1 << bits, signed=signed)
    code = data.draw(st.integers(scale.lowest_code, scale.highest_code))
    assert scale.codes(scale.volts(code)) == code


@pytest.mark.parametrize(
    ("scale", "item", "code"),
    [
        (TWELVE, 0x123, 0x123),
        (replace(TWELVE, shift=4), 0x1230, 0x123),
        (replace(TWELVE, shift=-4, item_bits=8), 0x12, 0x120),
        (replace(TWELVE, signed=True), 0xFFFF, -1),
        (replace(TWELVE, signed=True), 0x07FF, 2047),
        (replace(TWELVE, signed=True), 0xF800, -2048),
        (replace(TWELVE, signed=True, shift=4), 0xFFF0, -1),
        (replace(TWELVE, signed=True, shift=-4, item_bits=8), 0xFF, -16),
    ],
)
def test_items_lie_in_memory_moved_and_with_their_sign(scale: Scale, item: int, code: int) -> None:
    items = np.array([item], dtype=np.uint8 if scale.item_bits == 8 else np.uint16)
    assert scale.item_volts(items) == pytest.approx([code * scale.lsb_v])


def test_a_gain_in_the_slot_is_undone() -> None:
    scale = replace(TWELVE, gain=16.0)
    assert scale.item_volts(np.array([1600], dtype=np.uint16)) == pytest.approx([100 * 3.3 / 4096])


def test_alignment_moves_up_by_what_the_item_has_more() -> None:
    assert aligned_shift("left", 16, 12) == 4
    assert aligned_shift("left", 8, 12) == -4
    assert aligned_shift("right", 16, 12) == 0


def test_what_the_program_reads_rules(kiln: Workspace) -> None:
    chain = kiln.project.chains[0]
    assert chain_scale(kiln, chain) == TWELVE
    read = chain.replaced(
        read_as=chain.read_as.replaced(full_scale="2^N-1", element_bits=8, alignment="left")
    )
    scale = signal_scale(kiln, read, "Coil current")
    assert (scale.steps, scale.shift, scale.item_bits, scale.signed) == (4095, -4, 8, False)


def test_limits_in_codes_are_volts_of_the_signal(kiln: Workspace) -> None:
    rail = kiln.project.signal("3.3 V rail")  # half of it reaches the pin
    threshold = kiln.project.signal("Upper zone").thresholds[0].replaced(low=1.0, high=Code(2048))
    low_v, high_v = limits_v(kiln, rail, threshold)
    assert (low_v, high_v) == (1.0, pytest.approx(3.3))
    assert limit_like(kiln, rail, threshold, 1.0, 2.5) == 2.5
    like = limit_like(kiln, rail, threshold, Code(7), 1.65)
    assert isinstance(like, Code)
    assert like == 1024


def test_a_sum_counts_in_the_stream_that_has_it(kiln: Workspace) -> None:
    summed = edited(kiln, SetFilter("Upper zone", SumFilter(count=16, shift=2)))
    signal = summed.project.signal("Upper zone")
    window = signal.thresholds[0]
    gain = signal.filter.assumed_gain if signal.filter is not None else 0.0
    assert gain == 4.0
    assert stream_gain(signal, window.replaced(input="filtered")) == 4.0
    assert stream_gain(signal, window.replaced(input="raw")) == 1.0
    assert later_gain(signal) == 4.0
    chain = summed.project.chains[0]
    values = np.array([4 * 1000], dtype=np.uint32)
    assert reduced_volts(summed, chain, signal, values) == pytest.approx([1000 * 3.3 / 4096])


def test_a_difference_is_signed_after_its_stage_too() -> None:
    safety = open_workspace(EXAMPLES / "kiln-safety")
    signal = next(one for one in safety.project.signals if one.negative is not None)
    chain = safety.project.chain_of(signal.name)
    assert chain is not None
    scale = signal_scale(safety, chain, signal.name)
    assert scale.signed
    values = np.array([0xFFFFFFFF, 5], dtype=np.uint32)
    volts = reduced_volts(safety, chain, signal, values)
    each = scale.lsb_v / 2.0**scale.shift / later_gain(signal) / float(signal.scaling)
    assert volts == pytest.approx([-each, 5 * each])


@pytest.mark.parametrize(
    ("of", "levels"),
    [
        ({"condition": "outside"}, [(0.5, False), (2.0, True)]),
        ({"condition": "inside"}, [(0.5, False), (2.0, True)]),
        ({"condition": "above"}, [(2.0, True)]),
        ({"condition": "below"}, [(0.5, False)]),
        ({"condition": "outside", "minus_v": 1.0}, [(1.5, False), (3.0, True)]),
        ({"condition": "above", "minus_signal": "Upper zone, twin"}, []),
    ],
)
def test_levels_are_those_that_are_compared(
    kiln: Workspace, of: dict[str, object], levels: list[tuple[float, bool]]
) -> None:
    window = Threshold(low=0.5, high=2.0, name="hot", **of)  # type: ignore[arg-type]
    workspace = edited(kiln, SetThreshold("Upper zone", 0, window))
    found = watched_levels(workspace, workspace.project.signal("Upper zone"))
    assert [(level.volts, level.is_high) for level in found] == levels
    assert {(level.name, level.window) for level in found} <= {("hot", 0)}


def test_a_comparator_has_a_level_in_the_signals_own_volts() -> None:
    workspace = open_workspace(EXAMPLES / "kiln-ramp" / "kiln-ramp.wattigram.toml")
    (comparator,) = workspace.project.comparators
    signal = workspace.project.signal(comparator.signal)
    (level,) = watched_levels(workspace, signal)
    assert level.volts == signal.at_source(comparator.threshold_v)
    assert (level.name, level.window) == (comparator.name, -1)
