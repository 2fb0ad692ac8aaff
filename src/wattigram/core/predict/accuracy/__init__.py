"""How near a code is to the voltage: settling, noise, averaging, twins, comparators."""

from wattigram.core.predict.accuracy.averaging import (
    StageFigures,
    block_mean_cutoff_hz,
    block_mean_gain,
    low_pass_cutoff_hz,
    low_pass_gain,
    stage_figures,
    stage_gain,
    stage_noise_share,
    sum_bits,
)
from wattigram.core.predict.accuracy.comparators import ComparatorFigures, comparator_figures, expected_edges
from wattigram.core.predict.accuracy.latency import (
    Comparison,
    comparisons,
    kept_values,
    waiting_values,
    window_latency_s,
)
from wattigram.core.predict.accuracy.noise import SignalNoise, converter_noise_lsb, signal_noise
from wattigram.core.predict.accuracy.redundant_pair import TwinFigures, pair_reach_s, twin_figures, twin_rates_hz
from wattigram.core.predict.accuracy.settling import (
    SlotSettling,
    adequate_sampling_s,
    carry_over,
    settling_residue,
    slot_circuit,
    slot_settling,
)

__all__ = [
    "ComparatorFigures",
    "Comparison",
    "SignalNoise",
    "SlotSettling",
    "StageFigures",
    "TwinFigures",
    "adequate_sampling_s",
    "block_mean_cutoff_hz",
    "block_mean_gain",
    "carry_over",
    "comparator_figures",
    "comparisons",
    "converter_noise_lsb",
    "expected_edges",
    "kept_values",
    "low_pass_cutoff_hz",
    "low_pass_gain",
    "pair_reach_s",
    "settling_residue",
    "signal_noise",
    "slot_circuit",
    "slot_settling",
    "stage_figures",
    "stage_gain",
    "stage_noise_share",
    "sum_bits",
    "twin_figures",
    "twin_rates_hz",
    "waiting_values",
    "window_latency_s",
]
