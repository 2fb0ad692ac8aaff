"""Worked values, edges and refusals of what is measured of streams."""

from __future__ import annotations

import math

import numpy as np
import pytest

from wattigram.core.analysis import (
    CodeHistogram,
    FoldGatherer,
    SpectrumGatherer,
    StatisticsGatherer,
    Stream,
    against,
    code_density,
    code_density_of_ramp,
    code_density_of_sine,
    crossings,
    dynamic,
    folded,
    intervals,
    lag,
    passes,
    response,
    spectrum,
    statistics,
    step_response,
    transfer_at,
)

WINDOWS = ("rectangular", "hann", "blackman-harris", "flat-top")


def sine(count: int, rate_hz: float, tone_hz: float) -> np.ndarray:
    return np.sin(2 * np.pi * tone_hz * np.arange(count) / rate_hz)


def test_an_ideal_converter_has_all_its_bits() -> None:
    """SINAD of N bits is 6.0206 N + 1.7609 dB: 74.01 dB of twelve."""
    times_s = np.arange(65_536) / 1e6
    codes = np.floor(2048 + 2047.4 * np.sin(2 * np.pi * 77_771.1 * times_s))
    found = dynamic(codes, times_s, 4096)
    assert found.sinad_db.value == pytest.approx(74.01, abs=0.05)
    assert found.enob.value == pytest.approx(12, abs=0.01)
    assert found.enob_at_full_scale is not None
    assert found.enob_at_full_scale.value == pytest.approx(12, abs=0.01)
    half = dynamic(np.floor(2048 + 1023.7 * np.sin(2 * np.pi * 77_771.1 * times_s)), times_s, 4096)
    assert half.enob_at_full_scale is not None
    assert half.level_db is not None
    assert half.level_db.value == pytest.approx(-6.02, abs=0.01)
    assert half.enob.value == pytest.approx(11, abs=0.02)  # at its level
    assert half.enob_at_full_scale.value == pytest.approx(12, abs=0.02)  # of the converter


def test_harmonics_fold_and_those_that_fall_together_are_left_out() -> None:
    assert folded(3 * 40e3, 100e3) == pytest.approx(20e3)
    times_s = np.arange(4096) / 100e3
    angle = 2 * np.pi * 25e3 * times_s + 0.3
    noise = 1e-4 * np.random.default_rng(1).standard_normal(4096)
    found = dynamic(np.sin(angle) + 0.01 * np.sin(2 * angle) + noise, times_s)
    # Of a quarter of the rate the third falls on the first, the fourth on zero, the second on half the rate.
    assert found.left_out == (2, 3, 4, 5, 6, 7, 8, 9, 10)
    other = dynamic(np.sin(angle * 0.9), times_s)
    assert [harmonic.order for harmonic in other.harmonics] == [2, 3, 4, 5, 6, 7, 8, 9, 10]
    assert other.harmonics[1].folded_hz == pytest.approx(32.5e3)


def test_a_line_that_is_no_harmonic_is_the_spur() -> None:
    times_s = np.arange(16_384) / 100e3
    values = np.sin(2 * np.pi * 10_123.4 * times_s) + 1e-3 * np.sin(2 * np.pi * 33_333.3 * times_s)
    values += 1e-5 * np.random.default_rng(1).standard_normal(16_384)
    found = dynamic(values, times_s)
    assert found.spur_hz == pytest.approx(33_333.3, abs=0.1)
    assert found.sfdr_db.value == pytest.approx(60, abs=0.01)
    assert not found.sfdr_is_bound
    assert found.thd_is_bound
    clean = values - 1e-3 * np.sin(2 * np.pi * 33_333.3 * times_s)
    assert dynamic(clean, times_s).sfdr_is_bound


@pytest.mark.parametrize(
    "values", [np.ones(1000), np.random.default_rng(1).random(1000), np.arange(20.0)]
)
def test_what_is_no_sine_is_refused(values: np.ndarray) -> None:
    with pytest.raises(ValueError, match=r"sine"):
        dynamic(values, np.arange(len(values)) * 1e-3)


@pytest.mark.parametrize("window", WINDOWS)
def test_a_sine_on_a_bin_has_its_mean_square_with_any_window(window: str) -> None:
    found = spectrum(2 * sine(4096, 1e3, 1e3 * 512 / 4096), 1e3, window)  # type: ignore[arg-type]
    assert found.power.max() == pytest.approx(2.0)
    assert found.frequencies_hz[found.power.argmax()] == pytest.approx(125)
    assert found.decibels(4.0).max() == pytest.approx(0, abs=1e-9)


