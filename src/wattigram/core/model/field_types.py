"""Names and numbers that part and project files share."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Annotated, Literal

from msgspec import Meta

Name = Annotated[
    str,
    Meta(
        min_length=1,
        max_length=60,
        pattern=r"^[^\x00-\x1f\x7f]+\Z",
        description="a text of 1 to 60 characters on one line",
    ),
]
_PIN = r"(?=[A-Z_.]*[0-9])[A-Z][A-Z0-9_.]{1,9}"
PIN_PATTERN = re.compile(_PIN)
"""Of the name of a pin."""
PinName = Annotated[
    str,
    Meta(
        pattern=rf"^{_PIN}\Z",
        description="a pin such as A3 or PB12: capitals and digits, at most ten",
    ),
]
InputName = Annotated[
    str,
    Meta(
        pattern=rf"^({_PIN}|[a-z][a-z0-9 ÷.\-]{{1,30}})\Z",
        description="a pin such as A3 or an internal channel such as supply ÷ 2",
    ),
]
"""A pin, or an internal channel such as "supply ÷ 2"."""
Identifier = Annotated[
    str,
    Meta(
        pattern=r"^[a-z0-9][a-z0-9\-]{0,40}\Z",
        description="small letters, digits and hyphens, at most 41",
    ),
]
FINEST_CLOCK = 8
"""Parts of a clock."""
Positive = Annotated[int, Meta(ge=1, le=1 << 32)]
Cycles = Annotated[int, Meta(ge=0, le=10**9)]
Flag = bool
_CLOCKS = "a number of clocks, in halves, quarters or eighths of one"
Clocks = (
    Annotated[int, Meta(gt=0, le=1 << 32, description=_CLOCKS)]
    | Annotated[float, Meta(gt=0, le=1 << 32, description=_CLOCKS)]
)
"""Of a converter, which may be no whole number."""
SamplingClocks = (
    Annotated[int, Meta(ge=0, le=1 << 32, description=_CLOCKS)]
    | Annotated[float, Meta(ge=0, le=1 << 32, description=_CLOCKS)]
)
"""Of a sampling; none where the capacitor is connected for no time of its own."""
ExtraClocks = (
    Annotated[int, Meta(ge=0, le=1000, description=_CLOCKS)]
    | Annotated[float, Meta(ge=0, le=1000, description=_CLOCKS)]
)
"""Clocks that come on top of others; there may be none."""

TriggerKind = Literal[
    "software", "free-running", "timer", "edge", "comparator", "threshold", "converter"
]
RetrievalKind = Literal["polling", "interrupt", "fifo", "dma"]
PerTrigger = Literal["conversion", "scan", "continuous"]
Alignment = Literal["right", "left"]
StageKind = Literal["sum", "block-average", "moving-average", "low-pass"]
Judged = Literal["raw", "filtered", "deviation"]


def check_distinct(values: tuple[object, ...], what: str) -> None:
    """Raise ``ValueError`` when a value comes twice."""
    seen: set[object] = set()
    for value in values:
        if value in seen:
            raise ValueError(f"{what} {value} is listed twice. Remove one.")
        seen.add(value)


def check_clocks(values: Iterable[float], what: str) -> None:
    """Raise ``ValueError`` for a number of clocks that is finer than an eighth of one."""
    for value in values:
        if value * FINEST_CLOCK != int(value * FINEST_CLOCK):
            raise ValueError(
                f"{what} of {value} clocks is no multiple of an eighth. Write halves, quarters or "
                "eighths."
            )
