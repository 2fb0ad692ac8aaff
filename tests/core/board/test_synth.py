from __future__ import annotations

import math
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.base.errors import BoardError
from wattigram.core.base.models import json_of
from wattigram.core.board import Run
from wattigram.core.board.converter_codes import ConverterSynth
from wattigram.core.board.output_waveforms import Outputs
from wattigram.core.capture.transport import Decoder, SampleRun
from wattigram.core.contract.board_config import (
    EffectiveConfig,
    PinDrive,
    parse_bench,
    parse_config,
)
from wattigram.core.model.bench import (
    DcSource,
    FloatingInput,
    SineSource,
    SquareSource,
    TriangleSource,
    Wiring,
)
from wattigram.core.model.design import Workspace, open_workspace, signal_scale
from wattigram.core.model.design.edits import (
    Edit,
    SetAlignment,
    SetBits,
    SetBufferLength,
    SetCalibration,
    SetElementWidth,
    SetPeriod,
    SetSampling,
    SetWiring,
)
from wattigram.core.predict.expected import expected_raw
from wattigram.core.silicon.deploy import effective_bench, effective_config


def synth(config: EffectiveConfig, converter: int = 0) -> ConverterSynth:
    return ConverterSynth(
        config.converters[converter],
        converter,
        config.bench,
        Outputs(config),
        config.tick_hz,
        config.seed,
    )


def without_noise(config: EffectiveConfig) -> EffectiveConfig:
    quiet = {pin: drive.unchecked(noise_v=0.0) for pin, drive in config.bench.pins.items()}
    converters = tuple(
        item.unchecked(noise_lsb=0.0, offset_lsb=0.0, gain_error=0.0) for item in config.converters
    )
    return config.unchecked(converters=converters, bench=config.bench.unchecked(pins=quiet))


@pytest.mark.parametrize("piece", [1, 7, 1000, 16384])
def test_codes_do_not_depend_on_the_pieces(kiln: Workspace, piece: int) -> None:
    config = effective_config(edited(kiln, SetSampling("ADC 1", 2, 3)))
    whole = synth(config).codes(16_000, 18_500)
    part = synth(config)
    pieces = [
        part.codes(begin, min(begin + piece, 18_500)) for begin in range(16_000, 18_500, piece)
    ]
    assert np.array_equal(np.concatenate(pieces), whole)


def test_codes_follow_from_the_seed(kiln: Workspace) -> None:
    config = effective_config(kiln)
    again = synth(effective_config(kiln)).codes(0, 100)
    assert np.array_equal(synth(config).codes(0, 100), again)
    assert not np.array_equal(synth(effective_config(kiln, seed=2)).codes(0, 100), again)


def test_frames_do_not_depend_on_steps_or_threads(kiln: Workspace) -> None:
    config = effective_config(kiln)
    end = config.tick_hz * 2
    alone = Run(config)
    whole = b"".join(alone.advance(end) + alone.finish())
    stepped = Run(config)
    frames = [frame for ticks in range(0, end + 1, 777_777) for frame in stepped.advance(ticks)]
    frames += stepped.advance(end) + stepped.finish()
    assert sorted(frame[36:] for frame in frames) == sorted(payloads(whole))
    with ThreadPoolExecutor(2) as executor:
        threaded = Run(config, threads=2)
        assert b"".join(threaded.advance(end, executor) + threaded.finish()) == whole


def payloads(data: bytes) -> list[bytes]:
    """Payload and trailer of each frame of a clean byte sequence."""
    out = []
    position = 0
    while position < len(data):
        size = (
            int.from_bytes(data[position + 12 : position + 16], "little") * data[position + 6] + 40
        )
        out.append(data[position + 36 : position + size])
        position += size
    return out


SOURCES = [
    DcSource(voltage_v=1.234),
    SineSource(offset_v=1.6, amplitude_v=1.5, frequency_hz="50 Hz"),
    SineSource(offset_v=1.6, amplitude_v=1.5, frequency_hz="1234.5 Hz", phase=0.3),
    TriangleSource(from_v=0.2, to_v=3.1, period_s="4 s"),
    TriangleSource(from_v=3.1, to_v=0.2, period_s="1 ms"),
    SquareSource(low_v=0.02, high_v=3.28, period_s="100 ms", duty=0.3),
    SquareSource(low_v=0.02, high_v=3.28, period_s="700 us"),
    FloatingInput(),
]


@pytest.mark.parametrize("source", SOURCES, ids=lambda source: source.kind)
def test_without_noise_the_board_does_what_is_expected(kiln: Workspace, source: object) -> None:
    """Two calculations of the same thing: float32 tables and blocks here, float64 formulas
    there."""
    design = edited(
        kiln,
        SetWiring(Wiring(pin="A3", source_resistance_ohm=4700.0, source=source)),  # type: ignore[arg-type]
        SetSampling("ADC 1", 1, 8),
        SetPeriod("ADC 1", Fraction(1, 9000)),
    )
    codes = synth(without_noise(effective_config(design))).codes(0, 40_000).reshape(-1, 4)
    stream = expected_raw(((0, design),), "ADC 1", "Upper zone", 0, 40_000)
    expected = np.clip(np.floor(stream.predicted_v / (3.3 / 4096) + 0.5), 0, 4095)
    off = np.abs(codes[:, 1] - expected)
    assert np.mean(off > 0) < 0.01
    assert np.mean(off > 1) < 1e-4


