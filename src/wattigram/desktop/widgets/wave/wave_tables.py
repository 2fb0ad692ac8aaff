"""The Wave page's drawings in words."""

from __future__ import annotations

import numpy as np

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.model.design import WaveTable
from wattigram.core.predict.waveform import DacPlayback, OutputSpectrum, table_volts
from wattigram.desktop.widgets.seen_table import SeenTable

MOST_LINES = 200


def course_table(table: WaveTable, made: DacPlayback | None) -> SeenTable:
    """A row for each point that is meant or, where a generator plays the table, for each code that
    comes out, with the level that an ideal DAC makes of it."""
    title = f"Points of {table.name}"
    if made is None:
        numbered = enumerate(table_volts(table).tolist(), start=1)
        meant = tuple((str(number), format_volts(volts)) for number, volts in numbered)
        return SeenTable(title, ("Point", "Meant"), meant)
    step_s, points = float(made.update_s), len(made.wanted_v)
    steps = zip(made.codes.tolist(), made.levels_v.tolist(), strict=True)
    rows = tuple(
        (
            str(number + 1),
            format_si(number * step_s, "s", 7),
            format_volts(float(made.wanted_v[number * made.skipped % points])),
            str(code),
            format_volts(level),
        )
        for number, (code, level) in enumerate(steps)
    )
    return SeenTable(title, ("Step", "At", "Meant", "Code", "Level"), rows)


def spectrum_table(spectrum: OutputSpectrum, is_filtered: bool) -> SeenTable:
    """The strongest lines in the order of their frequencies."""
    strongest = np.argsort(-spectrum.amplitude_v)[:MOST_LINES]
    rows = []
    for number in np.sort(strongest).tolist():
        volts = float(spectrum.amplitude_v[number])
        if volts <= 0:
            continue
        level = f"{20 * np.log10(volts / spectrum.tone_v):.1f}" if spectrum.tone_v else "–"
        rows.append(
            (format_si(float(spectrum.frequency_hz[number]), "Hz", 6), format_volts(volts), level)
        )
    title = f"Spectrum {'after the filter' if is_filtered else 'at the pin'}"
    return SeenTable(title, ("Frequency", "Amplitude (peak)", "dB against the wave"), tuple(rows))
