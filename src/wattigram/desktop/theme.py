"""Colours, fonts and line patterns, in light and dark."""

from __future__ import annotations

from functools import lru_cache

import msgspec
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette, QPen
from PyQt6.QtWidgets import QApplication

from wattigram.core.base.signal_marks import ON_PAPER


class Theme(msgspec.Struct, frozen=True):
    """Colours by what they are for."""

    name: str
    paper: str
    panel: str
    card: str
    ink: str
    soft: str
    faint: str
    hairline: str
    band: str
    action: str
    action_text: str
    good: str
    bad: str
    bad_tint: str
    doubt: str
    signals: tuple[str, ...]
    tint_alpha: int


LIGHT = Theme(
    name="light",
    paper="#F4F1EA",
    panel="#FCFBF8",
    card="#FFFFFF",
    ink="#23262D",
    soft="#5E5F5C",
    faint="#85806F",
    hairline="#D8D2C4",
    band="#EAE6DA",
    action="#1E6F69",
    action_text="#FFFFFF",
    good="#1F7145",
    bad="#A82B1F",
    bad_tint="#F3E0DA",
    doubt="#8F6A10",
    signals=ON_PAPER,
    tint_alpha=58,
)
DARK = Theme(
    name="dark",
    paper="#1D1F23",
    panel="#232529",
    card="#2A2D32",
    ink="#ECE8DF",
    soft="#B4B0A6",
    faint="#8E8A80",
    hairline="#3E4046",
    band="#2C2E33",
    action="#3FA79E",
    action_text="#10201F",
    good="#62BE8B",
    bad="#EE8373",
    bad_tint="#47302D",
    doubt="#D9B04C",
    signals=(
        "#E08A5F",
        "#4FB3AA",
        "#8E9CE6",
        "#C98AC4",
        "#B3BC5A",
        "#9DACBA",
        "#DDAE55",
        "#E388A6",
    ),
    tint_alpha=70,
)
PATTERNS = (
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.SolidLine,
    Qt.PenStyle.DashLine,
    Qt.PenStyle.DashLine,
    Qt.PenStyle.DotLine,
    Qt.PenStyle.DashDotLine,
)
MARKERS = ("square", "disc", "up", "diamond", "ring", "down", "bar", "cross")
"""Each signal's mark has a form of its own beside its colour."""

_current = LIGHT


def theme() -> Theme:
    """The theme in use."""
    return _current


@lru_cache(maxsize=512)
def color(value: str, alpha: int = 255) -> QColor:
    """A colour, perhaps seen through; not to be changed by who gets it."""
    shade = QColor(value)
    shade.setAlpha(alpha)
    return shade


def signal_color(index: int, alpha: int = 255) -> QColor:
    """Colour of the signal in that place of the project."""
    return color(_current.signals[index % len(_current.signals)], alpha)


def signal_pen(index: int, width: float = 1.4) -> QPen:
    """Pen for the captured line of a signal."""
    pen = QPen(signal_color(index), width)
    pen.setStyle(PATTERNS[index % len(PATTERNS)])
    pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
    return pen


@lru_cache(maxsize=16)
def _family(*names: str) -> str:
    known = set(QFontDatabase.families())
    return next((name for name in names if name in known), "")


