"""Names and numbers that part and project files share."""

from __future__ import annotations

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
PinName = Annotated[str, Meta(pattern=r"^[A-Z][0-9]{1,2}\Z", description="a pin such as A3")]
InputName = Annotated[
    str,
    Meta(
        pattern=r"^([A-Z][0-9]{1,2}|[a-z][a-z0-9 ÷.\-]{1,30})\Z",
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
Positive = Annotated[int, Meta(ge=1, le=1 << 32)]
Cycles = Annotated[int, Meta(ge=0, le=10**9)]
Flag = bool

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
