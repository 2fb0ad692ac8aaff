"""Measures over arrays and blocks of any length; knows nothing of designs."""

from __future__ import annotations

from typing import TYPE_CHECKING

from wattigram.core.base.lazy_imports import load_from

if TYPE_CHECKING:
    from wattigram.core.analysis.code_sweep import Linearity, Readings, linearity, linearity_of
    from wattigram.core.analysis.estimate import Estimate, decibels
    from wattigram.core.analysis.folding import Folded, FoldGatherer, passes
    from wattigram.core.analysis.gaps import longest_stretch
    from wattigram.core.analysis.histograms import (
        CodeDensity,
        CodeHistogram,
        code_density,
        code_density_of_ramp,
        code_density_of_sine,
    )
    from wattigram.core.analysis.instants import (
        Intervals,
        Latencies,
        crossings,
        intervals,
        latencies,
    )
    from wattigram.core.analysis.levels import TwoLevels, two_levels
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
    from wattigram.core.analysis.sine_test import (
        Dynamic,
        Harmonic,
        bits_at_full_scale,
        bits_at_level,
        dynamic,
        folded,
    )
    from wattigram.core.analysis.spectra import (
        WINDOWS,
        Spectrum,
        SpectrumGatherer,
        WindowName,
        line_share,
        spectrum,
    )
    from wattigram.core.analysis.steps import StepResponse, step_response
    from wattigram.core.analysis.stream_statistics import Statistics, StatisticsGatherer, statistics
    from wattigram.core.analysis.two_streams import (
        Against,
        Response,
        Stream,
        Transfer,
        against,
        lag,
        response,
        transfer_at,
    )

__all__ = [
    "WINDOWS",
    "Against",
    "CodeDensity",
    "CodeHistogram",
    "Dynamic",
    "Estimate",
    "FoldGatherer",
    "Folded",
    "Harmonic",
    "Intervals",
    "Largest",
    "Latencies",
    "LineFit",
    "Linearity",
    "Moments",
    "Readings",
    "Response",
    "SineFit",
    "Spectrum",
    "SpectrumGatherer",
    "Statistics",
    "StatisticsGatherer",
    "StepResponse",
    "Stream",
    "Transfer",
    "TwoLevels",
    "WindowName",
    "against",
    "bits_at_full_scale",
    "bits_at_level",
    "code_density",
    "code_density_of_ramp",
    "code_density_of_sine",
    "crossings",
    "decibels",
    "dynamic",
    "explained_share",
    "fit_line",
    "fit_sine",
    "fit_sine_known",
    "folded",
    "intervals",
    "lag",
    "latencies",
    "line_share",
    "linearity",
    "linearity_of",
    "longest_stretch",
    "passes",
    "phase_count",
    "quantised_amplitude_bias",
    "quantised_bias",
    "response",
    "spectrum",
    "statistics",
    "step_response",
    "transfer_at",
    "two_levels",
]

_HOMES = {
    "CodeDensity": "histograms",
    "CodeHistogram": "histograms",
    "code_density": "histograms",
    "code_density_of_ramp": "histograms",
    "code_density_of_sine": "histograms",
    "Dynamic": "sine_test",
    "Harmonic": "sine_test",
    "dynamic": "sine_test",
    "folded": "sine_test",
    "bits_at_full_scale": "sine_test",
    "bits_at_level": "sine_test",
    "Estimate": "estimate",
    "decibels": "estimate",
    "FoldGatherer": "folding",
    "Folded": "folding",
    "passes": "folding",
    "longest_stretch": "gaps",
    "Intervals": "instants",
    "Latencies": "instants",
    "crossings": "instants",
    "intervals": "instants",
    "latencies": "instants",
    "TwoLevels": "levels",
    "two_levels": "levels",
    "Linearity": "code_sweep",
    "Readings": "code_sweep",
    "linearity": "code_sweep",
    "linearity_of": "code_sweep",
    "Largest": "moments",
    "Moments": "moments",
    "LineFit": "regress",
    "explained_share": "regress",
    "fit_line": "regress",
    "SineFit": "sine",
    "fit_sine": "sine",
    "fit_sine_known": "sine",
    "phase_count": "sine",
    "quantised_amplitude_bias": "sine",
    "quantised_bias": "sine",
    "Spectrum": "spectra",
    "SpectrumGatherer": "spectra",
    "WindowName": "spectra",
    "WINDOWS": "spectra",
    "line_share": "spectra",
    "spectrum": "spectra",
    "Statistics": "stream_statistics",
    "StatisticsGatherer": "stream_statistics",
    "statistics": "stream_statistics",
    "StepResponse": "steps",
    "step_response": "steps",
    "Against": "two_streams",
    "Response": "two_streams",
    "Stream": "two_streams",
    "Transfer": "two_streams",
    "against": "two_streams",
    "lag": "two_streams",
    "response": "two_streams",
    "transfer_at": "two_streams",
}

__getattr__ = load_from(__name__, _HOMES)
