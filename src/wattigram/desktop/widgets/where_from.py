"""Where numbers come from, in a window beside the pages."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING

from PyQt6.QtCore import QUrl, pyqtSignal
from PyQt6.QtWidgets import QDialog, QLabel, QTextBrowser, QVBoxLayout, QWidget

from wattigram.core.advise.explanations import Explanation, Place, lines
from wattigram.desktop.inspector import Panel
from wattigram.desktop.theme import number_font, theme

if TYPE_CHECKING:
    from wattigram.core.judge.measured import Measured

INDENT_PX = 18
STEP_PT = 1.0


class WhereFrom(QDialog):
    """Formulas of what the inspector shows, or of what is measured, with their values; what is stated is a link to
    where."""

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
        parts = [self._html(fact.label, fact.whys) for fact in panel.facts if fact.whys]
        if not parts:
            parts = ["<p>Nothing that is shown here has a formula of its own.</p>"]
        bar = self.text.verticalScrollBar()
        before = bar.value() if bar is not None else 0
        self.text.setHtml("".join(parts))
        if chosen:
            self.text.scrollToAnchor(_anchor(chosen))
        elif bar is not None:
            bar.setValue(before)

    def show_measured(
        self, measured: Measured, chosen: str = "", beside: Panel | None = None
    ) -> None:
        """Show how each figure of a measurement is worked out, and what was expected ``beside``."""
        from wattigram.core.judge.measured import (  # late: the window starts without it
            explanation_of,
            way_of,
        )

        of = " and ".join(measured.channels)
        self.title.setText(
            f"{of}: {measured.samples} samples. Figures that follow from others are worked out anew from those."
        )
        self._places = []
        parts = []
        for figure in measured.figures:
            way, why = way_of(measured.kind, figure.key), explanation_of(measured, figure.key)
            told = "" if way is None else way.text
            if way is not None and way.source and why is None:
                told += f" [{way.source}]"
            said = f'<p style="margin:1px 0 1px {INDENT_PX}px">{escape(told)}</p>' if told else ""
            if why is not None:
                parts.append(self._html(figure.title, (why,), said))
                continue
            name = f'<a name="{_anchor(figure.title)}"></a>'
            head = f"<p style='margin:1px 0'>{name}<b>{escape(figure.title)} {escape(figure.text)}</b></p>"
            parts.append(f"{head}{said}{_line()}")
        if beside is not None:
            parts.append(f"<p><b>{escape(beside.title)}</b>, as the design expects it</p>{_line()}")
            parts += [self._html(fact.label, fact.whys) for fact in beside.facts if fact.whys]
        self.text.setHtml("".join(parts))
        if chosen:
            self.text.scrollToAnchor(_anchor(chosen))

    def _html(self, label: str, whys: tuple[Explanation, ...], after: str = "") -> str:
        rows = []
        told = (row for why in whys for row in lines(why))
        for number, (depth, text, place) in enumerate(told):
            said = escape(text)
            if place is not None:
                self._places.append(place)
                value, _, origin = said.partition(": ")
                link = f'<a href="place:{len(self._places) - 1}">{origin}</a>'
                said = f"{value}: {link}"
            if depth == 0:
                said = f"<b>{said}</b>"
            if number == 0:
                said = f'<a name="{_anchor(label)}"></a>{said}'
            rows.append(f'<p style="margin:1px 0 1px {depth * INDENT_PX}px">{said}</p>')
        return f"{''.join(rows)}{after}{_line()}"

    def _follow(self, url: QUrl) -> None:
        if url.scheme() == "place":
            self.place_wanted.emit(self._places[int(url.path())])


def _line() -> str:
    return f'<hr style="color:{theme().hairline}">'


def _anchor(label: str) -> str:
    return "".join(letter if letter.isalnum() else "-" for letter in label)
