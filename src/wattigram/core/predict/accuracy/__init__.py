"""How near a code is to the voltage: settling, noise, averaging, twins, comparators."""

from wattigram.core.predict.accuracy.averaging import (
    FilterMetrics,
    accumulator_bits,
    block_average_cutoff_hz,
    block_average_gain,
    filter_gain,
    filter_metrics,
    filter_noise_share,
    low_pass_cutoff_hz,
    low_pass_gain,
)
from wattigram.core.predict.accuracy.comparators import (
    ComparatorMetrics,
    comparator_metrics,
    expected_edges,
)
from wattigram.core.predict.accuracy.latency import (
    ComparedPair,
    compared_pairs,
    kept_values,
    threshold_latency_s,
    waiting_values,
)
from wattigram.core.predict.accuracy.noise import SignalNoise, converter_noise_lsb, signal_noise
from wattigram.core.predict.accuracy.redundant_pair import (
    PairMetrics,
    pair_metrics,
    pair_rates_hz,
    pair_reach_s,
)
from wattigram.core.predict.accuracy.settling import (
    SlotSettling,
    adequate_sampling_s,
    carry_over,
    settling_residue,
    slot_circuit,
    slot_settling,
)

__all__ = [
    "ComparatorMetrics",
    "ComparedPair",
    "FilterMetrics",
    "PairMetrics",
    "SignalNoise",
    "SlotSettling",
    "accumulator_bits",
    "adequate_sampling_s",
    "block_average_cutoff_hz",
    "block_average_gain",
    "carry_over",
    "comparator_metrics",
    "compared_pairs",
    "converter_noise_lsb",
    "expected_edges",
    "filter_gain",
    "filter_metrics",
    "filter_noise_share",
    "kept_values",
    "low_pass_cutoff_hz",
    "low_pass_gain",
    "pair_metrics",
    "pair_rates_hz",
    "pair_reach_s",
    "settling_residue",
    "signal_noise",
    "slot_circuit",
    "slot_settling",
    "threshold_latency_s",
    "waiting_values",
]
