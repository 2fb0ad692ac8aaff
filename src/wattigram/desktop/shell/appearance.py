"""Switch theme, larger or smaller text, for the whole application."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QApplication

from wattigram.desktop.controllers.actions import Actions
from wattigram.desktop.state.settings import Settings
from wattigram.desktop.theme import DARK, LIGHT, Theme, apply_theme, theme

SMALLEST, LARGEST = 7.0, 16.0
USUAL = 9.5


class Appearance:
    """Changes the look and remembers it; ``redress`` paints anew what keeps fonts or colours of its
    own."""

    def __init__(self, settings: Settings, actions: Actions, redress: Callable[[], None]) -> None:
        self._settings = settings
        self._redress = redress
        actions.add("View", "Switch theme", "Ctrl+Shift+D", self.toggle)
        actions.add("View", "Larger text", "Ctrl++", partial(self.scale_text, 1))
        actions.add("View", "Smaller text", "Ctrl+-", partial(self.scale_text, -1))

    def toggle(self) -> None:
        """Light where it was dark, dark where it was light."""
        self.use("dark" if theme().name == "light" else "light")

    def use(self, name: str) -> None:
        """Use the theme of that name."""
        self._settings.set("theme", name)
        self._apply(DARK if name == "dark" else LIGHT, _app().font().pointSizeF())

    def scale_text(self, step: int) -> None:
        """Larger or smaller text, everywhere."""
        points = _bounded(_app().font().pointSizeF() + step * 0.5)
        self._settings.set("points", f"{points}")
        self._apply(theme(), points)

    def _apply(self, chosen: Theme, points: float) -> None:
        apply_theme(_app(), chosen, points)
        self._redress()


def apply_remembered_appearance(app: QApplication, settings: Settings) -> None:
    """The look that the user chose last time."""
    points = settings.get("points", f"{USUAL}")
    size = float(points) if points.replace(".", "", 1).isdigit() else USUAL
    apply_theme(app, DARK if settings.get("theme") == "dark" else LIGHT, _bounded(size))


def _bounded(points: float) -> float:
    return min(LARGEST, max(SMALLEST, points))


def _app() -> QApplication:
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    return app
