"""Tables, their codes, spectrum, frequencies and files, with worked values."""

from __future__ import annotations

import math
import subprocess
import wave
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import edited
from wattigram.core.base.errors import WaveError
from wattigram.core.contract.shapes import (
    ChirpShape,
    MultitoneShape,
    NoiseShape,
    PointsShape,
    PulseShape,
    SawtoothShape,
    SegmentsShape,
    ShapeSegment,
    SineShape,
    Tone,
    TriangleShape,
)
from wattigram.core.model.design import (
    ConstantLevel,
    Generator,
    GeneratorFollow,
    Playback,
    SoftwareRamp,
    TimerTrigger,
    WaveTable,
    Workspace,
)
from wattigram.core.model.design.edits import SetGenerator, SetTable
from wattigram.core.predict.clocks import solve_timer
from wattigram.core.predict.waveform import (
    dac_playback,
    droop_db,
    image_dbc,
    output_spectrum,
    read_points,
    table_c,
    table_codes,
    table_csv,
    table_volts,
    wave_choices,
    write_wav,
)

SINE = WaveTable(name="S", points=256, amplitude_v=1.2, offset_v=1.65, shape=SineShape())


def played(
    kiln: Workspace, table: WaveTable = SINE, every: str = "25.6 kHz", **updates: object
) -> Workspace:
    """The demo project with a table on DAC 1."""
    output = Playback(
        table=table.name,
        update_trigger=TimerTrigger(timer="Timer 5", period_s=every),
        channel="DMA 5",
    )
    one = Generator(name="Out", dac="DAC 1", output=output).replaced(**updates)
    return edited(kiln, SetTable(table.name, table), SetGenerator("Out", one))


@pytest.mark.parametrize(
    ("points", "droop", "image"),
    [(8, -0.224, -16.9), (16, -0.0559, -23.5), (64, -0.0035, -36.0), (256, -0.0002, -48.1)],
)
def test_droop_and_images_are_the_worked_ones(
    kiln: Workspace, points: int, droop: float, image: float
) -> None:
    assert droop_db(1, points) == pytest.approx(droop, abs=6e-4)
    assert image_dbc(1, points) == pytest.approx(image, abs=0.06)
    design = played(kiln, SINE.replaced(points=points))
    found = output_spectrum(dac_playback(design, design.project.generators[0]))
    assert found.droop_db == pytest.approx(droop, abs=6e-4)
    assert found.image_dbc == pytest.approx(image, abs=0.1)
    assert found.tone_hz == pytest.approx(25600 / points)
    assert found.tone_v == pytest.approx(1.2 * 10 ** (droop / 20), rel=2e-3)


def test_the_spectrum_is_that_of_the_steps_sampled_finely(kiln: Workspace) -> None:
    """A second way: the held steps sampled a thousand times each, and a long FFT of that."""
    design = played(kiln, SINE.replaced(points=12, periods=5))
    made = dac_playback(design, design.project.generators[0])
    fine = np.repeat(made.levels_v, 1000)
    lines = 2 * np.abs(np.fft.rfft(fine)) / len(fine)
    found = output_spectrum(made)
    for number in (1, 5, 7, 12, 17, 19, 29):
        assert found.amplitude_v[number - 1] == pytest.approx(lines[number], abs=2e-5)


def test_a_filter_takes_from_images_what_it_should(kiln: Workspace) -> None:
    design = played(kiln, SINE.replaced(points=16))
    made = dac_playback(design, design.project.generators[0])
    pole = 1 / (2 * math.pi * 3000)
    bare, behind = output_spectrum(made), output_spectrum(made, (pole,))
    gain = [1 / math.hypot(1, hertz / 3000) for hertz in (bare.image_hz, bare.tone_hz)]
    assert behind.image_dbc - bare.image_dbc == pytest.approx(
        20 * math.log10(gain[0] / gain[1]), abs=0.01
    )


