"""What a pin sees in the end: sources, front ends, noise, pick-up, jumpers; each against its own
formula."""

from __future__ import annotations

import math

import numpy as np
import pytest

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.board.output_waveforms import Outputs
from wattigram.core.contract.shapes import (
    PointsShape,
    PulseShape,
    SawtoothShape,
    SineShape,
    TriangleShape,
)
from wattigram.core.model.bench import (
    Battery,
    Bridge,
    DcSource,
    Jumper,
    SerialSource,
    ShapeSource,
    SignalGenerator,
    SineSource,
    Source,
    SquareSource,
    Supply,
    SweptSource,
    Switch,
    Thermistor,
    TiedInput,
    TriangleSource,
    Wiring,
)
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.edits import SetWiring
from wattigram.core.predict.pins import input_noise_v, input_source
from wattigram.core.silicon.deploy import effective_bench, effective_config

RAMP = open_workspace(EXAMPLES / "kiln-ramp")
T = np.array([0.0, 0.1, 0.25, 0.4, 0.5, 0.75, 0.9])


def wired(source: Source, **front_end: object) -> Workspace:
    """The ramp example with something else on A2."""
    return edited(
        RAMP,
        SetWiring(Wiring(pin="A2", source=source, **({"source_resistance_ohm": 0.0} | front_end))),
    )


def volts(source: Source, times: np.ndarray = T, **front_end: object) -> np.ndarray:
    return input_source(wired(source, **front_end), "A2").at(times)


def ntc(degc: float) -> float:
    """Of the thermistor's divider, from its equation."""
    ohm = 10e3 * math.exp(3435.0 * (1 / (degc + 273.15) - 1 / 298.15))
    return 3.3 * ohm / (ohm + 10e3)


CASES: list[tuple[str, Source, list[float]]] = [
    ("ground", TiedInput(to="ground"), [0.0] * 7),
    ("reference", TiedInput(to="reference"), [3.3] * 7),
    ("half", TiedInput(to="half"), [1.65] * 7),
    ("switch open", Switch(open_v=3.3), [3.3] * 7),
    ("switch closed", Switch(is_closed=True, closed_v=0.02), [0.02] * 7),
    ("supply as set", Supply(voltage_v=1.5), [1.5] * 7),
    ("supply as the meter says", Supply(voltage_v=1.5, meter_v=1.4987), [1.4987] * 7),
    (
        "thermistor there and back",
        Thermistor(from_degc=0.0, to_degc=100.0, period_s="1 s"),
        [ntc(one) for one in (0, 20, 50, 80, 100, 50, 20)],
    ),
    (
        "bridge",
        Bridge(period_s="1 s"),
        [0.5 + 1.32 * one for one in (0, 0.2, 0.5, 0.8, 1, 0.5, 0.2)],
    ),
    (
        "triangle",
        SignalGenerator(shape=TriangleShape(), amplitude_v=1.0, offset_v=1.5, frequency_hz=1),
        [0.5, 0.9, 1.5, 2.1, 2.5, 1.5, 0.9],
    ),
    (
        "sawtooth, turned",
        SignalGenerator(
            shape=SawtoothShape(), amplitude_v=1.0, offset_v=1.5, frequency_hz=1, phase=0.5
        ),
        [1.5, 1.7, 2.0, 2.3, 0.5, 1.0, 1.3],
    ),
    (
        "pulse",
        SignalGenerator(shape=PulseShape(duty=0.3), amplitude_v=1.0, offset_v=1.5, frequency_hz=1),
        [2.5, 2.5, 2.5, 0.5, 0.5, 0.5, 0.5],
    ),
    (
        "a recorded file",
        SignalGenerator(shape=PointsShape(values=(0.0, 1.0, 2.0, 1.0)), frequency_hz=1),
        [0.0, 0.4, 1.0, 1.6, 2.0, 1.0, 0.4],
    ),
    (
        "generator's sine",
        SignalGenerator(shape=SineShape(), amplitude_v=1.0, offset_v=1.5, frequency_hz=1),
        [1.5 + math.sin(2 * math.pi * one) for one in T],
    ),
    ("idle wire", SerialSource(interval_s="1 ms"), [3.3] * 7),
]


@pytest.mark.parametrize(
    ("source", "wanted"), [case[1:] for case in CASES], ids=[case[0] for case in CASES]
)
def test_sources_follow_their_equations(source: Source, wanted: list[float]) -> None:
    assert volts(source) == pytest.approx(wanted, abs=2e-3)


@pytest.mark.parametrize("source", [case[1] for case in CASES], ids=[case[0] for case in CASES])
def test_board_and_expectation_see_the_same(source: Source) -> None:
    """The board's own calculation, through another front end, against what is expected."""
    design = wired(source, source_resistance_ohm=1000.0, capacitor_f=10e-6, hum_v=0.02)
    times = np.linspace(0.0, 3.0, 997)
    drive = effective_bench(design).pins["A2"]
    mine = Outputs(effective_config(design)).drive_voltage(drive, times)
    assert mine == pytest.approx(input_source(design, "A2").at(times), abs=1e-9)


def test_a_battery_sags_with_its_time_constant() -> None:
    source = Battery(voltage_v=3.0, drop_v=1.0, period_s="1 s", loaded=0.25, recovery_s="20 ms")
    found = volts(source, np.array([0.5, 0.75, 0.77, 0.999, 0.02, 0.2]))
    left = math.exp(-1)
    assert found == pytest.approx([3.0, 3.0, 2.0 + left, 2.0, 3.0 - left, 3.0], abs=2e-3)


