"""How firmware is compiled: the same flags in its Makefile and in a build from here."""

from __future__ import annotations

C_FLAGS = (
    "-std=c11",
    "-ffreestanding",
    "-O2",
    "-g3",
    "-Wall",
    "-Wextra",
    "-Wpedantic",
    "-Wconversion",
    "-fno-common",
    "-fno-strict-aliasing",
    "-fno-tree-loop-distribute-patterns",
    "-ffunction-sections",
)
LINK_FLAGS = (
    "-nostdlib",
    "-static",
    "-Wl,--gc-sections",
    "-Wl,--build-id=none",
    "-Wl,--no-warn-rwx-segments",
)
ELF = "firmware.elf"


def target_flags(core: str) -> tuple[str, ...]:
    """Flags for a processor core, by the compiler's name of it."""
    return (f"-mcpu={core}", "-mthumb", "-mfloat-abi=soft")