def test_frequency_is_exact(kiln: Workspace) -> None:
    made = dac_playback(design := played(kiln), design.project.generators[0])
    assert (made.wave_hz, made.error) == (100, 0)
    off = dac_playback(design := played(kiln, every="44.1 kHz"), design.project.generators[0])
    assert off.wave_hz == Fraction(96_000_000, 2177 * 256)
    assert float(off.error) * 1e6 == pytest.approx(-59.37, abs=0.01)


def test_codes_round_half_up_and_clip(kiln: Workspace) -> None:
    dac = kiln.part.dacs[0]
    table = WaveTable(name="P", points=4, shape=PointsShape(values=(1.65, 3.2996, 5.0, -1.0)))
    made = table_codes(kiln, table, dac, buffered=False)
    assert made.codes.tolist() == [2048, 4095, 4095, 0]
    assert made.clipped.tolist() == [False, False, True, True]
    wrapped = table_codes(kiln, table.replaced(overflow="wrap"), dac, buffered=False)
    assert wrapped.codes.tolist() == [2048, 0, 6206 - 4096, 4096 - 1241]
    millivolts = table_codes(kiln, table.replaced(holds="millivolts"), dac, buffered=False)
    assert millivolts.codes.tolist() == [1650, 3300, 5000 - 4096, (65536 - 1000) % 4096]
    assert table_codes(kiln, table, dac).levels_v.tolist() == pytest.approx(
        [1.65, 3.15, 3.15, 0.15]
    )


SHAPES = [
    (SineShape(), (0.0, 1.0, 0.0, -1.0)),
    (TriangleShape(), (-1.0, 0.0, 1.0, 0.0)),
    (TriangleShape(symmetry=0.25), (-1.0, 1.0, 1 / 3, -1 / 3)),
    (SawtoothShape(), (-1.0, -0.5, 0.0, 0.5)),
    (SawtoothShape(direction="falling"), (1.0, 0.5, 0.0, -0.5)),
    (PulseShape(), (1.0, 1.0, -1.0, -1.0)),
    (PulseShape(duty=0.25), (1.0, -1.0, -1.0, -1.0)),
    (ChirpShape(start=1, stop=1), (0.0, 1.0, 0.0, -1.0)),
    (MultitoneShape(tones=(Tone(number=1, level=0.5, phase=0.25),)), (0.5, 0.0, -0.5, 0.0)),
]


@pytest.mark.parametrize(
    ("shape", "values"), SHAPES, ids=[f"{one[0].kind}-{n}" for n, one in enumerate(SHAPES)]
)
def test_shapes_have_their_values(shape: SineShape, values: tuple[float, ...]) -> None:
    table = WaveTable(name="X", points=4, amplitude_v=2.0, offset_v=1.0, shape=shape)
    assert table_volts(table) == pytest.approx([1 + 2 * value for value in values], abs=1e-12)


def test_segments_ramp_and_soak() -> None:
    shape = SegmentsShape(
        start_v=0.0,
        segments=(ShapeSegment(to_v=2.0, lasting="1 s"), ShapeSegment(to_v=2.0, lasting="3 s")),
    )
    assert table_volts(WaveTable(name="X", points=8, shape=shape)).tolist() == [
        0.0,
        1.0,
        2.0,
        2.0,
        2.0,
        2.0,
        2.0,
        2.0,
    ]


def test_noise_follows_from_its_seed_and_stays_within_its_amplitude() -> None:
    noise = WaveTable(
        name="N", points=4096, amplitude_v=1.0, offset_v=0.0, shape=NoiseShape(seed=7)
    )
    volts = table_volts(noise)
    assert np.array_equal(volts, table_volts(noise))
    assert not np.array_equal(volts, table_volts(noise.replaced(shape=NoiseShape(seed=8))))
    assert np.abs(volts).max() <= 1.0
    assert volts.std() == pytest.approx(1 / 3, rel=0.05)


@given(st.lists(st.floats(-2, 2), min_size=3, max_size=40))
@settings(max_examples=40, deadline=None)
def test_band_limited_points_go_through_the_given_ones(values: list[float]) -> None:
    shape = PointsShape(values=tuple(values), interpolation="band-limited")
    volts = table_volts(WaveTable(name="P", points=len(values) * 4, shape=shape))
    assert volts[::4] == pytest.approx(values, abs=1e-9)


