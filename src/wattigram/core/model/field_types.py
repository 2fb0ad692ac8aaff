"""Names and numbers that part and project files share."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, StringConstraints

Name = Annotated[
    str, StringConstraints(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f\x7f]+$")
]
PinName = Annotated[str, StringConstraints(pattern=r"^[A-Z][0-9]{1,2}$")]
InputName = Annotated[
    str, StringConstraints(pattern=r"^([A-Z][0-9]{1,2}|[a-z][a-z0-9 ÷.\-]{1,30})$")
]
"""A pin, or an internal channel such as "supply ÷ 2"."""
Identifier = Annotated[str, StringConstraints(pattern=r"^[a-z0-9][a-z0-9\-]{0,40}$")]
Positive = Annotated[int, Field(strict=True, ge=1, le=1 << 32)]
Cycles = Annotated[int, Field(strict=True, ge=0, le=10**9)]
Flag = Annotated[bool, Field(strict=True)]

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
