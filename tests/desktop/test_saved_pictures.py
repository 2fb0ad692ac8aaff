"""Pictures and tables in files: what is shown, in kinds that others open."""

from __future__ import annotations

import csv
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest
from PyQt6.QtCore import QByteArray, QSizeF
from PyQt6.QtGui import QImage
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QFileDialog

from tests.desktop.conftest import Wait, shown
from tests.desktop.test_streams import measured
from wattigram.core.base.errors import FileError
from wattigram.desktop.controllers.saved_pictures import KINDS, save_picture
from wattigram.desktop.shell.window import MainWindow


def choose(window: MainWindow, path: Path) -> str:
    """Name a file in the dialog that asks, and say what the window said of it."""
    (dialog,) = [one for one in window.findChildren(QFileDialog) if one.isVisible()]
    dialog.fileSelected.emit(str(path))
    dialog.close()
    return window.notice.text


def colors(image: QImage) -> set[str]:
    return {
        image.pixelColor(x, y).name()
        for x in range(0, image.width(), 3)
        for y in range(0, image.height(), 3)
    }


def test_what_is_shown_is_written_in_each_kind(
    window: MainWindow, wait: Wait, kiln_take: Path, tmp_path: Path
) -> None:
    page = shown(window, wait, kiln_take)
    sizes = {}
    for suffix in KINDS:
        sizes[suffix] = page.plot.size()
        window.take_actions.ask_traces_picture()
        path = tmp_path / f"traces{suffix}"
        assert choose(window, path) == f"Written: {path}"
    tree = ET.parse(tmp_path / "traces.svg").getroot()
    assert tree.get("viewBox") == f"0 0 {sizes['.svg'].width()} {sizes['.svg'].height()}"
    words = {"".join(one.itertext()).strip() for one in tree.iter() if one.tag.endswith("}text")}
    assert {"Coil current", "Door latch"} <= words
    assert not [one for one in tree.iter() if one.tag.endswith("}image")]
    assert QSvgRenderer(QByteArray((tmp_path / "traces.svg").read_bytes())).isValid()
    pdf = QPdfDocument(None)
    assert pdf.load(str(tmp_path / "traces.pdf")) == QPdfDocument.Error.None_
    assert pdf.pageCount() == 1
    size = QSizeF(sizes[".pdf"]) * 0.75
    assert pdf.pagePointSize(0).width() == pytest.approx(size.width(), abs=1)
    assert pdf.pagePointSize(0).height() == pytest.approx(size.height(), abs=1)
    image = QImage(str(tmp_path / "traces.png"))
    assert image.size() == 2 * sizes[".png"]
    assert len(colors(image)) > 5
    assert len(colors(pdf.render(0, sizes[".pdf"]))) > 5
    window.save_page()
    assert choose(window, tmp_path / "page.svg").startswith("Written")


def test_figures_and_curves_are_written_as_tables(
    window: MainWindow, wait: Wait, kiln_take: Path, tmp_path: Path
) -> None:
    shown(window, wait, kiln_take)
    window.take_actions.ask_curve_picture()
    assert "There is no curve" in window.notice.text
    window.take_actions.ask_curve()
    assert "Nothing is measured" in window.notice.text
    found = measured(window, wait, "spectrum")
    window.take_actions.ask_figures()
    choose(window, tmp_path / "figures.csv")
    with (tmp_path / "figures.csv").open(newline="") as stream:
        rows = list(csv.DictReader(stream))
    assert [row["title"] for row in rows] == [figure.title for figure in found.figures]
    assert float(rows[0]["value"]) == found.figures[0].value
    assert float(rows[0]["uncertainty_k2"]) == pytest.approx(2 * found.figures[0].sigma)
    window.take_actions.ask_curve()
    choose(window, tmp_path / "curve.csv")
    with (tmp_path / "curve.csv").open(newline="") as stream:
        lines = list(csv.DictReader(stream))
    assert [float(line["frequency_hz"]) for line in lines] == found.curve["frequency_hz"]
    window.take_actions.ask_curve_picture()
    choose(window, tmp_path / "curve.pdf")
    assert (tmp_path / "curve.pdf").read_bytes().startswith(b"%PDF")


def test_what_cannot_be_written_says_why_and_leaves_nothing(
    window: MainWindow, wait: Wait, kiln_take: Path, tmp_path: Path
) -> None:
    page = shown(window, wait, kiln_take)
    with pytest.raises(FileError, match="End its name in"):
        save_picture(page.plot, tmp_path / "traces.bmp", "traces")
    window.take_actions.ask_traces_picture()
    told = choose(window, tmp_path / "nowhere" / "traces.svg")
    assert "cannot be written" in told
    assert not (tmp_path / "traces.bmp").exists()
