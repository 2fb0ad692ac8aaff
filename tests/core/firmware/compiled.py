"""Firmware of designs, built once with the real cross compiler."""

from __future__ import annotations

import hashlib
import shutil
import subprocess
import tempfile
from pathlib import Path

import pytest

from tests.paths import EXAMPLE_FILES
from wattigram.core.firmware import BuildResult, build_firmware, find_compiler, write_firmware
from wattigram.core.firmware.compiler_flags import C_FLAGS, target_flags
from wattigram.core.model.design import Workspace

IDS = [path.name.removesuffix(".wattigram.toml") for path in EXAMPLE_FILES]
CROSS = "arm-none-eabi-gcc"
BUILD = "build"
_OBJECTS = tempfile.TemporaryDirectory(prefix="wattigram-objects-")
"""Folders of builds, by the header that all of a design's sources include; a build takes of them only what
the compiler would make anew."""
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
    """What lies in a folder, built; what an earlier test has compiled of the very same is there already."""
    compiler = find_compiler()
    assert compiler is not None
    header = (folder / "wg_design.h").read_bytes()
    known = Path(_OBJECTS.name) / hashlib.sha256(header).hexdigest()
    if known.exists() and not (folder / BUILD).exists():
        shutil.copytree(known, folder / BUILD)
    result = build_firmware(folder, workspace.part, compiler)
    if result.elf is not None and not known.exists():
        shutil.copytree(folder / BUILD, known)
    return result


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
