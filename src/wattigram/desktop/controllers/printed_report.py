"""A proof's report on pages: as a PDF file, or for a printer."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QRectF, QSizeF, Qt, QUrl
from PyQt6.QtGui import (
    QFont,
    QImage,
    QPagedPaintDevice,
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
    QTextCursor,
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
MARGIN_MM = 20.0
POINT_DPI = 72


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
    """Lay a report out on the pages of a device, with margins of 2 cm and page numbers. Pictures are drawn as
    lines and letters, as fine as the paper."""
    document, pictures = _laid_out(report, device)
    margin = _dots(MARGIN_MM / 25.4 * POINT_DPI, device)
    page = QSizeF(device.width(), device.height())
    inner = QRectF(margin, margin, page.width() - 2 * margin, page.height() - 2 * margin)
    document.setPageSize(inner.size())
    pages = document.pageCount()  # asked for first: lines are laid out by it
    places = [(_place_of(cursor), picture) for cursor, picture in pictures]
    painter = QPainter(device)
    for number in range(pages):
        if number:
            device.newPage()
        shown = QRectF(0, number * inner.height(), inner.width(), inner.height())
        painter.save()
        painter.translate(inner.left(), inner.top() - shown.top())
        painter.setClipRect(shown)
        document.drawContents(painter, shown)
        for rect, picture in places:
            if shown.intersects(rect):
                picture.render(painter, rect)
        painter.restore()
        painter.setFont(document.defaultFont())
        below = QRectF(inner.left(), inner.bottom(), inner.width(), margin / 2)
        painter.drawText(
            below, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom, str(number + 1)
        )
    painter.end()


def _dots(points: float, device: QPagedPaintDevice) -> float:
    return points * device.logicalDpiX() / POINT_DPI


def _laid_out(
    report: PrintedReport, device: QPagedPaintDevice
) -> tuple[QTextDocument, list[tuple[QTextCursor, QSvgRenderer]]]:
    """The text, with room for each picture, and where each belongs."""
    document = QTextDocument()
    layout = document.documentLayout()
    assert layout is not None
    layout.setPaintDevice(device)
    font = QFont()
    font.setPointSizeF(POINTS)
    document.setDefaultFont(font)
    document.setHtml(report.html)
    room = QImage(1, 1, QImage.Format.Format_ARGB32)
    room.fill(0)
    document.addResource(QTextDocument.ResourceType.ImageResource.value, QUrl("room"), room)
    pictures = []
    for number, picture in enumerate(report.pictures):
        drawn = QSvgRenderer(QByteArray(picture.encode()))
        size = drawn.defaultSize()
        shape = QTextImageFormat()
        shape.setName("room")
        shape.setWidth(PICTURE_WIDE)
        shape.setHeight(PICTURE_WIDE * size.height() / size.width())
        cursor = document.find(f"{PLACE}{number}")
        cursor.insertImage(shape)
        pictures.append((cursor, drawn))
    return document, pictures


def _place_of(cursor: QTextCursor) -> QRectF:
    """Where the image before a cursor stands, in the document."""
    block = cursor.block()
    text, shape = block.layout(), cursor.charFormat().toImageFormat()
    assert text is not None
    within = cursor.position() - 1 - block.position()
    line = text.lineForTextPosition(within)
    left, right = line.cursorToX(within)[0], line.cursorToX(within + 1)[0]
    high = (right - left) * shape.height() / shape.width()  # the layout scales it for the device
    corner = text.position()
    top = corner.y() + line.y() + line.ascent() - high
    return QRectF(corner.x() + left, top, right - left, high)