@pytest.mark.parametrize(
    ("window", "bins", "worst_db"),
    [
        ("rectangular", 1.0, 3.92),
        ("hann", 1.5, 1.42),
        ("blackman-harris", 2.0, 0.83),
        ("flat-top", 3.77, 0.01),
    ],
)
def test_windows_have_the_noise_bandwidth_and_the_worst_case_of_the_books(
    window: str, bins: float, worst_db: float
) -> None:
    found = spectrum(sine(4096, 4096, 512.5), 4096.0, window)  # type: ignore[arg-type]
    assert found.noise_bins == pytest.approx(bins, abs=0.01)
    assert -10 * math.log10(found.power.max() * 2) == pytest.approx(worst_db, abs=0.01)


@pytest.mark.parametrize("window", ["hann", "blackman-harris", "flat-top"])
@pytest.mark.parametrize("between", [0.0, 0.3, 0.5])
def test_the_highest_line_is_told_wherever_it_lies_between_bins(
    window: str, between: float
) -> None:
    tone_hz = (300 + between) * 1000 / 4096
    values = 0.75 * sine(40_000, 1e3, tone_hz) + 1e-3 * np.random.default_rng(1).standard_normal(
        40_000
    )
    frequency, amplitude = spectrum(values, 1e3, window, 4096).highest_line()  # type: ignore[arg-type]
    assert amplitude.value == pytest.approx(0.75, rel=2e-3)
    assert frequency.value == pytest.approx(tone_hz, abs=0.02)


def test_blocks_of_any_length_give_the_same() -> None:
    random = np.random.default_rng(3)
    values, times_s = random.standard_normal(40_000), np.arange(40_000) * 1e-3 + 3e-4
    whole, parts = SpectrumGatherer(1e3, 1024), SpectrumGatherer(1e3, 1024)
    all_at_once, in_parts = StatisticsGatherer(), StatisticsGatherer()
    once, often = FoldGatherer(0.2, 20), FoldGatherer(0.2, 20)
    whole.add(values)
    all_at_once.add(values, times_s)
    once.add(values, times_s)
    for part in np.split(np.arange(40_000), np.sort(random.integers(0, 40_000, 200))):
        parts.add(values[part])
        in_parts.add(values[part], times_s[part])
        often.add(values[part], times_s[part])
    assert whole.result is not None
    assert parts.result is not None
    assert np.allclose(whole.result.power, parts.result.power)
    one, other = all_at_once.result, in_parts.result
    assert one is not None
    assert other is not None
    assert one.mean.value == pytest.approx(other.mean.value, abs=1e-12)
    assert one.std.value == pytest.approx(other.std.value)
    assert one.std.value == pytest.approx(float(np.std(values, ddof=1)))
    assert (one.low, one.high, one.count) == (values.min(), values.max(), 40_000)
    first, second = once.result, often.result
    assert first is not None
    assert second is not None
    assert np.allclose(first.mean, second.mean)
    assert np.allclose(first.spread, second.spread)
    assert first.counts.tolist() == [2000] * 20


def test_no_segment_of_a_spectrum_goes_over_a_gap() -> None:
    gatherer = SpectrumGatherer(1e3, 64)
    gatherer.add(np.ones(63))
    gatherer.gap()
    gatherer.add(np.ones(63))
    assert gatherer.result is None
    with pytest.raises(ValueError, match="sixteen"):
        SpectrumGatherer(1e3, 8)


def test_statistics_far_from_zero_keep_their_digits() -> None:
    values = 1e6 + 1e-3 * np.random.default_rng(1).standard_normal(10_000)
    found = statistics(values, np.arange(10_000.0))
    assert found is not None
    assert found.std.value == pytest.approx(1e-3, rel=0.03)
    assert found.rms.value == pytest.approx(1e6)
    assert StatisticsGatherer().result is None


def test_drift_is_the_slope() -> None:
    times_s = np.arange(1000) * 0.1
    found = statistics(3 + 2e-3 * times_s, times_s)
    assert found is not None
    assert found.drift_per_s is not None
    assert found.drift_per_s.value == pytest.approx(2e-3)


def test_missing_codes_are_told_from_codes_that_were_not_to_come_yet() -> None:
    ramp = np.repeat(np.arange(64), 40)
    gone = np.where(ramp == 20, 21, ramp)
    histogram = CodeHistogram()
    histogram.add(gone)
    found = code_density(histogram, "ramp")
    assert found.missing == (20,)
    assert found.dnl_lsb[19] == pytest.approx(-1)
    assert histogram.absent.tolist() == [20]
    few = CodeHistogram()
    few.add(np.delete(np.repeat(np.arange(64), 3), [60, 61, 62]))
    told = code_density(few, "ramp")
    assert told.missing == ()
    assert told.undecided == 1