PINS = ("A2", "A3", "A4", "A6")
NEAR_A_STEP = 0.002
"""LSB by which two calculations may differ where it decides between two codes."""
CIRCUITS = st.tuples(
    *(
        st.tuples(
            st.sampled_from([10.0, 470.0, 4_700.0, 47_000.0, 220_000.0]),
            st.sampled_from([0.0, 0.0, 1e-10, 1e-9, 1e-8, 1e-7, 1e-6]),
            st.sampled_from(SOURCES[:6]),
            st.sampled_from([3, 8, 32, 128]),
        )
        for _ in PINS
    )
)


@settings(max_examples=25, deadline=None)
@given(CIRCUITS, st.sampled_from([Fraction(1, 20_000), Fraction(1, 10_000), Fraction(1, 500)]))
def test_without_noise_any_circuit_settles_as_expected(
    kiln: Workspace, circuits: tuple[tuple[float, float, object, int], ...], period_s: Fraction
) -> None:
    edits: list[Edit] = [SetPeriod("ADC 1", period_s)]
    for place, (pin, (ohm, farads, source, cycles)) in enumerate(zip(PINS, circuits, strict=True)):
        edits.append(
            SetWiring(Wiring(pin=pin, source_resistance_ohm=ohm, capacitor_f=farads, source=source))
        )  # type: ignore[arg-type]
        edits.append(SetSampling("ADC 1", place, cycles))
    design = edited(kiln, *edits)
    scans = 3000
    codes = synth(without_noise(effective_config(design))).codes(0, scans).reshape(-1, 4)
    for place, name in enumerate(("Coil current", "Upper zone", "Door latch", "3.3 V rail")):
        stream = expected_raw(((0, design),), "ADC 1", name, 0, scans)
        gain = float(design.project.signal(name).scaling)
        expected = np.clip(stream.predicted_v * gain / (3.3 / 4096), 0, 4095)
        off = np.abs(codes[:, place] - expected)
        # A source in step with the scans may lie where two codes meet, in every tenth sample.
        assert np.mean(off > 0.5 + NEAR_A_STEP) < 0.02, (name, off.max())
        assert np.mean(off > 1.5) < 1e-3, (name, off.max())


@pytest.mark.parametrize("sampler", ["across", "each-side"])
@pytest.mark.parametrize("farads", [0.0, 1e-9, 1e-7])
def test_charge_goes_from_slot_to_slot_in_volts(sampler: str, farads: float) -> None:
    """Single-ended slots beside pairs: their counts are unequal, and what is carried over is
    charge."""
    design = open_workspace(EXAMPLES / "kiln-safety" / "kiln-safety.wattigram.toml")
    converters = tuple(
        converter.replaced(differential_sampling=sampler) for converter in design.part.converters
    )
    design = Workspace(design.project, design.part.replaced(converters=converters))
    pair = next(signal for signal in design.project.signals if signal.negative is not None)
    chain = design.project.chain_of(pair.name)
    assert chain is not None
    shortest = min(design.converter(chain).sampling_cycles)
    edits: list[Edit] = [
        SetSampling(chain.converter, place, shortest) for place in range(len(chain.slots))
    ]
    for number, pin in enumerate((pair.pin, pair.negative)):
        source = SineSource(
            offset_v=1.0 + number * 0.5, amplitude_v=0.4, frequency_hz="37 Hz", phase=0.2 * number
        )
        edits.append(
            SetWiring(
                Wiring(
                    pin=str(pin),
                    source_resistance_ohm=9000.0 * (1 + number),
                    capacitor_f=farads,
                    source=source,
                )
            )
        )
    design = edited(design, *edits)
    stream = design.project.chains.index(design.project.chain_of(pair.name))  # type: ignore[arg-type]
    config = without_noise(effective_config(design))
    slots = len(chain.slots)
    repeats = [slot.repeats for slot in config.converters[stream].slots]
    codes = synth(config, stream).codes(0, 2000).reshape(2000, -1)
    chain = design.project.chains[stream]
    for signal in dict.fromkeys(slot.signal for slot in chain.slots):
        place = chain.places_of(signal)[0]
        if repeats[place] != 1:
            continue
        scale = signal_scale(design, chain, signal)
        found = expected_raw(((0, design),), chain.converter, signal, 0, 2000)
        gain = float(design.project.signal(signal).scaling)
        column = sum(repeats[:place])
        volts = codes[:, column] * scale.lsb_v
        assert np.abs(volts - found.predicted_v[:2000] * gain).max() < 0.75 * scale.lsb_v + 1e-6, (
            signal
        )
    assert slots == len(chain.slots)


