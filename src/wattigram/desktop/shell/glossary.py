"""The glossary, as a window beside the main one."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

GLOSSARY = Path(__file__).parents[1] / "glossary.md"


class Glossary(QDialog):
    """Shows what each of our own words means; the main window stays usable."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Glossary")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.text = QTextBrowser()
        self.text.setMarkdown(GLOSSARY.read_text(encoding="utf-8"))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.text)
        self.resize(760, 640)
