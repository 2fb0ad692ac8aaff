"""Texts in a window beside the main one: the glossary, what the program is made of, its log and its fault reports."""

from __future__ import annotations

import re
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QTextBrowser, QVBoxLayout, QWidget

from wattigram import __version__
from wattigram.core.base.logs import log_path, report_paths
from wattigram.desktop.pages.page_stack import (
    CHAIN,
    COMPARE,
    FIRMWARE,
    PINS,
    PROGRAM,
    PROOF,
    STREAMS,
)
from wattigram.desktop.theme import number_font

GLOSSARY = Path(__file__).parents[1] / "glossary.md"
GUIDE = Path(__file__).parents[1] / "guide"
CONTENTS = "README.md"
_CHAPTERS = {
    CHAIN: "03-design.md",
    PINS: "04-bench.md",
    PROGRAM: "08-program.md",
    FIRMWARE: "09-firmware.md",
    STREAMS: "06-take.md",
    PROOF: "07-proof.md",
    COMPARE: "05-findings.md",
}
MOST_SHOWN = 400_000
"""Characters of a log, the newest."""


class TextWindow(QDialog):
    """Shows a text; the main window stays usable."""

    def __init__(
        self, parent: QWidget, title: str, *, markdown: str | None = None, plain: str | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.text = QTextBrowser()
        self.text.setAccessibleName(title)
        if markdown is not None:
            self.text.setMarkdown(markdown)
        if plain is not None:
            self.text.setFont(number_font(-1))
            self.text.setPlainText(plain)
            bar = self.text.verticalScrollBar()
            if bar is not None:
                bar.setValue(bar.maximum())
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.text)
        self.resize(760, 640)


def chapter_of(page: int) -> str:
    """The chapter that is about a page; the contents for one that none is about."""
    return _CHAPTERS.get(page, CONTENTS)


class GuideWindow(TextWindow):
    """The guide, chapter by chapter; a link leads to another one."""

    def __init__(self, parent: QWidget, chapter: str) -> None:
        super().__init__(parent, "Guide", markdown="")
        self.text.setOpenLinks(False)
        self.text.anchorClicked.connect(lambda url: self.show_chapter(url.toString()))
        self.chapter = ""
        self.show_chapter(chapter)

    def show_chapter(self, name: str) -> None:
        """Show a chapter by the name of its file; what lies elsewhere is named in the title."""
        name = name.rpartition("/")[2]
        path = GLOSSARY if name == GLOSSARY.name else GUIDE / name
        if not path.is_file():
            self.setWindowTitle(f"Guide: {name} lies among the program's documents")
            return
        self.chapter = name
        self.text.setMarkdown(guide_text(path))
        self.setWindowTitle("Guide")


def guide_text(path: Path) -> str:
    """A chapter without its pictures, which the window itself shows better, and with a way back."""
    text = re.sub(r"^!\[[^\n]*\n", "", path.read_text(encoding="utf-8"), flags=re.MULTILINE)
    text = re.sub(r"^```\w+[^\n]*$", "```", text, flags=re.MULTILINE)
    return text if path.name == CONTENTS else f"{text}\n\n[All chapters]({CONTENTS})\n"


def show_guide(parent: QWidget, chapter: str = CONTENTS) -> GuideWindow:
    """A chapter of the guide; the window that is open goes there."""
    for known in parent.findChildren(GuideWindow):
        if known.isVisible():
            known.show_chapter(chapter)
            known.raise_()
            return known
    window = GuideWindow(parent, chapter)
    window.show()
    return window


def show_glossary(parent: QWidget) -> TextWindow:
    """What each of our own words means."""
    return _shown(TextWindow(parent, "Glossary", markdown=GLOSSARY.read_text(encoding="utf-8")))


def show_about(parent: QWidget) -> TextWindow:
    """The version, the licence, and what the program is made of."""
    return _shown(TextWindow(parent, "About Wattigram", markdown=about_text()))


def show_log(parent: QWidget) -> TextWindow:
    """What the program has written down of what it did."""
    return _shown(TextWindow(parent, f"Log: {log_path()}", plain=_end_of(log_path())))


def show_report(parent: QWidget) -> TextWindow:
    """The newest report of a fault; that there is none."""
    newest = next(iter(report_paths()), None)
    if newest is None:
        return _shown(
            TextWindow(parent, "Fault reports", plain="No fault has been written down here.")
        )
    return _shown(TextWindow(parent, f"Report: {newest}", plain=_end_of(newest)))


def about_text() -> str:
    """In Markdown."""
    from importlib.metadata import PackageNotFoundError, metadata  # slow, and few ask

    lines = [
        "# Wattigram",
        f"Version {__version__}, under the GNU General Public License, version 3 or later.",
        "",
        "| made with | version | licence |",
        "|---|---|---|",
    ]
    for name in _packages():
        try:
            found = metadata(name)
        except PackageNotFoundError:
            continue
        lines.append(f"| {found['Name']} | {found['Version']} | {_licence(found)} |")
    return "\n".join(lines)


def _packages() -> list[str]:
    """What the program itself needs, as it was installed with."""
    from importlib.metadata import PackageNotFoundError, requires  # as above

    try:
        needed = requires("wattigram") or []
    except PackageNotFoundError:
        needed = []
    own = [one for one in needed if "extra ==" not in one]
    return [re.split(r"[^A-Za-z0-9._-]", one, maxsplit=1)[0] for one in own]


def _licence(found: object) -> str:
    """As a package says it: in an expression, as a class, or in its first words."""
    get_all = found.get_all  # type: ignore[attr-defined]
    for said in get_all("License-Expression") or []:
        return str(said)
    classes = [one for one in get_all("Classifier") or [] if one.startswith("License ::")]
    if classes:
        return ", ".join(one.rsplit(" :: ", 1)[-1] for one in classes)
    said = next(iter(get_all("License") or []), "")
    return str(said).splitlines()[0][:60] if said else "not said"


def _end_of(path: Path) -> str:
    try:
        text = path.read_text(encoding="utf-8", errors="replace")
    except OSError as fault:
        return f"{path} cannot be read: {fault.strerror}."
    return text[-MOST_SHOWN:] or "Nothing has been written down yet."


def _shown(window: TextWindow) -> TextWindow:
    window.show()
    return window
