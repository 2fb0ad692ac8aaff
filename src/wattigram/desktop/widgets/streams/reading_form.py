"""What a recording of another tool does not say itself, asked for beside the page; nothing is modal."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
)

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import parse_quantity
from wattigram.core.capture.recording import READERS, Reading
from wattigram.core.capture.recording.opening import WIDTHS

SEPARATORS = {
    "as found": None,
    "comma": ",",
    "semicolon": ";",
    "tab": "\t",
    "space": " ",
    "bar": "|",
}
DECIMALS = {"as found": None, "point": ".", "comma": ","}
RAW = "raw"


class ReadingForm(QFrame):
    """Fields of a :class:`Reading`; Enter, or the button, reads with them."""

    wanted = pyqtSignal(object)
    """Reading"""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self.why = QLabel()
        self.why.setWordWrap(True)
        self.rate, self.time_column, self.unit = QLineEdit(), QLineEdit(), QLineEdit()
        self.rate.setPlaceholderText("10 kHz")
        self.time_column.setPlaceholderText("name of a column")
        self.unit.setPlaceholderText("V")
        self.scale, self.zero = QLineEdit("1"), QLineEdit("0")
        self.separator, self.decimal = _choices(SEPARATORS), _choices(DECIMALS)
        self.format = _choices(["by its ending", *(reader.name for reader in READERS)])
        self.number, self.channels = _choices(WIDTHS), QLineEdit("1")
        self.number.setCurrentText("i16")
        self.big_endian = QCheckBox("highest byte first")
        self.read_button = QPushButton("Read so")
        self.cancel_button = QPushButton("Cancel")
        self._build()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.addWidget(self.why)
        self._form = QFormLayout()
        for label, field in (
            ("Rate", self.rate),
            ("Time column", self.time_column),
            ("Unit", self.unit),
            ("Scale", self.scale),
            ("Zero", self.zero),
            ("Separator", self.separator),
            ("Decimal mark", self.decimal),
            ("Format", self.format),
            ("Numbers", self.number),
            ("Channels", self.channels),
            ("", self.big_endian),
        ):
            self._form.addRow(label, field)
            if isinstance(field, QLineEdit):
                field.returnPressed.connect(self.read)
            field.setAccessibleName(label or "Byte order")
        layout.addLayout(self._form)
        row = QHBoxLayout()
        row.addWidget(self.read_button)
        row.addWidget(self.cancel_button)
        layout.addLayout(row)
        self.read_button.clicked.connect(self.read)
        self.cancel_button.clicked.connect(self.hide)

    def ask(self, why: str) -> None:
        """Show what is missing; fields keep what was said last."""
        self.why.setText(why)
        self.show()
        self.rate.setFocus()

    def read(self) -> None:
        """Have it read as the fields say; what cannot be understood stays in its field, with a sentence."""
        try:
            reading = self._reading()
        except (QuantityError, ValueError) as fault:
            self.why.setText(str(fault))
            return
        self.hide()
        self.wanted.emit(reading)

    def _reading(self) -> Reading:
        said: dict[str, Any] = {
            "rate_hz": float(parse_quantity(self.rate.text(), "Hz"))
            if self.rate.text().strip()
            else None,
            "time_column": self.time_column.text().strip() or None,
            "unit": self.unit.text().strip() or None,
            "scale": float(self.scale.text().replace(",", ".")),
            "zero": float(self.zero.text().replace(",", ".")),
            "separator": SEPARATORS[self.separator.currentText()],
            "decimal": DECIMALS[self.decimal.currentText()],
            "format": None if self.format.currentIndex() == 0 else self.format.currentText(),
            "number": self.number.currentText(),
            "channels": int(self.channels.text()),
            "big_endian": self.big_endian.isChecked(),
        }
        return Reading(**said)


def _choices(names: Any) -> QComboBox:
    box = QComboBox()
    box.addItems(list(names))
    return box
