"""Findings that somebody has looked at and accepts."""

from __future__ import annotations

from typing import Annotated

from msgspec import Meta

from wattigram.core.base.models import StrictModel


class AcceptedFinding(StrictModel):
    """A finding at one place that is accepted as long as it says the same, and why."""

    code: Annotated[str, Meta(pattern=r"^[a-z0-9-]{1,60}\Z", description="a finding's code")]
    where: Annotated[str, Meta(max_length=400)]
    says: Annotated[str, Meta(max_length=4000)]
    reason: Annotated[str, Meta(min_length=1, max_length=1000)]