def test_a_histogram_takes_blocks_and_refuses_nonsense() -> None:
    histogram = CodeHistogram()
    for block in ([5, 6, 6], [], [2, 9]):
        histogram.add(np.array(block, dtype=np.int64))
    assert histogram.first == 2
    assert histogram.counts.tolist() == [1, 0, 0, 1, 2, 0, 0, 1]
    with pytest.raises(ValueError, match="histogram"):
        histogram.add(np.array([0, 1 << 30]))
    with pytest.raises(ValueError, match="ten codes"):
        code_density(histogram, "sine")
    with pytest.raises(ValueError, match="ramp"):
        code_density_of_ramp(np.tile(np.arange(200), 20), np.arange(4000.0))
    with pytest.raises(ValueError, match="alike"):
        code_density_of_sine(np.repeat([1, 2, 3], 100), np.arange(300.0))


def test_crossings_lie_between_samples_and_need_the_way_back() -> None:
    values = np.array([0.0, 1.0, 0.9, 1.0, 0.0, 2.0])
    times_s = np.arange(6.0)
    assert crossings(values, times_s, 0.95).tolist() == pytest.approx([0.95, 2.5, 4.475])
    assert crossings(values, times_s, 0.95, hysteresis=0.2).tolist() == pytest.approx([0.95, 4.475])
    falling = crossings(values, times_s, 0.5, rising=False)
    assert falling.tolist() == pytest.approx([3.5])
    assert intervals(np.array([1.0, 2.0])) is None
    told = intervals(np.array([0.0, 1.0, 3.0]))
    assert told is not None
    assert (told.count, told.mean_s.value, told.low_s, told.high_s) == (2, 1.5, 1.0, 2.0)


def test_folding_lays_periods_over_each_other() -> None:
    times_s = np.arange(10_000) * 1e-4
    values = np.floor(times_s * 4) + np.mod(times_s, 0.25)
    gatherer = FoldGatherer(0.25, 10)
    gatherer.add(values, times_s)
    found = gatherer.result
    assert found is not None
    assert found.periods == pytest.approx(4, abs=1e-3)
    assert found.mean == pytest.approx(1.5 + found.at_s, abs=1e-4)
    assert (found.low, found.high) == (
        pytest.approx(found.at_s - 0.0125, abs=1e-4),
        pytest.approx(3 + found.at_s + 0.0125, abs=2e-4),
    )
    single = passes(values, times_s, 0.25)
    assert [len(part) for part, _ in single] == [2500] * 4
    assert single[1][0][0] == pytest.approx(0)
    with pytest.raises(ValueError, match="period"):
        FoldGatherer(0.0)


def test_a_sweep_shows_where_a_low_pass_falls() -> None:
    """First order at 100 Hz, in steps of frequency."""
    rate_hz, cut_hz = 20e3, 100.0
    times_s = np.arange(int(rate_hz * 12.8)) / rate_hz
    frequencies = 20 * 2 ** (np.floor(times_s / 0.2) / 8)
    angle = np.cumsum(2 * np.pi * frequencies / rate_hz)
    ratio = frequencies / cut_hz
    gain, phase = 1 / np.hypot(1, ratio), -np.arctan(ratio)
    found = response(Stream(np.sin(angle), times_s), Stream(gain * np.sin(angle + phase), times_s))
    assert len(found.points) >= 50
    assert found.fall_hz() == pytest.approx(cut_hz * 1.04, rel=0.03)  # below the gain at 28 Hz
    for point in found.points:
        assert point.gain.value == pytest.approx(
            1 / math.hypot(1, point.frequency_hz / cut_hz), rel=0.02
        )
    with pytest.raises(ValueError, match="five periods"):
        response(Stream(np.zeros(1000), times_s[:1000]), Stream(np.zeros(1000), times_s[:1000]))


def test_one_stream_over_another() -> None:
    times_s = np.arange(1000) * 1e-3
    x = np.sin(5 * times_s)
    found = against(
        Stream(x, times_s), Stream(2 * np.sin(5 * (times_s + 1e-4)) + 1, times_s + 1e-4)
    )
    assert found.line.slope == pytest.approx(2, rel=1e-3)
    assert found.line.offset == pytest.approx(1, abs=1e-3)
    assert found.line.r == pytest.approx(1, abs=1e-5)
    with pytest.raises(ValueError, match="in common"):
        against(Stream(x, times_s), Stream(x, times_s + 5))
    with pytest.raises(ValueError, match="does not move"):
        lag(Stream(np.ones(50), times_s[:50]), Stream(x[:50], times_s[:50]))
    with pytest.raises(ValueError, match="eight"):
        transfer_at(Stream(x[:5], times_s[:5]), Stream(x[:5], times_s[:5]))


def test_a_step_that_does_not_end_or_is_none() -> None:
    times_s = np.arange(400) * 1e-3
    with pytest.raises(ValueError, match="differ by less"):
        step_response(np.random.default_rng(1).standard_normal(400), times_s)
    found = step_response(np.where(times_s > 0.2, 3.0, 1.0), times_s)
    assert found.height.value == pytest.approx(2)
    assert found.at_s.value == pytest.approx(0.2, abs=1e-3)
    assert found.overshoot.value == 0
    assert found.settling_s is not None
