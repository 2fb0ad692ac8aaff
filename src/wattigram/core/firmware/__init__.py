"""Firmware of a design: C, written, built, and told apart from an engineer's own."""

from wattigram.core.firmware.build import (
    WHAT_TO_INSTALL,
    BuildResult,
    Compiler,
    Diagnostic,
    build_firmware,
    find_compiler,
)
from wattigram.core.firmware.folder import (
    WrittenFiles,
    default_folder,
    lost_hooks,
    used_hooks,
    write_firmware,
)
from wattigram.core.firmware.generate import FirmwareFiles, firmware_files, tables_header
from wattigram.core.firmware.hooks import Hook, all_hooks
from wattigram.core.firmware.tables import Tables

__all__ = [
    "WHAT_TO_INSTALL",
    "BuildResult",
    "Compiler",
    "Diagnostic",
    "FirmwareFiles",
    "Hook",
    "Tables",
    "WrittenFiles",
    "all_hooks",
    "build_firmware",
    "default_folder",
    "find_compiler",
    "firmware_files",
    "lost_hooks",
    "tables_header",
    "used_hooks",
    "write_firmware",
]