def test_phase_turns_and_points_agree() -> None:
    late = table_volts(SINE.replaced(phase=0.25))
    assert late == pytest.approx(np.roll(table_volts(SINE), -64), abs=1e-12)
    thrice = table_volts(SINE.replaced(periods=3))
    assert thrice == pytest.approx(
        1.65 + 1.2 * np.sin(2 * math.pi * 3 * np.arange(256) / 256), abs=1e-9
    )


def test_levels_and_ramps_say_code_and_time(kiln: Workspace) -> None:
    held = edited(
        kiln,
        SetGenerator("L", Generator(name="L", dac="DAC 2", output=ConstantLevel(voltage_v=1.0))),
    )
    made = dac_playback(held, held.project.generators[0])
    assert made.codes.tolist() == [1241]
    assert made.levels_v[0] == pytest.approx(1241 * 3.3 / 4096)
    ramp = SoftwareRamp(from_v=1.0, to_v=2.0, step_v=0.3, dwell_s="1 ms", at_end="reverse")
    design = edited(kiln, SetGenerator("R", Generator(name="R", dac="DAC 2", output=ramp)))
    made = dac_playback(design, design.project.generators[0])
    assert made.wanted_v.tolist() == pytest.approx([1.0, 1.3, 1.6, 1.9, 2.0, 1.9, 1.6, 1.3])
    assert made.lap_s == Fraction(8, 1000)


def test_two_outputs_share_a_table_with_a_set_phase(kiln: Workspace) -> None:
    design = played(kiln)
    follow = Playback(
        table="S", update_trigger=GeneratorFollow(follows="Out"), channel="DMA 6", start_index=64
    )
    design = edited(design, SetGenerator("B", Generator(name="B", dac="DAC 2", output=follow)))
    first, second = (dac_playback(design, generator) for generator in design.project.generators)
    assert (second.update_s, second.begin_s) == (first.update_s, first.begin_s)
    assert np.array_equal(second.codes, np.roll(first.codes, -64))


@pytest.mark.parametrize(
    ("wanted", "exact"), [(Fraction(50), True), (Fraction(440), False), (Fraction(1, 3), True)]
)
def test_the_solver_gives_exact_choices_first(wanted: Fraction, exact: bool) -> None:
    found = wave_choices(wanted, Fraction(96_000_000), 1 << 16, 16, Fraction(400_000), 4096)
    errors = [abs(choice.error) for choice in found[:24]]
    assert errors == sorted(errors)
    assert (found[0].error == 0) == exact
    for choice in found:
        assert choice.update_hz == Fraction(96_000_000) / (choice.prescaler * choice.period_counts)
        assert choice.wave_hz == choice.update_hz / choice.points
        assert choice.update_hz <= 400_000
        assert choice.error == choice.wave_hz / wanted - 1
        assert choice.bytes == 2 * choice.points


def test_no_choice_of_points_is_better_than_the_solvers() -> None:
    wanted = Fraction(1234567, 1000)
    found = wave_choices(wanted, Fraction(96_000_000), 1 << 16, 16, Fraction(400_000), 324)
    best = min(
        abs(
            Fraction(96_000_000)
            / (solve_timer(Fraction(96_000_000), 1 / (wanted * count), 1 << 16, 16).ticks * count)
            / wanted
            - 1
        )
        for count in range(8, 325)
        if Fraction(96_000_000)
        / solve_timer(Fraction(96_000_000), 1 / (wanted * count), 1 << 16, 16).ticks
        <= 400_000
    )
    assert abs(found[0].error) == best


