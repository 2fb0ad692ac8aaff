"""C files to be read: a list of them, the text of one, and a line to look at."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFont,
    QSyntaxHighlighter,
    QTextCharFormat,
    QTextCursor,
    QTextDocument,
)
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QPlainTextEdit,
    QTextEdit,
    QVBoxLayout,
    QWidget,
)

from wattigram.desktop.theme import color, number_font, theme

_WORDS = frozenset(
    (
        *(
            "bool",
            "break",
            "case",
            "const",
            "default",
            "else",
            "enum",
            "extern",
            "false",
            "for",
            "if",
            "int32_t",
        ),
        *(
            "int64_t",
            "return",
            "static",
            "struct",
            "switch",
            "true",
            "typedef",
            "uint16_t",
            "uint32_t",
            "uint64_t",
        ),
        *("uint8_t", "void", "volatile", "while"),
    )
)


class _Ink(QSyntaxHighlighter):
    """Comments faint, words of the language heavier."""

    def highlightBlock(self, text: str | None) -> None:
        """Dress one line."""
        line = text or ""
        soft, strong = QTextCharFormat(), QTextCharFormat()
        soft.setForeground(QColor(theme().faint))
        strong.setFontWeight(QFont.Weight.DemiBold)
        word = ""
        for place, letter in enumerate(line + " "):
            if letter.isalnum() or letter == "_":
                word += letter
                continue
            if word in _WORDS:
                self.setFormat(place - len(word), len(word), strong)
            word = ""
        inside = self.previousBlockState() == 1
        place = 0
        while place < len(line):
            if inside:
                end = line.find("*/", place)
                stop = len(line) if end < 0 else end + 2
                self.setFormat(place, stop - place, soft)
                inside = end < 0
                place = stop
            else:
                begin = line.find("/*", place)
                if begin < 0:
                    break
                inside, place = True, begin
                end = line.find("*/", begin + 2)
                if end >= 0:
                    self.setFormat(begin, end + 2 - begin, soft)
                    inside, place = False, end + 2
        self.setCurrentBlockState(1 if inside else 0)


class CodeView(QWidget):
    """Shows one file at a time."""

    line_chosen = pyqtSignal(str, int)
    """The user went to a line, counted from 1: file, line."""

    def __init__(self) -> None:
        super().__init__()
        self.files = QComboBox()
        self.files.setAccessibleName("C file")
        self.note = QLabel()
        self.note.setObjectName("soft")
        self.text = QPlainTextEdit()
        self.text.setReadOnly(True)
        # The keyboard goes through the lines as well, and a step of the set-up with it.
        by_hand = (
            Qt.TextInteractionFlag.TextSelectableByMouse
            | Qt.TextInteractionFlag.TextSelectableByKeyboard
        )
        self.text.setTextInteractionFlags(by_hand)
        self.text.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.text.setFont(number_font(-0.5))
        self.text.setAccessibleName("Text of the file")
        document = self.text.document()
        assert isinstance(document, QTextDocument)
        self._ink = _Ink(document)
        bar = QHBoxLayout()
        bar.addWidget(self.files)
        bar.addWidget(self.note, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 8, 18, 12)
        column.addLayout(bar)
        column.addWidget(self.text, 1)
        self._texts: dict[str, tuple[str, str]] = {}
        self.files.currentTextChanged.connect(self._show)
        self.text.cursorPositionChanged.connect(self._on_cursor)

    def show_files(self, texts: dict[str, tuple[str, str]]) -> None:
        """Files by name: text, and a note on whose they are; the one that is shown stays."""
        before = self.files.currentText()
        self._texts = texts
        self.files.blockSignals(True)
        self.files.clear()
        self.files.addItems(sorted(texts))
        if texts:
            self.files.setCurrentText(before if before in texts else "wg_setup.c")
        self.files.blockSignals(False)
        self._show(self.files.currentText())

    def text_of(self, file: str) -> str:
        """A file's text; "" where it is not there."""
        return self._texts.get(file, ("", ""))[0]

    def _on_cursor(self) -> None:
        if self.text.hasFocus():
            self.line_chosen.emit(
                self.files.currentText(), self.text.textCursor().blockNumber() + 1
            )

    def show_line(self, file: str, line: int, is_fault: bool = True) -> bool:
        """Go to a line and tint it; false where the file is not there."""
        if file not in self._texts:
            return False
        self.files.setCurrentText(file)
        document = self.text.document()
        assert document is not None
        block = document.findBlockByNumber(max(0, line - 1))
        cursor = QTextCursor(block)
        self.text.setTextCursor(cursor)
        self.text.centerCursor()
        mark = QTextEdit.ExtraSelection()
        mark.cursor = cursor
        mark.format.setBackground(color(theme().bad_tint if is_fault else theme().band))
        mark.format.setProperty(0x06000, True)  # full width of the line
        self.text.setExtraSelections([mark])
        return True

    def redress(self) -> None:
        """Use the fonts and colours of now."""
        self.text.setFont(number_font(-0.5))
        self._ink.rehighlight()

    def _show(self, name: str) -> None:
        text, note = self._texts.get(name, ("", ""))
        self.note.setText(note)
        self.text.setExtraSelections([])
        if self.text.toPlainText() != text:
            self.text.setPlainText(text)
