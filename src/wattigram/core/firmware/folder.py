"""Firmware as a folder of files: what is written again, what is yours, and what would lose its
use."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from pathlib import Path

import msgspec

from wattigram.core.base.errors import FirmwareError
from wattigram.core.firmware.generate import firmware_files
from wattigram.core.firmware.hooks import FORMER_PREFIX, PREFIX, all_hooks, hooks_written
from wattigram.core.firmware.tables import Tables
from wattigram.core.model.design import Workspace
from wattigram.core.silicon.registers import c_name, register_map

OURS = "wg_"
PORT = "port.c"
SIGN = "wg_design.h"


class WrittenFiles(msgspec.Struct, frozen=True):
    """What writing did, by file name; ``kept`` are those made once that were there already, and ``notes`` say
    what no longer fits in them."""

    folder: Path
    new: tuple[str, ...]
    changed: tuple[str, ...]
    same: tuple[str, ...]
    removed: tuple[str, ...]
    kept: tuple[str, ...]
    notes: tuple[str, ...] = ()


def default_folder(project: Path) -> Path:
    """Where a project's firmware lies unless another place is chosen: beside it."""
    stem = project.name.removesuffix(".toml").removesuffix(".wattigram")
    return project.parent / f"{stem}-firmware"


def own_sources(folder: Path) -> tuple[Path, ...]:
    """C files of a firmware folder that an engineer wrote."""
    if not folder.is_dir():
        return ()
    sources = [*folder.glob("*.c"), *folder.glob("*.h")]
    return tuple(sorted(path for path in sources if not path.name.startswith(OURS)))


def used_hooks(folder: Path) -> frozenset[str]:
    """Hooks that own code of a folder has; raises :class:`FirmwareError` where it cannot be
    read."""
    try:
        return hooks_written(
            path.read_text(encoding="utf-8", errors="replace") for path in own_sources(folder)
        )
    except OSError as fault:
        raise FirmwareError(
            f"Own code cannot be read: {fault.strerror}.", where=str(folder)
        ) from fault


def lost_hooks(workspace: Workspace, folder: Path) -> tuple[str, ...]:
    """Hooks that own code has and this design would never call."""
    used = used_hooks(folder)
    if not used:
        return ()
    known = (
        {hook.name for hook in all_hooks(Tables(workspace))} if workspace.project.chains else set()
    )
    return tuple(sorted(used - known))


def _what_to_do(lost: tuple[str, ...]) -> str:
    former = [name for name in lost if name.startswith(FORMER_PREFIX)]
    if former:
        renamed = former[0].replace(FORMER_PREFIX, PREFIX, 1)
        return (
            f"Hooks for samples have a new name: write {renamed}(const wg_samples *samples) for "
            f"{former[0]}, and wg_sample(samples, n) for each of them."
        )
    return (
        "Give the signal or threshold back, rename the hook, or say that it may go (--drop-hooks)."
    )


def write_firmware(
    workspace: Workspace, folder: Path, drop_hooks: bool = False, link: str = ""
) -> WrittenFiles:
    """Write a design's firmware; files that would not change are not touched. A port that is not there yet
    begins with ``link``: "" for what the part has, "usb", or a UART, "UART 1@115200".

    Raises
    ------
    FirmwareError, RegisterError
        When the design has no firmware or the part no such link, when a port is there already that a link
        is named for, when files of somebody else's are in the way, when own code
        has hooks that
        would never be called again and ``drop_hooks`` is not set, or when the folder cannot be
        written. Nothing is
        written then.
    """
    if link and (folder / PORT).exists():
        raise FirmwareError(
            f"There is a {PORT} already, which is yours.",
            where=str(folder),
            cure="Move it away, and it is begun anew; or write into another folder.",
        )
    files = firmware_files(workspace, link)
    _check_free(folder, files.generated)
    lost = lost_hooks(workspace, folder)
    if lost and not drop_hooks:
        raise FirmwareError(
            f"Own code has {', '.join(lost)}, which this design would never call.",
            where=str(folder),
            cure=_what_to_do(lost),
        )
    new: list[str] = []
    changed: list[str] = []
    same: list[str] = []
    removed: list[str] = []
    kept: list[str] = []
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for path in sorted(folder.glob(f"{OURS}*")):
            if path.is_file() and path.name not in files.generated:
                path.unlink()
                removed.append(path.name)
        for name, text in files.generated.items():
            path = folder / name
            before = path.read_bytes() if path.exists() else None
            if before == text.encode():
                same.append(name)
                continue
            path.write_bytes(text.encode())
            (new if before is None else changed).append(name)
        for name, text in files.once.items():
            if (folder / name).exists():
                kept.append(name)
            else:
                (folder / name).write_bytes(text.encode())
                new.append(name)
    except OSError as fault:
        raise FirmwareError(
            f"The firmware cannot be written: {fault.strerror}.", where=str(folder)
        ) from fault
    notes = tuple(_of_another_part(workspace, folder, files.generated)) if PORT in kept else ()
    return WrittenFiles(
        folder, tuple(new), tuple(changed), tuple(same), tuple(removed), tuple(kept), notes
    )


def _of_another_part(
    workspace: Workspace, folder: Path, generated: Mapping[str, str]
) -> Iterator[str]:
    """That a port uses registers which the part does not have: it was made for another one."""
    text = (folder / PORT).read_text(encoding="utf-8", errors="replace")
    code = re.sub(r"/\*.*?\*/", "", text, flags=re.DOTALL)
    system = c_name(register_map(workspace.part).system)
    known = set(re.findall(r"\w+", generated["wg_registers.h"])) | set(
        re.findall(r"#define (\w+)", code)
    )
    gone = sorted({one for one in re.findall(rf"\b{system}_\w+", code) if one not in known})
    if gone:
        yield (
            f"{PORT} uses {gone[0]}, which {workspace.part.name} does not have: it was made for another part. Move it "
            "away, and one that fits is made."
        )


def _check_free(folder: Path, names: dict[str, str]) -> None:
    """A folder that is no firmware of ours must not have files by those names."""
    if folder.exists() and not folder.is_dir():
        raise FirmwareError("This is no folder.", where=str(folder), cure="Choose another place.")
    if (folder / SIGN).exists():
        return
    taken = [name for name in names if (folder / name).exists()]
    if taken:
        raise FirmwareError(
            f"{', '.join(taken)} would be overwritten, and this folder has no firmware made from "
            "here.",
            where=str(folder),
            cure="Choose an empty folder.",
        )
