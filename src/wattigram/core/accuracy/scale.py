"""Volts to codes and back, one definition for the whole program."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike, NDArray

from wattigram.core.design.model import Chain
from wattigram.core.design.workspace import Workspace


@dataclass(frozen=True)
class Scale:
    """A converter's transfer at one resolution; ``steps`` counts make full scale."""

    bits: int
    reference_v: float
    steps: int
    shift: int = 0
    """Places by which a left-aligned code is shifted up in its item."""

    @property
    def lsb_v(self) -> float:
        """Volts per count."""
        return self.reference_v / self.steps

    @property
    def highest_code(self) -> int:
        """Full-scale code."""
        return (1 << self.bits) - 1

    def codes(self, volts: ArrayLike) -> NDArray[np.int64]:
        """clip(round-half-up(V / LSB), 0, 2^N − 1), the same shape as ``volts``."""
        scaled = np.floor(np.asarray(volts, dtype=np.float64) / self.lsb_v + 0.5)
        return np.clip(scaled, 0, self.highest_code).astype(np.int64)

    def volts(self, codes: ArrayLike) -> NDArray[np.float64]:
        """Code × LSB, in volts at the pin."""
        return np.asarray(codes, dtype=np.float64) * self.lsb_v

    def item_volts(self, items: NDArray[Any]) -> NDArray[np.float64]:
        """Volts of items as they lie in memory, alignment undone."""
        return self.volts(items >> self.shift if self.shift else items)


def chain_scale(workspace: Workspace, chain: Chain) -> Scale:
    """The transfer of a chain's converter, full scale as its part defines it."""
    converter = workspace.converter(chain)
    steps = (1 << chain.bits) - (1 if converter.full_scale == "2^N-1" else 0)
    shift = max(0, chain.loop.width_bits - chain.bits) if chain.alignment == "left" else 0
    return Scale(chain.bits, workspace.reference_v, steps, shift)
