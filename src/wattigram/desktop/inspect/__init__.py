"""What the inspector says of a selection, as plain values."""

from wattigram.desktop.inspect.model import Choice, Fact, Field, Panel, WhatIf
from wattigram.desktop.inspect.panels import panel_for

__all__ = ["Choice", "Fact", "Field", "Panel", "WhatIf", "panel_for"]
