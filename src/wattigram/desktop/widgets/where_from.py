"""Where numbers come from, in a window beside the pages."""

from __future__ import annotations

from html import escape

from PyQt6.QtCore import QUrl, pyqtSignal
from PyQt6.QtWidgets import QDialog, QLabel, QTextBrowser, QVBoxLayout, QWidget

from wattigram.core.advise.explanations import Explanation, Place, lines
from wattigram.desktop.inspector import Panel
from wattigram.desktop.theme import number_font, theme

INDENT_PX = 18
STEP_PT = 1.0


class WhereFrom(QDialog):
    """Formulas of what the inspector shows, with their values; what is stated is a link to where."""

    place_wanted = pyqtSignal(object)
    """Place"""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Where numbers come from")
        self.title = QLabel()
        self.title.setObjectName("soft")
        self.title.setWordWrap(True)
        self.text = QTextBrowser()
        self.text.setFont(number_font(-0.5))
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(self._follow)
        self.text.setAccessibleName("Formulas with their values")
        whole = QVBoxLayout(self)
        whole.setContentsMargins(14, 12, 14, 12)
        whole.addWidget(self.title)
        whole.addWidget(self.text, 1)
        self._places: list[Place] = []
        self.resize(620, 520)

    def show_panel(self, panel: Panel, chosen: str = "") -> None:
        """Show how what a panel shows came about, the chosen fact in sight."""
        self.title.setText(
            f"{panel.title}. What is underlined is stated in the design: a click, or Enter, goes there."
        )
        self._places = []
        parts = [self._html(fact.label, fact.why) for fact in panel.facts if fact.why is not None]
        if not parts:
            parts = ["<p>Nothing that is shown here has a formula of its own.</p>"]
        bar = self.text.verticalScrollBar()
        before = bar.value() if bar is not None else 0
        self.text.setHtml("".join(parts))
        if chosen:
            self.text.scrollToAnchor(_anchor(chosen))
        elif bar is not None:
            bar.setValue(before)

    def _html(self, label: str, why: Explanation) -> str:
        rows = []
        for number, (depth, text, place) in enumerate(lines(why)):
            said = escape(text)
            if place is not None:
                self._places.append(place)
                value, _, origin = said.partition(": ")
                link = f'<a href="place:{len(self._places) - 1}">{origin}</a>'
                said = f"{value}: {link}"
            if number == 0:
                said = f'<a name="{_anchor(label)}"></a><b>{said}</b>'
            rows.append(f'<p style="margin:1px 0 1px {depth * INDENT_PX}px">{said}</p>')
        line = f'<hr style="color:{theme().hairline}">'
        return f"{''.join(rows)}{line}"

    def _follow(self, url: QUrl) -> None:
        if url.scheme() == "place":
            self.place_wanted.emit(self._places[int(url.path())])


def _anchor(label: str) -> str:
    return "".join(letter if letter.isalnum() else "-" for letter in label)
