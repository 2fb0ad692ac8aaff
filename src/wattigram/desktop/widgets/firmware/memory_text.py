"""Numbers of an image's memory as text, in the base or by the scale that was chosen."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.quantity import format_volts
from wattigram.core.contract.image import MemoryLocation
from wattigram.core.firmware.memory_layout import BufferLayout, NumberScale
from wattigram.core.model.design import Workspace

DECIMAL, HEX, BINARY, VOLTS = "decimal", "hex", "binary", "volts"
BASES = (DECIMAL, HEX, BINARY)
FloatArray = NDArray[np.float64]


def scale_text(scale: NumberScale) -> str:
    """What numbers are read as."""
    return f"volts of {scale.signal}{', filtered' if scale.reduced else ''}"


def in_base(location: MemoryLocation, value: Any, base: str) -> str:
    """One number of a place."""
    if location.type.kind == "float":
        return f"{float(value):.9g}"
    if location.type.kind == "bool":
        return "true" if int(value) else "false"
    bits = 8 * location.type.size
    code = int(value) & ((1 << bits) - 1)
    if base == HEX:
        return f"0x{code:0{bits // 4}x}"
    if base == BINARY:
        digits = f"{code:0{bits}b}"
        return " ".join(digits[at : at + 4] for at in range(0, bits, 4))
    return str(int(value))


def number_texts(location: MemoryLocation, value: Any, base: str) -> list[str]:
    """A number in every base that it has, the chosen one first."""
    if location.type.kind in {"float", "bool"}:
        return [in_base(location, value, DECIMAL)]
    bases = sorted(BASES, key=lambda other: other != base)
    return [in_base(location, value, other) for other in bases]


def span_text(
    location: MemoryLocation, values: NDArray[Any], volts: FloatArray | None, base: str
) -> str:
    """The least and the greatest of an array."""
    if volts is not None:
        return f"{format_volts(float(volts.min()))} to {format_volts(float(volts.max()))}"
    base = DECIMAL if base == VOLTS else base
    return f"{in_base(location, values.min(), base)} to {in_base(location, values.max(), base)}"


def loop_text(workspace: Workspace, look: BufferLayout, values: NDArray[Any], place: int) -> str:
    """The newest item of each signal in volts, behind the place where the next one goes."""
    volts = look.volts(workspace, values)
    parts = []
    seen: set[str] = set()
    for back in range(1, len(values) + 1):
        index = (place - back) % len(values)
        signal = look.signal_at(index)
        if signal.name not in seen:
            seen.add(signal.name)
            parts.append(
                f"{signal.name} {format_volts(float(volts[index]))}".replace(" ", "\u00a0")
            )
        if len(seen) == len({signal.name for signal in look.signals}):
            break
    return "   ".join([*reversed(parts), f"next\u00a0sample\u00a0at\u00a0{place}"])
