"""How near a code is to the voltage: scale, settling, noise, averaging."""

from wattigram.core.accuracy.averaging import block_mean_cutoff_hz, block_mean_gain, low_pass_cutoff_hz, sum_bits
from wattigram.core.accuracy.noise import SignalNoise, signal_noise
from wattigram.core.accuracy.scale import Scale, chain_scale
from wattigram.core.accuracy.settling import (
    SlotSettling,
    adequate_sampling_s,
    carry_over,
    settling_residue,
    slot_settling,
)

__all__ = [
    "Scale",
    "SignalNoise",
    "SlotSettling",
    "adequate_sampling_s",
    "block_mean_cutoff_hz",
    "block_mean_gain",
    "carry_over",
    "chain_scale",
    "low_pass_cutoff_hz",
    "settling_residue",
    "signal_noise",
    "slot_settling",
    "sum_bits",
]
