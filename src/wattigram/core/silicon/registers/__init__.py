"""Settings of a design as register writes, and register writes as settings."""

from wattigram.core.silicon.registers.decode import SiliconState, decode_writes
from wattigram.core.silicon.registers.design_from_registers import Observed, Surroundings, silicon_project
from wattigram.core.silicon.registers.encode import LINES_ENABLE, FieldWrite, Shadow, Write, placed, setup_writes
from wattigram.core.silicon.registers.hardware_thresholds import (
    NO_WINDOW,
    happening_count,
    hardware_watches,
    hardware_windows,
    watch_place,
)
from wattigram.core.silicon.registers.register_diff import Difference, as_written, differences
from wattigram.core.silicon.registers.register_listing import (
    SheetField,
    SheetRow,
    line_changes,
    register_sheet,
    write_lines,
)
from wattigram.core.silicon.registers.register_map import (
    Place,
    RegisterAt,
    RegisterMap,
    Setting,
    Symbol,
    c_name,
    field_meaning,
    field_value,
    register_map,
)
from wattigram.core.silicon.registers.round_trip import DesignMemory, as_set_up, decoded, design_writes, surroundings
from wattigram.core.silicon.registers.setup_sequence import setup_steps
from wattigram.core.silicon.registers.setup_step import LINE, SetupStep
from wattigram.core.silicon.registers.threshold_codes import counts_per_volt, judges_reduced, window_codes

__all__ = [
    "LINE",
    "LINES_ENABLE",
    "NO_WINDOW",
    "DesignMemory",
    "Difference",
    "FieldWrite",
    "Observed",
    "Place",
    "RegisterAt",
    "RegisterMap",
    "Setting",
    "SetupStep",
    "Shadow",
    "SheetField",
    "SheetRow",
    "SiliconState",
    "Surroundings",
    "Symbol",
    "Write",
    "as_set_up",
    "as_written",
    "c_name",
    "counts_per_volt",
    "decode_writes",
    "decoded",
    "design_writes",
    "differences",
    "field_meaning",
    "field_value",
    "happening_count",
    "hardware_watches",
    "hardware_windows",
    "judges_reduced",
    "line_changes",
    "placed",
    "register_map",
    "register_sheet",
    "setup_steps",
    "setup_writes",
    "silicon_project",
    "surroundings",
    "watch_place",
    "window_codes",
    "write_lines",
]
