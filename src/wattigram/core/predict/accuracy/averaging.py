"""What reduce stages do to rate, bandwidth, noise and register width."""

from __future__ import annotations

import math
from functools import lru_cache

import msgspec

from wattigram.core.model.design.stage import LowPassFilter, MovingAverage, Stage, rate_divisor


def block_average_gain(count: int, frequency_hz: float, rate_hz: float) -> float:
    """Magnitude of the block mean's response, the exact Dirichlet kernel."""
    angle = math.pi * frequency_hz / rate_hz
    if abs(math.sin(angle)) < 1e-12:
        return 1.0
    return abs(math.sin(count * angle) / (count * math.sin(angle)))


@lru_cache(maxsize=64)
def block_average_cutoff_hz(count: int, rate_hz: float) -> float:
    """Frequency at which the block mean of ``count`` is 3 dB down, by bisection of the exact
    kernel."""
    if count < 2 or not rate_hz:
        return rate_hz / 2
    low, high = 0.0, rate_hz / count
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (
            (middle, high)
            if block_average_gain(count, middle, rate_hz) > math.sqrt(0.5)
            else (low, middle)
        )
    return low


def low_pass_gain(shift: int, frequency_hz: float, rate_hz: float) -> float:
    """Magnitude of y += (x − y) / 2^shift: a / |1 − (1 − a) e^(−jω)|, a = 2^−shift."""
    a = 2.0**-shift
    cosine = math.cos(2 * math.pi * frequency_hz / rate_hz)
    return a / math.sqrt(1 + (1 - a) ** 2 - 2 * (1 - a) * cosine)


def low_pass_cutoff_hz(shift: int, rate_hz: float) -> float:
    """−3 dB frequency of y += (x − y) / 2^shift: cos ω = (1 + (1−a)² − 2a²) / (2(1−a)), a =
    2^−shift."""
    a = 2.0**-shift
    cosine = (1 + (1 - a) ** 2 - 2 * a * a) / (2 * (1 - a)) if a < 1 else -1.0
    return math.acos(max(-1.0, min(1.0, cosine))) / (2 * math.pi) * rate_hz


def accumulator_bits(count: int, bits: int) -> int:
    """Bits that a sum of ``count`` codes of ``bits`` needs: N + ceil(log2 M)."""
    return bits + (count - 1).bit_length()


def filter_gain(stage: Stage, frequency_hz: float, rate_hz: float) -> float:
    """Magnitude of a stage's response, 1 at 0 Hz, for samples that come at ``rate_hz``."""
    if isinstance(stage, LowPassFilter):
        return low_pass_gain(stage.shift, frequency_hz, rate_hz)
    return block_average_gain(stage.count, frequency_hz, rate_hz)


def filter_noise_share(stage: Stage) -> float:
    """What a stage leaves of white noise: 1/√M of a mean, √(a / (2 − a)) of a low-pass."""
    if isinstance(stage, LowPassFilter):
        a = 2.0**-stage.shift
        return math.sqrt(a / (2 - a))
    return 1 / math.sqrt(stage.count)


def filter_delay(stage: Stage | None) -> float:
    """By how many samples what a stage gives lags behind: (M − 1) / 2 of a mean, 1 / a − 1 of a
    low-pass."""
    if stage is None:
        return 0.0
    if isinstance(stage, LowPassFilter):
        return 2.0**stage.shift - 1
    return (stage.count - 1) / 2


class Truncation(msgspec.Struct, frozen=True):
    """What ``sum >> shift`` cuts off, in LSB of the samples that go in.

    Attributes
    ----------
    bias_lsb : float
        Mean of what is cut off, with its sign: (2^s − 1) / 2^(s + 1) of the last place, downwards,
        where the sum's low
        bits are equally likely. A low-pass keeps what it cuts off for the next sample, so that its
        mean is true.
    step_lsb : float
        The last place of what comes out; 0 where nothing is cut off.
    """

    bias_lsb: float
    step_lsb: float


def filter_truncation(stage: Stage | None) -> Truncation:
    """Bias and last place of a stage's shift."""
    if stage is None or stage.shift == 0:
        return Truncation(0.0, 0.0)
    step_lsb = 1.0 if isinstance(stage, LowPassFilter) else 1 / stage.assumed_gain
    if isinstance(stage, LowPassFilter):
        return Truncation(0.0, step_lsb)
    lowest = 1 << stage.shift
    return Truncation(-(lowest - 1) / (2 * lowest) * step_lsb, step_lsb)


class FilterMetrics(msgspec.Struct, frozen=True):
    """What a stage makes of samples of ``rate_hz``.

    Attributes
    ----------
    cutoff_hz : float, −3 dB
    latency_s : float
        Of a decision: the samples of a block; of a low-pass the time to 63 % of a step.
    bits : int
        Width that its register needs.
    """

    rate_hz: float
    cutoff_hz: float
    latency_s: float
    noise_share: float
    bits: int
    fits: bool


def filter_metrics(stage: Stage, rate_hz: float, code_bits: int) -> FilterMetrics:
    """Rate, bandwidth, latency and width of a stage.

    ``rate_hz`` is that of the samples that go in; in hardware those repeated within a slot. It is 0
    where a chain converts once or never: nothing comes out then, and cutoff and latency are 0 too.
    """
    if isinstance(stage, LowPassFilter):
        cutoff_hz = low_pass_cutoff_hz(stage.shift, rate_hz)
        latency_s = -1 / (rate_hz * math.log(1 - 2.0**-stage.shift)) if rate_hz else 0.0
        bits = code_bits + stage.shift
    else:
        cutoff_hz = block_average_cutoff_hz(stage.count, rate_hz)
        latency_s = stage.count / rate_hz if rate_hz else 0.0
        bits = accumulator_bits(stage.count, code_bits)
    out_hz = rate_hz if isinstance(stage, MovingAverage) else rate_hz / rate_divisor(stage)
    return FilterMetrics(
        out_hz,
        cutoff_hz,
        latency_s,
        filter_noise_share(stage),
        bits,
        bits <= stage.accumulator_bits,
    )
