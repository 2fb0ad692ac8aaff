"""Limits of strips, kept for each project from one time to the next."""

from __future__ import annotations

import msgspec

from wattigram.desktop.state.settings import Settings

Limits = dict[tuple[str, str], tuple[float, float]]
"""(lowest, highest) by name and stage of a trace."""


class StripMemory:
    """Limits in the settings, by the name of a project's folder of takes."""

    def __init__(self, settings: Settings) -> None:
        self._settings = settings

    def known(self, project: str) -> Limits:
        """Those of a project; none where what is kept cannot be read."""
        try:
            rows = msgspec.json.decode(
                self._settings.get(f"limits/{project}", "[]"),
                type=list[tuple[str, str, float, float]],
            )
        except msgspec.DecodeError:
            return {}
        return {(name, stage): (low, high) for name, stage, low, high in rows}

    def keep(self, project: str, limits: Limits) -> None:
        """Remember them."""
        rows = [(*key, *span) for key, span in limits.items()]
        self._settings.set(f"limits/{project}", msgspec.json.encode(rows).decode())