@lru_cache(maxsize=64)
def text_font(points: float = 0.0, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """The interface's font; sizes are relative to what the user has set."""
    font = QFont(QApplication.font())
    if points:
        font.setPointSizeF(QApplication.font().pointSizeF() + points)
    font.setWeight(weight)
    return font


@lru_cache(maxsize=64)
def number_font(points: float = 0.0, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """Monospaced, with figures of equal width."""
    font = QFont(_family("JetBrains Mono", "DejaVu Sans Mono") or "monospace")
    font.setStyleHint(QFont.StyleHint.Monospace)
    font.setPointSizeF(QApplication.font().pointSizeF() + points)
    font.setWeight(weight)
    return font


@lru_cache(maxsize=1)
def heading_font() -> QFont:
    """Small letters, widely spaced, for headings in capitals."""
    font = QFont(text_font(-1.5, QFont.Weight.DemiBold))
    font.setLetterSpacing(QFont.SpacingType.AbsoluteSpacing, 1.0)
    return font


def apply_theme(app: QApplication, chosen: Theme, points: float = 9.5) -> None:
    """Dress the whole application."""
    global _current
    _current = chosen
    family = _family("Inter", "Inter Variable", "Noto Sans", "DejaVu Sans")
    font = QFont(family) if family else QFont(app.font())
    font.setPointSizeF(points)
    if app.font() != font:  # each of these goes through all widgets there are
        app.setFont(font)
    for made in (text_font, number_font, heading_font):
        made.cache_clear()
    colors = app.palette()  # links in texts are known by nothing else
    for role in (QPalette.ColorRole.Link, QPalette.ColorRole.LinkVisited):
        colors.setColor(role, QColor(chosen.action))
    if app.palette() != colors:
        app.setPalette(colors)
    if app.styleSheet() != (sheet := _stylesheet(chosen)):
        app.setStyleSheet(sheet)


def _stylesheet(t: Theme) -> str:
    return f"""
* {{ color: {t.ink}; }}
QMainWindow, QDialog {{ background: {t.paper}; }}
QToolTip {{ background: {t.card}; color: {t.ink}; border: 1px solid {t.hairline}; padding: 4px; }}
QWidget#header, QWidget#side, QWidget#list {{ background: {t.panel}; }}
QWidget#header {{ border-bottom: 1px solid {t.hairline}; }}
QWidget#side {{ border-left: 1px solid {t.hairline}; }}
QWidget#list {{ border-right: 1px solid {t.hairline}; }}
QWidget#page, QStackedWidget {{ background: {t.paper}; }}
QScrollArea {{ border: none; background: transparent; }}
QWidget#plain {{ background: transparent; }}
QFrame#card {{ background: {t.card}; border: 1px solid {t.hairline}; border-radius: 6px; }}
QFrame#card[tone="error"] {{ border-left: 4px solid {t.bad}; }}
QFrame#card[tone="warning"] {{ border-left: 4px solid {t.doubt}; }}
QFrame#card[tone="note"] {{ border-left: 4px solid {t.faint}; }}
QFrame#card:focus {{ border-top: 2px solid {t.action}; border-right: 2px solid {t.action}; border-bottom: 2px solid {t.action}; }}
QFrame#notice {{ background: {t.bad_tint}; border: 1px solid {t.bad}; border-radius: 6px; }}
QLabel#soft {{ color: {t.soft}; }}
QLabel#faint {{ color: {t.faint}; }}
QLabel#cure {{ color: {t.action}; font-weight: 600; }}
QLabel#bad {{ color: {t.bad}; }}
QPushButton {{ background: {t.card}; border: 1px solid {t.hairline}; border-radius: 6px; padding: 5px 12px; }}
QPushButton:hover {{ border-color: {t.action}; }}
QPushButton:focus {{ border: 2px solid {t.action}; padding: 4px 11px; }}
QPushButton:disabled {{ color: {t.faint}; }}
QPushButton#primary {{ background: {t.action}; color: {t.action_text}; border-color: {t.action}; font-weight: 600; }}
QPushButton#primary:focus {{ border: 2px solid {t.ink}; }}
QPushButton#primary:disabled {{ background: {t.hairline}; border-color: {t.hairline}; color: {t.faint}; }}
QPushButton#now {{ text-align: left; padding: 6px 10px; }}
QPushButton#now:checked {{ background: {t.ink}; color: {t.panel}; border-color: {t.ink}; font-weight: 600; }}
QPushButton#page {{ background: transparent; border: none; color: {t.soft}; padding: 6px 14px; border-radius: 6px; }}
QPushButton#page:hover {{ color: {t.ink}; }}
QPushButton#page:checked {{ background: {t.ink}; color: {t.panel}; font-weight: 600; }}
QPushButton#page:focus {{ border: 2px solid {t.action}; padding: 4px 12px; }}
QPushButton#page[isNarrow="true"] {{ padding: 6px 7px; }}
QPushButton#page[isNarrow="true"]:focus {{ padding: 4px 5px; }}
QPushButton#chip {{ border-radius: 11px; padding: 4px 12px; background: {t.card}; }}
QPushButton#chip:checked {{ border-color: {t.action}; font-weight: 600; }}
QPushButton#chip:focus {{ border: 2px solid {t.action}; padding: 3px 11px; }}
QPushButton#chip[tone="bad"] {{ color: {t.bad}; border-color: {t.bad}; }}
QPushButton#chip[tone="good"] {{ color: {t.good}; border-color: {t.good}; }}
QPushButton#link {{ background: transparent; border: none; color: {t.action}; padding: 2px; font-weight: 600; text-align: left; }}
QPushButton#link[tone="bad"] {{ color: {t.bad}; }}
QPushButton#aside {{ background: transparent; border: none; color: {t.faint}; padding: 2px; text-align: left; }}
QPushButton#aside:hover {{ color: {t.action}; }}
QPushButton#aside:focus {{ border: 1px solid {t.action}; padding: 1px; }}
QPushButton#link:focus {{ border: 1px solid {t.action}; padding: 1px; }}
QLineEdit, QComboBox, QPlainTextEdit, QTextBrowser {{ background: {t.card}; border: 1px solid {t.hairline}; border-radius: 4px; padding: 3px 6px;
  selection-background-color: {t.action}; selection-color: {t.action_text}; }}
QLineEdit:focus, QComboBox:focus {{ border: 2px solid {t.action}; padding: 2px 5px; }}
QLineEdit#fact {{ padding: 2px 7px; }}
QLineEdit#fact:focus {{ padding: 1px 6px; }}
QLineEdit#fact[wanted="true"] {{ border: 1px solid {t.doubt}; background: {t.paper}; }}
QLineEdit#fact[wanted="true"]:focus {{ border: 2px solid {t.doubt}; }}
QLineEdit[wrong="true"] {{ border: 2px solid {t.bad}; padding: 2px 5px; }}
QComboBox::drop-down {{ border: none; width: 18px; }}
QComboBox QAbstractItemView {{ background: {t.card}; border: 1px solid {t.hairline}; selection-background-color: {t.band}; selection-color: {t.ink}; }}
QListWidget {{ background: transparent; border: none; outline: none; }}
QListWidget::item {{ padding: 6px 4px; border-bottom: 1px solid {t.hairline}; }}
QListWidget::item:selected {{ background: {t.band}; color: {t.ink}; }}
QListWidget::indicator {{ width: 13px; height: 13px; border: 1px solid {t.faint}; border-radius: 3px; background: {t.card}; }}
QListWidget::indicator:checked {{ background: {t.action}; border: 1px solid {t.action}; image: none; }}
QMenu {{ background: {t.card}; border: 1px solid {t.hairline}; padding: 4px; }}
QMenu::item {{ padding: 5px 24px 5px 12px; }}
QMenu::item:selected {{ background: {t.band}; }}
QMenu::item:disabled {{ color: {t.faint}; }}
QMenu::separator {{ height: 1px; background: {t.hairline}; margin: 4px 8px; }}
QSplitter::handle {{ background: {t.hairline}; }}
QSplitter::handle:horizontal {{ width: 1px; }}
QSplitter::handle:vertical {{ height: 1px; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
QScrollBar::handle {{ background: {t.hairline}; border-radius: 4px; min-height: 24px; min-width: 24px; margin: 1px; }}
QScrollBar::handle:hover {{ background: {t.faint}; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
QProgressBar {{ background: {t.band}; border: none; border-radius: 3px; height: 6px; text-align: center; }}
QProgressBar::chunk {{ background: {t.action}; border-radius: 3px; }}
QToolButton#facet {{ background: transparent; border: none; border-bottom: 2px solid {t.hairline}; color: {t.soft}; padding: 3px 8px; }}
QToolButton#facet:hover {{ color: {t.ink}; }}
QToolButton#facet:checked {{ color: {t.ink}; border-bottom: 2px solid {t.action}; font-weight: 600; }}
QToolButton#facet:focus {{ border: 1px solid {t.action}; border-bottom: 2px solid {t.action}; padding: 2px 7px; }}
QTabBar {{ background: transparent; }}
QTabBar::tab {{ background: transparent; color: {t.soft}; padding: 5px 7px; border: none; border-bottom: 2px solid transparent; }}
QTabBar::tab:selected {{ color: {t.ink}; font-weight: 600; border-bottom: 2px solid {t.action}; }}
QTabBar::tab:hover {{ color: {t.ink}; }}
QTabBar QToolButton {{ background: {t.card}; border: 1px solid {t.hairline}; }}
QTableView {{ background: {t.card}; border: 1px solid {t.hairline}; border-radius: 6px; outline: none;
  selection-background-color: {t.band}; selection-color: {t.ink}; }}
QTableView::item {{ padding: 3px 14px; border-bottom: 1px solid {t.hairline}; }}
QHeaderView {{ background: {t.card}; }}
QHeaderView::section {{ background: {t.card}; color: {t.faint}; border: none; border-bottom: 1px solid {t.hairline}; padding: 6px 14px;
  font-weight: 600; }}
QTableView#dense::item {{ padding: 1px 4px; border-bottom: none; }}
QTableView#dense QHeaderView::section {{ padding: 3px 4px; font-weight: 400; }}
QCheckBox::indicator {{ width: 13px; height: 13px; border: 1px solid {t.faint}; border-radius: 3px; background: {t.card}; }}
QCheckBox::indicator:checked {{ background: {t.action}; border: 1px solid {t.action}; }}
QSlider::groove:horizontal {{ background: {t.hairline}; height: 4px; border-radius: 2px; }}
QSlider::handle:horizontal {{ background: {t.action}; width: 14px; margin: -5px 0; border-radius: 7px; }}
"""
