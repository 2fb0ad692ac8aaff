"""Firmware of a design: C, written, built, and told apart from an engineer's own."""

from __future__ import annotations

from typing import TYPE_CHECKING

from wattigram.core.base.lazy_imports import load_from

if TYPE_CHECKING:
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
    from wattigram.core.firmware.port_link import possible_links
    from wattigram.core.firmware.tables import Tables
else:
    __getattr__ = load_from(
        __name__,
        {
            "BuildResult": "build",
            "Compiler": "build",
            "Diagnostic": "build",
            "FirmwareFiles": "generate",
            "Hook": "hooks",
            "Tables": "tables",
            "WHAT_TO_INSTALL": "build",
            "WrittenFiles": "folder",
            "all_hooks": "hooks",
            "build_firmware": "build",
            "default_folder": "folder",
            "find_compiler": "build",
            "firmware_files": "generate",
            "lost_hooks": "folder",
            "possible_links": "port_link",
            "tables_header": "generate",
            "used_hooks": "folder",
            "write_firmware": "folder",
        },
    )

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
    "possible_links",
    "tables_header",
    "used_hooks",
    "write_firmware",
]