def test_a_sweep_goes_through_its_frequencies() -> None:
    source = SweptSource(offset_v=1.0, amplitude_v=0.5, from_hz=10, to_hz=30, lasting_s="1 s")
    times = np.linspace(0, 1, 200_001)
    found = volts(source, times) - 1.0
    rises = np.flatnonzero((found[:-1] < 0) & (found[1:] >= 0))
    assert len(rises) == pytest.approx(20, abs=1)
    middles = (times[rises][1:] + times[rises][:-1]) / 2
    assert 1 / np.diff(times[rises]) == pytest.approx(10 + 20 * middles, rel=0.01)


@pytest.mark.parametrize(
    ("ohm", "farad", "bandwidth"), [(1000.0, 1e-6, None), (0.0, 0.0, 300), (1000.0, 1e-6, 300)]
)
def test_a_sine_through_front_ends_has_gain_and_phase(
    ohm: float, farad: float, bandwidth: int | None
) -> None:
    source = SineSource(offset_v=1.5, amplitude_v=1.0, frequency_hz=200)
    times = np.linspace(0, 0.02, 401)
    response = 1 + 0j
    if farad:
        response /= 1 + 2j * math.pi * 200 * ohm * farad
    if bandwidth:
        response /= 1 + 200j / bandwidth
    wanted = 1.5 + np.imag(response * np.exp(2j * math.pi * 200 * times))
    found = volts(
        source, times, source_resistance_ohm=ohm, capacitor_f=farad, bandwidth_hz=bandwidth
    )
    assert found == pytest.approx(wanted, abs=1e-9)


def test_steps_through_a_low_pass_approach_exponentially() -> None:
    source = SquareSource(low_v=0.0, high_v=2.0, period_s="1 s")
    found = volts(
        source, np.array([0.51, 0.52, 0.55, 0.999]), source_resistance_ohm=1000.0, capacitor_f=10e-6
    )
    assert found == pytest.approx([2 * (1 - math.exp(-one)) for one in (1, 2, 5, 49.9)], abs=1e-6)


def test_noise_of_a_density_is_that_within_the_bandwidth() -> None:
    design = wired(DcSource(voltage_v=1.0), noise_density=100e-9, bandwidth_hz=10_000)
    wanted = 100e-9 * math.sqrt(math.pi / 2 * 10_000)
    assert input_noise_v(design, design.project.signal("Power command")) == pytest.approx(
        wanted, rel=1e-3
    )
    noisy = wired(DcSource(voltage_v=1.0, noise_v=1e-3), bandwidth_hz=10_000)
    converter = noisy.part.converters[0]  # a source's noise passes the same low-pass
    own_s = converter.switch_resistance_ohm * converter.sampling_capacitor_f
    pole_s = 1 / (2 * math.pi * 10_000)
    passed = 1e-3 * math.sqrt(own_s / (own_s + pole_s))
    assert input_noise_v(noisy, noisy.project.signal("Power command")) == pytest.approx(
        passed, rel=2e-2
    )


@pytest.mark.parametrize(
    "source",
    [
        DcSource(voltage_v=1.0),
        SineSource(offset_v=1.0, amplitude_v=0.5, frequency_hz=3),
        TriangleSource(from_v=0, to_v=2, period_s="1 s"),
    ],
)
def test_mains_is_picked_up_on_top(source: Source) -> None:
    times = np.linspace(0, 0.1, 301)
    wanted = volts(source, times) + 0.1 * np.sin(2 * math.pi * 50 * times)
    assert volts(source, times, hum_v=0.1) == pytest.approx(wanted, abs=1e-9)


def test_a_jumper_brings_what_is_played_and_what_was_meant() -> None:
    driven = input_source(RAMP, "A2")
    assert isinstance(driven, ShapeSource)
    assert driven.span_s == pytest.approx(0.5)
    low, high = driven.extent_v
    assert (low, high) == (pytest.approx(0.4, abs=2e-3), pytest.approx(2.6, abs=2e-3))
    assert driven.slope_v_s > 40
    found = driven.crossings(2.0)
    assert found is not None
    assert [rises for _at, rises in found[1]] == [True, False]
    # 1.5 V to 2.6 V in 100 ms from 300 ms on; 2.6 V to 0.4 V in 50 ms from 450 ms on. Points come
    # every 400 µs.
    assert [float(at) for at, _rises in found[1]] == pytest.approx([0.3455, 0.4636], abs=5e-4)
    meant = input_source(RAMP, "A2", meant=True)
    times = np.linspace(1, 2, 777)
    assert meant.at(times) == pytest.approx(driven.at(times), abs=1e-3)


def test_a_jumper_from_nothing_brings_nothing() -> None:
    assert volts(Jumper(pin="D7")).tolist() == [0.0] * 7


@pytest.mark.parametrize(
    "make",
    [
        lambda: Battery(voltage_v=3.0, loaded=1.0),
        lambda: Thermistor(from_degc=-300.0),
        lambda: Thermistor(pull_up_ohm=0.0),
        lambda: PulseShape(duty=0.0),
        lambda: TriangleShape(symmetry=1.0),
        lambda: PointsShape(values=(1e9, 0.0)),
    ],
)
def test_what_cannot_be_is_refused(make: object) -> None:
    with pytest.raises(ValueError, match=r"\w"):
        make()  # type: ignore[operator]
