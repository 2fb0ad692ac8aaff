"""Metrics over arrays; knows nothing of designs."""

from wattigram.core.analysis.gaps import longest_stretch
from wattigram.core.analysis.levels import TwoLevels, two_levels
from wattigram.core.analysis.linearity import Linearity, Readings, linearity, linearity_of
from wattigram.core.analysis.moments import Largest, Moments
from wattigram.core.analysis.regress import LineFit, explained_share, fit_line
from wattigram.core.analysis.sine import (
    SineFit,
    fit_sine,
    fit_sine_known,
    phase_count,
    quantised_amplitude_bias,
    quantised_bias,
)
from wattigram.core.analysis.spectrum import line_share

__all__ = [
    "Largest",
    "LineFit",
    "Linearity",
    "Moments",
    "Readings",
    "SineFit",
    "TwoLevels",
    "explained_share",
    "fit_line",
    "fit_sine",
    "fit_sine_known",
    "line_share",
    "linearity",
    "linearity_of",
    "longest_stretch",
    "phase_count",
    "quantised_amplitude_bias",
    "quantised_bias",
    "two_levels",
]
