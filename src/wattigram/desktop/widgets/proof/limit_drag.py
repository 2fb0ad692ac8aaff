"""Moving what is allowed, on the evidence itself."""

from __future__ import annotations

import math

import msgspec

from wattigram.core.judge.evidence_limits import Limit
from wattigram.desktop.widgets.axes import Axes

NEAR = 5.0
"""Pixels."""
EDGE = 3.0
"""Pixels that an edge about a value must be nearer than the value itself."""


class DrawnLimit(msgspec.Struct, frozen=True):
    """A limit where it was painted last."""

    limit: Limit
    axes: Axes


class Drag(msgspec.Struct):
    """A limit that is being moved."""

    drawn: DrawnLimit
    value: float
    """Where it lies now, in the unit of its panel."""

    @property
    def text(self) -> str:
        """What the sentence will say."""
        return self.drawn.limit.moved_text(self.value, step_of(self.drawn.axes))

    def move(self, y: float) -> None:
        """To a height on the screen, within the panel."""
        axes = self.drawn.axes
        low, high = axes.y_span
        share = (axes.rect.bottom() - y) / axes.rect.height()
        self.value = low + min(1.0, max(0.0, share)) * (high - low)


def step_of(axes: Axes) -> float:
    """The round step, 1, 2 or 5, that is about a pixel."""
    low, high = axes.y_span
    pixel = (high - low) / axes.rect.height()
    decade = 10.0 ** math.floor(math.log10(pixel))
    return next((times * decade for times in (1, 2, 5) if times * decade >= pixel), 10 * decade)


def limit_at(drawn: list[DrawnLimit], x: float, y: float) -> DrawnLimit | None:
    """The limit that a pointer is at."""
    near = [
        one
        for one in drawn
        if one.axes.rect.left() <= x <= one.axes.rect.right()
        and abs(float(one.axes.y(one.limit.value)) - y) <= NEAR
    ]
    return min(
        near,
        key=lambda one: (
            abs(float(one.axes.y(one.limit.value)) - y) + EDGE * (one.limit.centre is not None)
        ),
        default=None,
    )
