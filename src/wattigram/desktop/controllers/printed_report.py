"""A proof's report on pages: as a PDF file, or for a printer."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QUrl
from PyQt6.QtGui import (
    QFont,
    QImage,
    QPagedPaintDevice,
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
    QTextDocument,
    QTextImageFormat,
)
from PyQt6.QtSvg import QSvgRenderer

from wattigram.core.base.errors import TakeError
from wattigram.core.base.toml_document import write_atomically
from wattigram.core.judge.report import PLACE, PrintedReport

DPI = 300
POINTS = 9
PICTURE_WIDE = 640
"""Pixels of 1/96 inch."""
PICTURE_SCALE = 3
"""Points of light for each of them, so that lines look like lines on paper."""


def write_pdf(report: PrintedReport, title: str, path: Path) -> None:
    """Write a report as PDF; raises :class:`TakeError` when the file cannot be written."""
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setPageLayout(
        QPageLayout(
            QPageSize(QPageSize.PageSizeId.A4),
            QPageLayout.Orientation.Portrait,
            QMarginsF(),
            QPageLayout.Unit.Millimeter,
        )
    )
    writer.setResolution(DPI)
    writer.setTitle(title)
    writer.setCreator("Wattigram")
    print_report(report, writer)
    write_atomically(path, bytes(buffer.data().data()), TakeError)


def print_report(report: PrintedReport, device: QPagedPaintDevice) -> None:
    """Lay a report out on the pages of a device, with margins of 2 cm and page numbers."""
    document = QTextDocument()
    font = QFont()
    font.setPointSizeF(POINTS)
    document.setDefaultFont(font)
    document.setHtml(report.html)
    for number, picture in enumerate(report.pictures):
        name = f"picture:{number}"
        image = _drawn(picture)
        document.addResource(QTextDocument.ResourceType.ImageResource.value, QUrl(name), image)
        cursor = document.find(f"{PLACE}{number}")
        shape = QTextImageFormat()
        shape.setName(name)
        shape.setWidth(PICTURE_WIDE)
        shape.setHeight(PICTURE_WIDE * image.height() / image.width())
        cursor.insertImage(shape)
    document.print(device)


def _drawn(picture: str) -> QImage:
    """A picture as points of light."""
    renderer = QSvgRenderer(QByteArray(picture.encode()))
    size = renderer.defaultSize()
    size *= PICTURE_WIDE * PICTURE_SCALE / size.width()
    image = QImage(size, QImage.Format.Format_RGB32)
    image.fill(0xFFFFFFFF)
    painter = QPainter(image)
    renderer.render(painter)
    painter.end()
    return image
