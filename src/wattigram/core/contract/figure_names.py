"""Figures that are measured, by the kind of measurement: how scripts and people call them, and their units."""

from __future__ import annotations

FIGURES: dict[str, dict[str, tuple[str, str]]] = {
    "statistics": {
        "mean": ("mean", "V"),
        "std": ("standard deviation", "V"),
        "rms": ("rms", "V"),
        "minimum": ("least value", "V"),
        "maximum": ("greatest value", "V"),
        "peak-to-peak": ("peak to peak", "V"),
        "drift": ("drift", "V/s"),
    },
    "expected": {
        "inside": ("share inside what is expected", "%"),
        "outside": ("samples outside what is expected", ""),
        "farthest": ("farthest outside what is expected", "V"),
        "mean-apart": ("mean of captured less expected", "V"),
        "rms-apart": ("rms of captured less expected", "V"),
    },
    "sine": {
        "frequency": ("frequency", "Hz"),
        "amplitude": ("amplitude", "V"),
        "offset": ("offset", "V"),
        "sinad": ("SINAD", "dB"),
        "snr": ("SNR", "dB"),
        "thd": ("THD", "dB"),
        "sfdr": ("SFDR", "dB"),
        "enob": ("ENOB at its level", "bit"),
        "enob-full-scale": ("ENOB at full scale", "bit"),
        "noise": ("noise", "V"),
    },
    "spectrum": {
        "density": ("noise density", "V/√Hz"),
        "peak-frequency": ("highest line", "Hz"),
        "peak-amplitude": ("amplitude of the highest line", "V"),
    },
    "histogram": {
        "inl": ("worst INL", "LSB"),
        "dnl": ("worst DNL", "LSB"),
        "missing-codes": ("missing codes", ""),
        "noise-lsb": ("noise at the input", "LSB"),
    },
    "intervals": {
        "mean": ("mean interval", "s"),
        "frequency": ("frequency", "Hz"),
        "jitter": ("jitter", "s"),
        "neighbour-jitter": ("jitter from one to the next", "s"),
        "shortest": ("shortest interval", "s"),
        "longest": ("longest interval", "s"),
    },
    "folded": {"spread": ("spread about its course", "V")},
    "step": {
        "height": ("height of the step", "V"),
        "overshoot": ("overshoot", "%"),
        "rise": ("rise from 10 to 90 %", "s"),
        "settling": ("settling time", "s"),
    },
    "gain": {
        "gain": ("gain", ""),
        "gain-db": ("gain", "dB"),
        "phase": ("phase", "°"),
        "delay": ("delay", "s"),
    },
    "response": {"fall": ("fall by 3 dB", "Hz")},
    "lag": {"lag": ("lag", "s")},
    "latency": {
        "mean": ("mean latency", "s"),
        "jitter": ("jitter of the latency", "s"),
        "shortest": ("shortest latency", "s"),
        "longest": ("longest latency", "s"),
        "unanswered": ("crossings without a response", ""),
    },
}
"""Of which something can be expected: title and unit, of a signal in volts."""
OF_TWO = frozenset({"gain", "response", "lag", "latency"})
"""Kinds that take a second signal."""
OF_A_STIMULUS = frozenset({"inl", "dnl", "missing-codes", "noise-lsb"})
"""Figures that are found where it is known what was put in."""
