"""The virtual board: runs from an effective configuration, knows nothing of designs."""

from wattigram.core.board.effective import (
    EffectiveBench,
    EffectiveComparator,
    EffectiveConfig,
    EffectiveConverter,
    EffectiveDac,
    EffectiveLoop,
    EffectivePace,
    EffectivePwm,
    EffectiveService,
    EffectiveSlot,
    EffectiveTap,
    EffectiveWatch,
    PinDrive,
)
from wattigram.core.board.run import Run

__all__ = [
    "EffectiveBench",
    "EffectiveComparator",
    "EffectiveConfig",
    "EffectiveConverter",
    "EffectiveDac",
    "EffectiveLoop",
    "EffectivePace",
    "EffectivePwm",
    "EffectiveService",
    "EffectiveSlot",
    "EffectiveTap",
    "EffectiveWatch",
    "PinDrive",
    "Run",
]
