"""A variable of the running image with its name, and how it is to be shown."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QComboBox,
    QHBoxLayout,
    QLabel,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.contract.image import MemoryLocation
from wattigram.core.firmware.memory_layout import NumberScale, buffer_layout, number_scales
from wattigram.core.model.design import Workspace
from wattigram.desktop.theme import color, text_font, theme
from wattigram.desktop.widgets.firmware.memory_canvas import BARS, LINES, NUMBERS, MemoryCanvas
from wattigram.desktop.widgets.firmware.memory_text import BASES, VOLTS, scale_text

FORMS = (BARS, LINES, NUMBERS)
EACH = "volts of each"


class MemoryRow(QWidget):
    """Head and canvas of one place."""

    def __init__(self, workspace: Workspace, place: MemoryLocation) -> None:
        super().__init__()
        self.place = place
        self.look = buffer_layout(workspace, place.name)
        self.canvas = MemoryCanvas(workspace, place, self.look)
        self.forms = QButtonGroup(self)
        self.reading = QComboBox(self)
        self.reading.setAccessibleName(f"How numbers of {place.name} are read")
        self._scales: dict[str, NumberScale] = {}
        name = QLabel(place.name)
        name.setFont(text_font(0, QFont.Weight.DemiBold))
        kind = f"{place.type.name}[{place.count}]" if place.is_array else place.type.name
        about = QLabel(f"{kind}   {place.address:#010x}")
        about.setObjectName("soft")
        about.setFont(text_font(-1))
        about.setMinimumWidth(0)
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(name)
        head.addWidget(about, 1)
        head.addWidget(self.reading)
        self.reading.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.reading.setMinimumContentsLength(14)
        self.reading.setVisible(place.type.kind in {"unsigned", "signed", "pointer"})
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 8, 18, 8)
        column.setSpacing(4)
        column.addLayout(head)
        if place.is_array:
            column.addLayout(self._form_buttons())
        column.addWidget(self.canvas)
        self._add_menu()
        self.show_design(workspace)
        self.reading.currentTextChanged.connect(lambda _text: self._on_changed())

    def _form_buttons(self) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setSpacing(2)
        for number, form in enumerate(FORMS):
            button = QToolButton()
            button.setObjectName("facet")
            button.setText(form)
            button.setCheckable(True)
            button.setChecked(number == 0)
            button.setAccessibleName(f"Show {self.place.name} as {form}")
            self.forms.addButton(button, number)
            line.addWidget(button)
        line.addStretch(1)
        self.forms.idClicked.connect(lambda _number: self._on_changed())
        return line

    def _add_menu(self) -> None:
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        for text, do in (
            ("Copy the numbers", self.copy_text),
            ("Copy as a picture", self.copy_picture),
        ):
            action = QAction(text, self)
            action.triggered.connect(do)
            self.addAction(action)

    def show_design(self, workspace: Workspace) -> None:
        """Offer the scales that this design has; the one that was chosen stays where it is still
        there."""
        self.look = buffer_layout(workspace, self.place.name)
        self._scales = {scale_text(scale): scale for scale in number_scales(workspace)}
        options = [*([EACH] if self.look is not None else []), *BASES, *self._scales]
        if options != [self.reading.itemText(row) for row in range(self.reading.count())]:
            chosen = self.reading.currentText()
            self.reading.blockSignals(True)
            self.reading.clear()
            self.reading.addItems(options)
            self.reading.setCurrentText(chosen if chosen in options else options[0])
            self.reading.blockSignals(False)
        self.canvas.show_design(workspace, self.look)
        self._on_changed()

    def show_as(self, form: str, reading: str) -> None:
        """Choose a form and how numbers are read, as a user does."""
        button = self.forms.button(FORMS.index(form)) if form in FORMS else None
        if button is not None:
            button.setChecked(True)
        self.reading.setCurrentText(reading)
        self._on_changed()

    def _on_changed(self) -> None:
        chosen = self.reading.currentText()
        scale = self._scales.get(chosen)
        base = VOLTS if scale is not None or chosen == EACH else chosen
        self.canvas.show_as(FORMS[max(0, self.forms.checkedId())], base, scale)

    def copy_text(self) -> None:
        """Put the numbers on the clipboard as they are shown."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(f"{self.place.name}\n{self.canvas.text()}\n")

    def copy_picture(self) -> None:
        """Put a picture of the row on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setPixmap(self.grab())

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """A hairline below."""
        painter = QPainter(self)
        painter.setPen(QPen(color(theme().hairline), 1))
        painter.drawLine(18, self.height() - 1, self.width() - 18, self.height() - 1)
        painter.end()
