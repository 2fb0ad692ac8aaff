"""Steps of a set-up: settings that are made at once, with the reason for their place."""

from __future__ import annotations

import msgspec

from wattigram.core.model.design.project import Step
from wattigram.core.silicon.registers.register_map import RegisterMap, Setting, Value

LINE = "line"
"""Name of the setting that enables a peripheral's interrupt; the core's own controller holds it."""


class SetupStep(msgspec.Struct, frozen=True):
    """Settings that are made at once. ``kind`` is a step of starting up, or what is set up."""

    kind: Step | str
    owner: str
    title: str
    reason: str
    settings: tuple[Setting, ...]


class SetupBuilder:
    """Collects settings of one step; leaves out what the part neither has nor needs."""

    def __init__(self, registers: RegisterMap, owner: str) -> None:
        self._registers = registers
        self._owner = owner
        self.settings: list[Setting] = []

    def put(self, name: str, value: Value, index: int = 0, only: Value | None = None) -> None:
        """Set something; where the part has no field for it, ``only`` is what it always is."""
        if only is not None and value == only and not self._registers.has(self._owner, name):
            return
        self._registers.find(self._owner, name, index)
        self.settings.append(Setting(self._owner, name, value, index))
