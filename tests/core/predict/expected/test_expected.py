from __future__ import annotations

import math

import numpy as np
import pytest

from tests.conftest import edited
from wattigram.core.board.settling import Node, sampled
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import Threshold, Watch, Workspace
from wattigram.core.model.design.edits import (
    AddSlot,
    SetFilter,
    SetSampling,
    SetThreshold,
    SetWiring,
)
from wattigram.core.predict.expected import (
    expected_events,
    expected_filtered,
    expected_raw,
    expected_settled_at,
    workspace_at,
)
from wattigram.core.predict.pins import input_source
from wattigram.core.predict.timing import scan_timing

ZONE = Watch("window", "Upper zone")


def step_by_step(workspace: Workspace, cycles: int) -> np.ndarray:
    """Readings of the first converter, one slot after another as a capacitor does it: (cycles,
    slots) volts."""
    chain = workspace.project.chains[0]
    timing = scan_timing(workspace, chain)
    held, readings = 0.0, np.empty((cycles, len(chain.slots)))
    off: dict[str, tuple[float, float]] = {}
    for cycle in range(cycles):
        for place, slot in enumerate(chain.slots):
            wiring = workspace.wiring(workspace.project.signal(slot.signal).pin)
            assert wiring is not None
            at_s = float(cycle / timing.cycle_rate_hz + timing.slots[place].held_s)
            sampling_s = float(timing.slots[place].sampling_s)
            volts = float(input_source(workspace, wiring.pin).at(np.array([at_s]))[0])
            node = Node(wiring.pin, wiring.source_resistance_ohm, wiring.capacitor_f)
            step = sampled((node,), sampling_s, 1200.0, 16e-12)
            if node.moves:
                before, since_s = off.get(wiring.pin, (0.0, at_s))
                before *= math.exp(
                    -max(0.0, at_s - sampling_s - since_s) / (node.ohm * node.farads)
                )
                after = step @ np.array([before, held - volts])
                off[wiring.pin] = float(after[0]), at_s
            else:
                after = step @ np.array([held - volts])
            held = volts + float(after[-1])
            readings[cycle, place] = held
    return readings


@pytest.mark.parametrize("cycles_of_slots", [(32, 128, 32, 128), (3, 3, 3, 3), (8, 8, 3, 768)])
def test_predicted_readings_agree_with_a_capacitor_step_by_step(
    kiln: Workspace, cycles_of_slots: tuple[int, ...]
) -> None:
    design = kiln
    for place, cycles in enumerate(cycles_of_slots):
        design = edited(design, SetSampling("ADC 1", place, cycles))
    truth = step_by_step(design, 400)
    for place, slot in enumerate(design.project.chains[0].slots):
        stream = expected_raw(((0, design),), "ADC 1", slot.signal, 100, 400)
        gain = float(design.project.signal(slot.signal).scaling)
        assert stream.predicted_v * gain == pytest.approx(truth[100:, place], abs=1e-6)


def test_settled_values_are_the_sources(kiln: Workspace) -> None:
    stream = expected_raw(((0, kiln),), "ADC 1", "Coil current", 0, 500)
    assert stream.settled_v == pytest.approx(
        1.65 + 0.75 * np.sin(2 * np.pi * 50 * stream.times_s), abs=1e-12
    )
    assert stream.times_s[3] == pytest.approx(3e-4 + 1e-6, abs=1e-15)
    assert np.abs(stream.error_v).max() < 1e-12


def test_the_signals_own_volts_are_before_the_front_end(kiln: Workspace) -> None:
    stream = expected_raw(((0, kiln),), "ADC 1", "3.3 V rail", 0, 10)
    assert stream.settled_v == pytest.approx(3.3)
    lsb_v = 3.3 / 4096
    own_s, pin_s = 1700 * 16e-12, 500 * 1e-6
    source_lsb = 0.5e-3 * math.sqrt(own_s / (own_s + pin_s)) / lsb_v
    noise_lsb = math.sqrt(source_lsb**2 + 0.35**2 + 1 / 12)
    assert stream.half_width_v == pytest.approx(2 * lsb_v * (5 * noise_lsb + 2.5), rel=1e-6)


