"""The virtual board: runs from an effective configuration, knows nothing of designs."""

from wattigram.core.board.effective import (
    EffectiveBench,
    EffectiveConfig,
    EffectiveConverter,
    EffectiveLoop,
    EffectiveSlot,
    EffectiveTap,
    EffectiveWindow,
    PinDrive,
)
from wattigram.core.board.run import Run

__all__ = [
    "EffectiveBench",
    "EffectiveConfig",
    "EffectiveConverter",
    "EffectiveLoop",
    "EffectiveSlot",
    "EffectiveTap",
    "EffectiveWindow",
    "PinDrive",
    "Run",
]
