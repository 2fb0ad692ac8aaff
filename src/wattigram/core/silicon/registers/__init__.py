"""Settings of a design as register writes, and register writes as settings."""

from wattigram.core.silicon.registers.decode import SiliconState, decode_writes
from wattigram.core.silicon.registers.design_from_registers import (
    Observed,
    Surroundings,
    silicon_project,
)
from wattigram.core.silicon.registers.encode import (
    LINES_ENABLE,
    FieldWrite,
    Shadow,
    Write,
    placed,
    setup_writes,
)
from wattigram.core.silicon.registers.hardware_thresholds import (
    NO_WINDOW,
    event_count,
    hardware_thresholds,
    hardware_watches,
    watch_place,
)
from wattigram.core.silicon.registers.register_diff import (
    RegisterDifference,
    as_written,
    differences,
)
from wattigram.core.silicon.registers.register_listing import (
    SheetField,
    SheetRow,
    line_changes,
    register_sheet,
    write_lines,
)
from wattigram.core.silicon.registers.register_map import (
    FieldPlace,
    RegisterAt,
    RegisterMap,
    Setting,
    Symbol,
    c_name,
    field_meaning,
    field_value,
    register_map,
)
from wattigram.core.silicon.registers.round_trip import (
    DesignMemory,
    as_set_up,
    decoded,
    design_writes,
    surroundings,
    uart_writes,
)
from wattigram.core.silicon.registers.setup_sequence import setup_steps
from wattigram.core.silicon.registers.setup_step import LINE, SetupStep
from wattigram.core.silicon.registers.threshold_codes import (
    counts_per_volt,
    judges_filtered,
    threshold_codes,
)

__all__ = [
    "LINE",
    "LINES_ENABLE",
    "NO_WINDOW",
    "DesignMemory",
    "FieldPlace",
    "FieldWrite",
    "Observed",
    "RegisterAt",
    "RegisterDifference",
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
    "event_count",
    "field_meaning",
    "field_value",
    "hardware_thresholds",
    "hardware_watches",
    "judges_filtered",
    "line_changes",
    "placed",
    "register_map",
    "register_sheet",
    "setup_steps",
    "setup_writes",
    "silicon_project",
    "surroundings",
    "threshold_codes",
    "uart_writes",
    "watch_place",
    "write_lines",
]
