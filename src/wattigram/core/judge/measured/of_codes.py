"""How often each code came, and what INL and DNL that comes to."""

from __future__ import annotations

import math

import numpy as np

from wattigram.core.analysis import (
    CodeDensity,
    CodeHistogram,
    code_density_of_ramp,
    code_density_of_sine,
)
from wattigram.core.capture.recording import Block, Channel
from wattigram.core.judge.measured.figures import Figure, Measured
from wattigram.core.judge.measured.wanted import Wanted


def histogram_of(channels: tuple[Channel, ...], wanted: Wanted) -> Measured:
    """Which codes came how often; INL, DNL and missing codes where it is known what was put in.

    Raises
    ------
    ValueError
        Where nobody knows the codes, or too few came.
    """
    (channel,) = channels
    if channel.lsb is None:
        raise ValueError("nobody knows its codes")
    histogram, samples, missing = CodeHistogram(), 0, 0
    kept: list[Block] = []
    begin, end = channel.numbers(wanted.begin_s, wanted.end_s)
    if end <= begin:
        raise ValueError("nothing came in that stretch")
    for block in channel.blocks(wanted.begin_s, wanted.end_s):
        came = block.came
        if came.codes is None:
            raise ValueError("nobody knows its codes")
        histogram.add(came.codes)
        samples, missing = samples + len(came), missing + len(block) - len(came)
        if wanted.stimulus:
            kept.append(came)
    if not samples:
        raise ValueError("nothing came in that stretch")
    codes = histogram.codes
    figures = [
        Figure("lowest", "Lowest code", float(codes[0]), 0.0, ""),
        Figure("highest", "Highest code", float(codes[-1]), 0.0, ""),
        Figure("codes", "Codes that came", float(np.count_nonzero(histogram.counts)), 0.0, ""),
        Figure("absent", "Codes between that did not", float(len(histogram.absent)), 0.0, ""),
    ]
    notes = []
    curve = {"code": codes.tolist(), "count": histogram.counts.tolist()}
    if wanted.stimulus:
        if samples > 1 << 24:
            raise ValueError(
                "more than 16 million samples are more than INL and DNL are worked out of"
            )
        stretch = Block.joined(kept)
        assert stretch.codes is not None
        of = code_density_of_sine if wanted.stimulus == "sine" else code_density_of_ramp
        density = of(stretch.codes, stretch.times_s)
        figures += _density_figures(density)
        notes += _density_notes(density)
        curve |= {
            "transition": density.transitions.tolist(),
            "inl_lsb": density.inl_lsb.tolist(),
            "inl_sigma_lsb": density.inl_sigma_lsb.tolist(),
            "dnl_lsb": density.dnl_lsb.tolist(),
            "dnl_sigma_lsb": density.dnl_sigma_lsb.tolist(),
        }
    times = (wanted.begin_s or 0.0, wanted.end_s or float(channel.read(end - 1, end).times_s[-1]))
    return Measured(
        wanted.kind, wanted.channels, *times, samples, missing, tuple(figures), tuple(notes), curve
    )


def _density_figures(density: CodeDensity) -> list[Figure]:
    return [
        Figure.of("inl", "Worst INL", density.worst_inl, "LSB", note=f"noise alone adds about {density.inl_bias_lsb:.2g} LSB"),
        Figure.of("dnl", "Worst DNL", density.worst_dnl, "LSB", note=f"noise alone adds about {density.dnl_bias_lsb:.2g} LSB"),
        Figure("missing-codes", "Missing codes", float(len(density.missing)), 0.0, ""),
        Figure("noise-lsb", "Noise at the input", density.noise_lsb, math.nan, "LSB"),
    ]  # fmt: skip


def _density_notes(density: CodeDensity) -> list[str]:
    notes = [
        "INL against the line that fits best, by how often each code came (code density, IEEE 1241)."
    ]
    if density.missing:
        shown = ", ".join(map(str, density.missing[:12]))
        notes.append(f"Missing: {shown}{' …' if len(density.missing) > 12 else ''}.")
    if density.undecided:
        notes.append(
            f"{density.undecided} more codes did not come, and were not to come often enough to say."
        )
    if density.sparse:
        notes.append(
            f"Near {density.sparse} transitions inputs lie more than ¼ LSB apart: take more samples, or another frequency."
        )
    return notes
