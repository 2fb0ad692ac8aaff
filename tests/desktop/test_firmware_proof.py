"""A proof with edited firmware on the board: the page says which registers differ, and how firmware
failed."""

from __future__ import annotations

import re
from pathlib import Path

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QImage, QPainter
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrinter
from PyQt6.QtWidgets import QApplication

from tests.core.firmware.compiled import needs_compiler, rebuilt
from tests.desktop.conftest import Wait
from wattigram.core.firmware import write_firmware
from wattigram.desktop.pages.page_stack import PROOF
from wattigram.desktop.shell.window import MainWindow

pytestmark = needs_compiler
FAR = """#include "wg_hooks.h"

void wg_samples_upper_zone(const wg_samples *items)
{
    *(volatile uint32_t *)0x70000000u = items->count;
}
"""


def text_of_pdf(path: Path) -> str:
    document = QPdfDocument(None)
    assert document.load(str(path)) == QPdfDocument.Error.None_
    assert document.pageCount() >= 2
    texts = [document.getAllText(number).text() for number in range(document.pageCount())]
    document.close()
    return "".join(texts)


def prove_with(window: MainWindow, wait: Wait, folder: Path, file: str, old: str, new: str) -> None:
    """Edit one file of the firmware as an engineer would, build it, and prove with it on the
    board."""
    workspace = window.document.workspace
    write_firmware(workspace, folder)
    source = folder / file
    text = source.read_text()
    assert text.count(old) == 1
    source.write_text(text.replace(old, new))
    result = rebuilt(workspace, folder)
    assert result.elf is not None, result.output
    window.board_choice.use(f"image:{result.elf}")
    window.proving.record_and_prove()
    wait(lambda: window.proving.latest is not None)
    window.board_choice.use("virtual")


def test_registers_that_differ_are_listed_whatever_holds(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    prove_with(
        window,
        wait,
        tmp_path / "c",
        "wg_setup.c",
        "ADC_2_PACE = SCAN_PACE_CUT_3;",
        "ADC_2_PACE = 0u;",
    )
    page = window.proof_page
    assert window.stack.currentIndex() == PROOF
    said = "ADC 2 PACE.CUT is 0 (divider 1), the design's is 2 (divider 3)"
    assert [label.text() for label in page.differences[1:]] == [said]
    page.copy_text()
    clipboard = QApplication.clipboard()
    assert clipboard is not None
    assert f"register differs\t{said}" in clipboard.text()
    report = tmp_path / "r.html"
    window.proving.write_report(report)
    wait(report.exists)
    wait(lambda: "</html>" in report.read_text())
    assert "The board's registers" in report.read_text()
    pages = tmp_path / "r.pdf"
    window.proving.write_report(pages)
    wait(pages.exists)
    printed = tmp_path / "printed.pdf"
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(printed))
    window.proving.print_report(printer)
    wait(lambda: "printed" in window.notice.text)
    for path in (pages, printed):
        text = text_of_pdf(path)
        assert "The board's registers" in text
        assert "Evidence" in text
        assert "captured on expected" in text, "letters of pictures are letters"
        drawn = re.findall(rb"/Width (\d+)\s*/Height (\d+)", path.read_bytes())
        assert not [size for size in drawn if size != (b"1", b"1")], "lines are lines"
    for at in range(2):
        assert_whole_pictures(pages, at)


def assert_whole_pictures(path: Path, number: int) -> None:
    """Below the last line of a page's picture there is room: nothing is cut by its end."""
    document = QPdfDocument(None)
    assert document.load(str(path)) == QPdfDocument.Error.None_
    page = document.render(number, QSize(620, 877))
    document.close()
    paper = QImage(page.size(), QImage.Format.Format_RGB32)
    paper.fill(0xFFFFFFFF)
    painter = QPainter(paper)
    painter.drawImage(0, 0, page)
    painter.end()
    below = paper.copy(60, 808, 500, 12)
    assert {below.pixel(x, y) for x in range(500) for y in range(12)} == {0xFFFFFFFF}


def test_a_failure_of_the_firmware_is_the_first_cause(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    folder = tmp_path / "c"
    write_firmware(window.document.workspace, folder)
    own = (folder / "own.c").read_text()
    prove_with(window, wait, folder, "own.c", own, FAR)
    page = window.proof_page
    assert page.causes[0].cause.cause == "firmware-failed"
    assert "own.c:5 in wg_samples_upper_zone()" in page.causes[0].cause.evidence
    assert page.causes[0].cause.remedy is None
    assert "firmware failed" in window.header.proof.text()
    assert window.header.proof.property("tone") == "bad"
    assert page.differences == []


def test_the_designs_own_firmware_differs_in_nothing(
    window: MainWindow, wait: Wait, tmp_path: Path
) -> None:
    prove_with(window, wait, tmp_path / "c", "wg_setup.c", "/* prescaler 1 */", "/* one */")
    assert window.proof_page.differences == []
    assert window.proving.latest is not None
    assert window.proving.latest.proof.differences == ()
    assert [cause.cause for cause in window.proving.latest.proof.causes] == ["sampling-too-short"]
