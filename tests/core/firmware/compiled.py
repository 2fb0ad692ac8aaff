"""Firmware of designs, built once with the real cross compiler."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest

from tests.paths import EXAMPLE_FILES
from wattigram.core.firmware import BuildResult, build_firmware, find_compiler, write_firmware
from wattigram.core.firmware.compiler_flags import C_FLAGS, target_flags
from wattigram.core.model.design import Workspace

IDS = [path.name.removesuffix(".wattigram.toml") for path in EXAMPLE_FILES]
CROSS = "arm-none-eabi-gcc"
needs_compiler = pytest.mark.skipif(
    shutil.which(CROSS) is None, reason="no cross compiler on this machine"
)
needs_cppcheck = pytest.mark.skipif(
    shutil.which("cppcheck") is None, reason="no cppcheck on this machine"
)


def built(workspace: Workspace, folder: Path) -> BuildResult:
    """A design's firmware, written and built without a warning."""
    write_firmware(workspace, folder)
    return rebuilt(workspace, folder)


def rebuilt(workspace: Workspace, folder: Path) -> BuildResult:
    """What lies in a folder, built."""
    compiler = find_compiler()
    assert compiler is not None
    return build_firmware(folder, workspace.part, compiler)


def host_complaints(folder: Path, *more: str) -> str:
    """What the host's compiler says of a folder's C."""
    said = []
    for source in sorted(folder.glob("*.c")):
        command = ["gcc", *C_FLAGS, *more, "-c", source.name, "-o", "/dev/null"]
        said.append(
            subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False).stderr
        )
    return "".join(said)


def cross_complaints(text: str, core: str) -> str:
    """What the cross compiler says of one file."""
    command = [CROSS, *C_FLAGS, *target_flags(core), "-c", "-x", "c", "-", "-o", "/dev/null"]
    return subprocess.run(command, input=text, capture_output=True, text=True, check=False).stderr
