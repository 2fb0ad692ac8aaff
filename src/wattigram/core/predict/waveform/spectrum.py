"""Spectrum of held steps: lines of the table, their images, droop, and what a filter leaves of
them."""

from __future__ import annotations

import math

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.predict.waveform.dac_playback import DacPlayback

FloatArray = NDArray[np.float64]
BANDS = 4
"""Update rates that are shown."""
MOST_LINES = 1 << 17


class OutputSpectrum(msgspec.Struct, frozen=True):
    """Lines of what leaves the pin.

    Attributes
    ----------
    frequency_hz, amplitude_v : (n,) float64
        Every line up to some update rates; amplitudes are peak values.
    tone_hz, tone_v : float
        The wave itself.
    droop_db : float
        By which holding each step lowers the wave: 20 · log10 sinc(f / f_update).
    image_hz, image_dbc : float
        The nearest image, f_update − f, against the wave, both as they leave the filter.
    quantisation_v : float
        Rms of what rounding to codes and clipping adds.
    """

    frequency_hz: FloatArray
    amplitude_v: FloatArray
    update_hz: float
    tone_hz: float
    tone_v: float
    droop_db: float
    image_hz: float
    image_dbc: float
    quantisation_v: float

    @property
    def snr_db(self) -> float:
        """Wave against what rounding adds."""
        if not self.quantisation_v or not self.tone_v:
            return math.inf
        return 20 * math.log10(self.tone_v / math.sqrt(2) / self.quantisation_v)


def droop_db(cycles: int, points: int) -> float:
    """Loss of a tone of ``points / cycles`` held steps a turn, in dB."""
    share = cycles / points
    return (
        20 * math.log10(abs(float(np.sinc(share)))) if share % 1 else (-math.inf if share else 0.0)
    )


def image_dbc(cycles: int, points: int) -> float:
    """Nearest image of such a tone, in dB against it: 1 / (points per turn − 1)."""
    return -20 * math.log10(points / cycles - 1) if points > cycles else 0.0


def filter_gain(hertz: FloatArray, poles_s: tuple[float, ...]) -> FloatArray:
    """Magnitude of first-order low-passes in a row.

    ``hertz`` and the result are (n,) float64.
    """
    gain = np.ones(hertz.shape)
    for pole in poles_s:
        gain = gain / np.sqrt(1 + (2 * math.pi * hertz * pole) ** 2)
    return np.asarray(gain)


def output_spectrum(playing: DacPlayback, poles_s: tuple[float, ...] = ()) -> OutputSpectrum:
    """Spectrum of a table that is played, through a stated filter.

    The lines are those of the levels held for one update each: the discrete spectrum repeats at
    every
    multiple of the update rate and is weighted with sinc(f / f_update).
    """
    levels = playing.levels_v
    count = len(levels)
    update_hz = float(1 / playing.update_s)
    lines = np.fft.fft(levels) / count
    most = min(BANDS * count, MOST_LINES)
    numbers = np.arange(1, most + 1)
    hertz = numbers * update_hz / count
    gain = np.abs(np.sinc(numbers / count)) * filter_gain(hertz, poles_s)
    amplitude = 2 * np.abs(lines[numbers % count]) * gain
    laps = count * playing.update_s / playing.lap_s if playing.lap_s else 1
    cycles = (playing.table.periods if playing.table is not None else 1) * max(1, round(laps))
    tone_v = float(amplitude[cycles - 1]) if cycles <= most else 0.0
    image = count - cycles
    image_v = float(amplitude[image - 1]) if 0 < image <= most else 0.0
    wanted = playing.wanted_v
    off = 0.0
    if len(wanted) == count and playing.skipped == 1:
        error = levels - wanted
        off = float(np.sqrt(np.mean((error - error.mean()) ** 2)))
    return OutputSpectrum(
        hertz,
        amplitude,
        update_hz,
        cycles * update_hz / count,
        tone_v,
        droop_db(cycles, count),
        max(0, image) * update_hz / count,
        20 * math.log10(image_v / tone_v) if image_v > 0 and tone_v > 0 else -math.inf,
        off,
    )