def test_beyond_the_reference_full_scale_is_expected(kiln: Workspace) -> None:
    hot = edited(
        kiln, SetWiring(Wiring(pin="A2", source_resistance_ohm=1.0, source=DcSource(voltage_v=5.0)))
    )
    assert expected_raw(((0, hot),), "ADC 1", "Coil current", 0, 5).settled_v == pytest.approx(3.3)
    assert expected_settled_at(hot, "Coil current", np.zeros(3)) == pytest.approx(3.3)


def test_reduced_values_are_means_of_raw_ones(kiln: Workspace) -> None:
    raw = expected_raw(((0, kiln),), "ADC 1", "Upper zone", 0, 160)
    reduced = expected_filtered(((0, kiln),), "ADC 1", "Upper zone", 0, 10)
    # The sum of sixteen is shifted by four: what is cut off is 15/32 LSB of the converter on the
    # mean.
    lsb_v = 3.3 / 4096
    assert reduced.settled_v == pytest.approx(
        raw.settled_v.reshape(10, 16).mean(axis=1) - 15 / 32 * lsb_v
    )
    assert reduced.times_s == pytest.approx(raw.times_s[15::16])
    part = expected_filtered(((0, kiln),), "ADC 1", "Upper zone", 4, 7)
    assert part.settled_v == pytest.approx(reduced.settled_v[4:7])


def test_two_slots_of_a_signal_are_interleaved(kiln: Workspace) -> None:
    twice = edited(kiln, AddSlot("ADC 1", "Coil current", 32))
    stream = expected_raw(((0, twice),), "ADC 1", "Coil current", 10, 20)
    assert len(stream.settled_v) == 20
    assert np.all(np.diff(stream.times_s) > 0)


def test_a_knob_turned_holds_from_its_tick_on(kiln: Workspace) -> None:
    turned = edited(
        kiln, SetWiring(Wiring(pin="A6", source_resistance_ohm=1.0, source=DcSource(voltage_v=1.0)))
    )
    history = ((0, kiln), (96_000_000 // 10_000 * 50, turned))
    stream = expected_raw(history, "ADC 1", "3.3 V rail", 0, 100)
    assert stream.settled_v[:50] == pytest.approx(3.3)
    assert stream.settled_v[50:] == pytest.approx(2.0)
    assert workspace_at(history, 10) is kiln
    assert workspace_at(history, 10**9) is turned


def test_the_demo_crosses_its_window_twice_a_period(kiln: Workspace) -> None:
    events = expected_events(((0, kiln),), ZONE, lambda chain: 100_000)
    assert [event.entered for event in events] == [True, False, True, False, True]
    period = [event.time_s for event in events[:3]]
    assert period[0] == pytest.approx(1.8 + 1.5e-3, abs=1.7e-3)
    assert period[1] == pytest.approx(2.2 + 0.02 + 0.8e-3, abs=1.7e-3)
    assert period[2] - period[0] == pytest.approx(4.0, abs=1e-9)


@pytest.mark.parametrize(
    ("condition", "times"),
    [
        ("above", [(1.8, True), (2.22, False)]),
        ("below", [(0.0, True), (0.84, False), (3.2, True)]),
        ("inside", [(0.8, True), (1.82, False), (2.2, True), (3.22, False)]),
        ("outside", [(0.0, True), (0.82, False), (1.8, True), (2.22, False), (3.2, True)]),
    ],
)
def test_each_condition_has_its_crossings(
    kiln: Workspace, condition: str, times: list[tuple[float, bool]]
) -> None:
    window = Threshold(low=1.6, high=2.1, condition=condition, input="raw", hysteresis_v=0.01)  # type: ignore[arg-type]
    if condition == "below":
        window = window.replaced(hysteresis_v=0.02)
    events = expected_events(
        ((0, edited(kiln, SetFilter("Upper zone", None), SetThreshold("Upper zone", 0, window))),),
        ZONE,
        lambda chain: 40_000,
    )
    assert [event.entered for event in events] == [entered for _at, entered in times]
    assert [event.time_s for event in events] == pytest.approx(
        [at for at, _entered in times], abs=0.021
    )


def test_a_comparator_is_not_told_by_cycles(kiln: Workspace) -> None:
    assert (
        expected_events(
            ((0, kiln),), Watch("comparator", "Door latch", comparator="x"), lambda chain: 1000
        )
        == ()
    )
