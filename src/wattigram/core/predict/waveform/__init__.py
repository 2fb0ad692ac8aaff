"""Waves that go out: tables as codes, how they are played, their spectrum, their files."""

from wattigram.core.predict.waveform.dac_playback import (
    START_STEP_CYCLES,
    DacPlayback,
    dac_playback,
    dma_share,
    settling_tau_s,
    start_s,
    update_timer,
)
from wattigram.core.predict.waveform.files import read_points, table_c, table_csv, write_wav
from wattigram.core.predict.waveform.solver import WaveChoice, wave_choices
from wattigram.core.predict.waveform.spectrum import (
    OutputSpectrum,
    droop_db,
    filter_gain,
    image_dbc,
    output_spectrum,
)
from wattigram.core.predict.waveform.table import (
    TableCodes,
    codes_in_memory,
    codes_of,
    dac_lsb_v,
    levels_of,
    output_range_v,
    table_codes,
    table_dac,
    table_player,
    table_volts,
)
from wattigram.core.predict.waveform.table_export import (
    TABLE_FORMATS,
    ExportedTable,
    TableFormat,
    exported_table,
    write_table,
)

__all__ = [
    "START_STEP_CYCLES",
    "TABLE_FORMATS",
    "DacPlayback",
    "ExportedTable",
    "OutputSpectrum",
    "TableCodes",
    "TableFormat",
    "WaveChoice",
    "codes_in_memory",
    "codes_of",
    "dac_lsb_v",
    "dac_playback",
    "dma_share",
    "droop_db",
    "exported_table",
    "filter_gain",
    "image_dbc",
    "levels_of",
    "output_range_v",
    "output_spectrum",
    "read_points",
    "settling_tau_s",
    "start_s",
    "table_c",
    "table_codes",
    "table_csv",
    "table_dac",
    "table_player",
    "table_volts",
    "update_timer",
    "wave_choices",
    "write_table",
    "write_wav",
]