def test_noise_offset_and_gain_are_as_the_part_says(cured: Workspace) -> None:
    flat = edited(
        cured,
        SetWiring(
            Wiring(
                pin="A2", source_resistance_ohm=1.0, source=DcSource(voltage_v=2.0, noise_v=2e-3)
            )
        ),
    )
    codes = synth(effective_config(flat)).codes(0, 60_000).reshape(-1, 4)[:, 0]
    lsb = 3.3 / 4096
    assert codes.mean() == pytest.approx(2.0 / lsb * (1 + 120e-6) + 0.4, abs=0.05)
    assert codes.std() == pytest.approx(math.sqrt((2e-3 / lsb) ** 2 + 0.35**2 + 1 / 12), rel=0.02)


def test_without_calibration_all_readings_are_off(cured: Workspace) -> None:
    wrong = effective_config(edited(cured, SetCalibration("ADC 1", False)))
    good = effective_config(cured)
    difference = synth(wrong).codes(0, 5000) - synth(good).codes(0, 5000)
    assert difference.mean() == pytest.approx(9.1, abs=0.2)


@pytest.mark.parametrize(("bits", "top"), [(12, 4095), (10, 1023), (8, 255)])
def test_codes_end_at_full_scale(cured: Workspace, bits: int, top: int) -> None:
    hot = edited(
        cured,
        SetBits("ADC 1", bits),
        SetWiring(Wiring(pin="A2", source_resistance_ohm=1.0, source=DcSource(voltage_v=9.0))),
    )
    codes = synth(effective_config(hot)).codes(0, 500).reshape(-1, 4)
    assert set(codes[10:, 0].tolist()) == {top}
    assert codes.min() >= 0


def items_of(design: Workspace, seconds: float = 0.2) -> np.ndarray:
    config = effective_config(design)
    run = Run(config)
    frames = run.advance(int(config.tick_hz * seconds)) + run.finish()
    runs = [
        found
        for found in Decoder().feed(b"".join(frames))
        if isinstance(found, SampleRun) and found.stream == 0
    ]
    return np.concatenate([found.items for found in runs])


def test_left_aligned_items_are_sixteen_times_larger(cured: Workspace) -> None:
    right, left = items_of(cured), items_of(edited(cured, SetAlignment("ADC 1", "left")))
    assert np.array_equal(left >> 4, right)
    assert left.dtype == np.uint16


def test_narrow_items_lose_their_upper_bits(cured: Workspace) -> None:
    assert np.array_equal(
        items_of(edited(cured, SetElementWidth("ADC 1", 8))), items_of(cured) & 0xFF
    )
    assert items_of(edited(cured, SetElementWidth("ADC 1", 32))).dtype == np.uint32


@pytest.mark.parametrize("items", [512, 510, 8, 30])
def test_a_stopped_run_has_handed_over_every_item(cured: Workspace, items: int) -> None:
    assert len(items_of(edited(cured, SetBufferLength("ADC 1", items)), 0.1234)) == 1234 * 4


def test_a_loop_that_does_not_repeat_freezes(cured: Workspace) -> None:
    config = effective_config(cured)
    first = config.converters[0]
    once = first.unchecked(loop=first.loop.unchecked(repeat=False))
    run = Run(config.unchecked(converters=(once, config.converters[1])))
    run.advance(config.tick_hz)
    assert run.totals()["items.0"] == 512
    assert run.totals()["items.1"] > 9000


def test_knobs_hold_from_the_next_cycle(cured: Workspace) -> None:
    config = effective_config(cured)
    run = Run(config)
    before = run.advance(config.tick_hz // 10)
    assert run.next_tick() == config.tick_hz // 10
    turned = edited(
        cured,
        SetWiring(Wiring(pin="A6", source_resistance_ohm=1.0, source=DcSource(voltage_v=0.5))),
    )
    run.set_bench(effective_bench(turned))
    after = run.advance(config.tick_hz // 5) + run.finish()
    items = np.concatenate(
        [
            r.items
            for r in Decoder().feed(b"".join(before + after))
            if isinstance(r, SampleRun) and r.stream == 0
        ]
    )
    rail = items[3::4] * 3.3 / 4096
    assert rail[:1000] == pytest.approx(1.65, abs=0.006)
    assert rail[1005:] == pytest.approx(0.5, abs=0.006)


def test_a_configuration_survives_its_json(kiln: Workspace) -> None:
    config = effective_config(kiln)
    assert parse_config(json_of(config)) == config


@pytest.mark.parametrize(
    "text", ["", "{}", "[]", "null", '{"board": 1}', "x" * 1000, '{"tick_hz": NaN}']
)
def test_a_wrong_configuration_is_a_sentence(kiln: Workspace, text: str) -> None:
    with pytest.raises(BoardError, match="cannot be used"):
        parse_config(text)
    with pytest.raises(BoardError):
        parse_bench(text, effective_config(kiln))


def test_a_bench_that_lacks_a_pin_is_refused(kiln: Workspace) -> None:
    config = effective_config(kiln)
    fewer = config.bench.unchecked(pins={"A2": PinDrive()})
    with pytest.raises(BoardError, match="has no drive"):
        parse_bench(json_of(fewer), config)
