"""What the inspector says of a selection, as plain values."""

from wattigram.desktop.inspector.panel_model import (
    Choice,
    Course,
    Curves,
    Fact,
    Field,
    Line,
    OrderedList,
    Panel,
    Tab,
    WhatIf,
)
from wattigram.desktop.inspector.panels import panel_for

__all__ = [
    "Choice",
    "Course",
    "Curves",
    "Fact",
    "Field",
    "Line",
    "OrderedList",
    "Panel",
    "Tab",
    "WhatIf",
    "panel_for",
]