def test_files_come_back_as_they_went(kiln: Workspace, tmp_path: Path) -> None:
    made = table_codes(kiln, SINE, kiln.part.dacs[0])
    table = tmp_path / "a.csv"
    table.write_text(table_csv(made.wanted_v, made.codes, made.levels_v, Fraction(1, 25600)))
    assert read_points(table, 0, 3.3, made.lsb_v) == pytest.approx(made.wanted_v, abs=1e-8)
    rate = write_wav(tmp_path / "a.wav", made.codes, 12, Fraction(25600), 0.05)
    with wave.open(str(tmp_path / "a.wav")) as sound:
        assert (sound.getframerate(), sound.getnchannels(), sound.getsampwidth()) == (rate, 1, 2)
        assert sound.getnframes() == 1280
    again = read_points(tmp_path / "a.wav", 0.0, 3.3, made.lsb_v)
    assert again[:256] == pytest.approx(made.codes * made.lsb_v, abs=1e-8)
    source = tmp_path / "a.c"
    source.write_text(table_c("2 Kiln/ramp", made.codes, "a comment */ with an end"))
    assert read_points(source, 0, 3.3, made.lsb_v) == pytest.approx(
        made.codes * made.lsb_v, abs=1e-8
    )
    subprocess.run(
        [
            "gcc",
            "-std=c11",
            "-Wall",
            "-Wextra",
            "-Wpedantic",
            "-Werror",
            "-c",
            source,
            "-o",
            tmp_path / "a.o",
        ],
        check=True,
    )


@pytest.mark.parametrize(
    ("text", "values"),
    [
        ("0.5\n1\n1.5\n", (0.5, 1.0, 1.5)),
        ("time,volts\n0,0.1\n1,0.2\n", (0.1, 0.2)),
        ("volts;note\n0,25;a\n0,75;b\n", (0.25, 0.75)),
        ("\ufeff# from elsewhere\nt\tv\n0\t1\n1\t2\n", (1.0, 2.0)),
    ],
)
def test_tables_made_elsewhere_are_read(
    tmp_path: Path, text: str, values: tuple[float, ...]
) -> None:
    path = tmp_path / "x.csv"
    path.write_text(text, encoding="utf-8")
    assert read_points(path, 0, 3.3, 0.001) == pytest.approx(values)


@pytest.mark.parametrize(
    ("name", "data"),
    [
        ("x.csv", b"a,b\nc,d\n"),
        ("x.csv", b"\xff\xfe\x00"),
        ("x.csv", b""),
        ("x.csv", b"1e99\n2\n"),
        ("x.wav", b"RIFF\x00\x00\x00\x00WAVEfmt \xff\xff\xff\xff"),
        ("x.wav", b"no sound"),
        ("x.c", b"int main(void);"),
        ("x.c", b"{}"),
    ],
)
def test_what_is_no_table_is_refused(tmp_path: Path, name: str, data: bytes) -> None:
    (tmp_path / name).write_bytes(data)
    with pytest.raises(WaveError) as caught:
        read_points(tmp_path / name, 0, 3.3, 0.001)
    assert caught.value.where.endswith(name)
    with pytest.raises(WaveError):
        read_points(tmp_path / "none.csv", 0, 3.3, 0.001)


@pytest.mark.parametrize(
    ("text", "values"),
    [
        ("{ 010, 8, 0x10, 0b11, -2, +3u, 4UL, }", [8, 8, 16, 3, -2, 3, 4]),
        ("/* { */ { 1, /* 2, */ 3, // 4\n 5 }", [1, 3, 5]),
    ],
)
def test_integers_are_those_of_c(text: str, values: list[int], tmp_path: Path) -> None:
    path = tmp_path / "t.c"
    path.write_text(text)
    assert read_points(path, 0, 3.3, 1.0) == pytest.approx(values)


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("t.c", "{ 1, 089 }", "octal"),
        ("t.c", "{ 1, two }", "Item 2 is “two”"),
        ("t.c", "{ 1, 0x }", "no integer of C"),
        ("t.c", "{" + "/*" * 1_000_000 + "}", "no array in braces"),
        ("t.csv", "v\n" + "1" * 200_000 + "\n2\n", "no table"),
        ("t.csv", "a" * 200_000 + ",b\n1,2\n", "no table"),
        ("a\0b.csv", "", "cannot be read"),
    ],
)
def test_what_no_table_is_gives_a_sentence(
    name: str, text: str, words: str, tmp_path: Path
) -> None:
    path = tmp_path / name
    if "\0" not in name:
        path.write_text(text)
    with pytest.raises(WaveError, match=words):
        read_points(path, 0, 3.3, 1.0)
