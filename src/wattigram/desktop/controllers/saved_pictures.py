"""Pictures of what is shown, as files: scalable, for print, or in points of light."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QMarginsF, QRect, QSizeF
from PyQt6.QtGui import QImage, QPageSize, QPainter, QPdfWriter
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QWidget

from wattigram.core.base.errors import FileError
from wattigram.core.base.toml_document import write_atomically

PNG_SCALE = 2
POINTS_PER_PIXEL = 0.75
"""A pixel of the screen is 1/96 inch, a point 1/72."""
DPI = 96


def save_picture(widget: QWidget, path: Path, title: str) -> None:
    """Write what a widget shows, in the kind that the name ends in.

    Raises
    ------
    FileError
        When the name ends in no kind, or the file cannot be written.
    """
    kind = path.suffix.lower()
    if kind not in KINDS:
        raise FileError(
            "A picture is none of these kinds.",
            where=str(path),
            cure=f"End its name in {', '.join(KINDS)}.",
        )
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    KINDS[kind][1](widget, buffer, title)
    write_atomically(path, bytes(buffer.data().data()), FileError)


def _svg(widget: QWidget, buffer: QBuffer, title: str) -> None:
    generator = QSvgGenerator()
    generator.setOutputDevice(buffer)
    generator.setSize(widget.size())
    generator.setViewBox(QRect(0, 0, widget.width(), widget.height()))
    generator.setResolution(DPI)
    generator.setTitle(title)
    generator.setDescription("Drawn by Wattigram")
    _render(widget, generator)


def _pdf(widget: QWidget, buffer: QBuffer, title: str) -> None:
    writer = QPdfWriter(buffer)
    size = QSizeF(widget.width(), widget.height()) * POINTS_PER_PIXEL
    exact = QPageSize.SizeMatchPolicy.ExactMatch
    writer.setPageSize(QPageSize(size, QPageSize.Unit.Point, "", exact))
    writer.setPageMargins(QMarginsF())
    writer.setResolution(DPI)
    writer.setTitle(title)
    writer.setCreator("Wattigram")
    _render(widget, writer)


def _png(widget: QWidget, buffer: QBuffer, title: str) -> None:
    image = QImage(widget.size() * PNG_SCALE, QImage.Format.Format_RGB32)
    image.setDevicePixelRatio(PNG_SCALE)
    image.setText("Title", title)
    _render(widget, image)
    image.save(buffer, "PNG")


def _render(widget: QWidget, device: QSvgGenerator | QPdfWriter | QImage) -> None:
    painter = QPainter(device)
    try:
        widget.render(painter)
    finally:
        painter.end()


KINDS: dict[str, tuple[str, Callable[[QWidget, QBuffer, str], None]]] = {
    ".svg": ("Scalable picture", _svg),
    ".pdf": ("PDF", _pdf),
    ".png": ("PNG", _png),
}
FILTERS = ";;".join(f"{title} (*{suffix})" for suffix, (title, _write) in KINDS.items())
