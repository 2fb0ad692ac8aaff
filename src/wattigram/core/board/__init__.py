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
    EffectiveRoute,
    EffectiveSerial,
    EffectiveService,
    EffectiveSlot,
    EffectiveTap,
    EffectiveText,
    EffectiveWatch,
    PinDrive,
)
from wattigram.core.board.routes import OVERWRITTEN, TORN, serial_codes
from wattigram.core.board.run import Run

__all__ = [
    "OVERWRITTEN",
    "TORN",
    "EffectiveBench",
    "EffectiveComparator",
    "EffectiveConfig",
    "EffectiveConverter",
    "EffectiveDac",
    "EffectiveLoop",
    "EffectivePace",
    "EffectivePwm",
    "EffectiveRoute",
    "EffectiveSerial",
    "EffectiveService",
    "EffectiveSlot",
    "EffectiveTap",
    "EffectiveText",
    "EffectiveWatch",
    "PinDrive",
    "Run",
    "serial_codes",
]
