"""What averaging does to rate, bandwidth and register width."""

from __future__ import annotations

import math
from functools import lru_cache


def block_mean_gain(count: int, frequency_hz: float, rate_hz: float) -> float:
    """Magnitude of the block mean's response, the exact Dirichlet kernel."""
    angle = math.pi * frequency_hz / rate_hz
    if abs(math.sin(angle)) < 1e-12:
        return 1.0
    return abs(math.sin(count * angle) / (count * math.sin(angle)))


@lru_cache(maxsize=64)
def block_mean_cutoff_hz(count: int, rate_hz: float) -> float:
    """Frequency at which the block mean of ``count`` is 3 dB down, by bisection of the exact kernel."""
    if count < 2:
        return rate_hz / 2
    low, high = 0.0, rate_hz / count
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if block_mean_gain(count, middle, rate_hz) > math.sqrt(0.5) else (low, middle)
    return low


def low_pass_cutoff_hz(shift: int, rate_hz: float) -> float:
    """−3 dB frequency of y += (x − y) / 2^shift: cos ω = (1 + (1−a)² − 2a²) / (2(1−a)), a = 2^−shift."""
    a = 2.0**-shift
    cosine = (1 + (1 - a) ** 2 - 2 * a * a) / (2 * (1 - a)) if a < 1 else -1.0
    return math.acos(max(-1.0, min(1.0, cosine))) / (2 * math.pi) * rate_hz


def sum_bits(count: int, bits: int) -> int:
    """Bits that a sum of ``count`` codes of ``bits`` needs: N + ceil(log2 M)."""
    return bits + (count - 1).bit_length()
