"""What the command line says of when a recording begins and ends."""

from __future__ import annotations

import re
from fractions import Fraction

from wattigram.core.base.errors import QuantityError, WattigramError
from wattigram.core.base.quantity import parse_quantity
from wattigram.core.capture.session.conditions import parse_condition
from wattigram.core.capture.session.recording_plan import RecordingPlan
from wattigram.core.model.design import Workspace

SIZES = {"kB": 10**3, "MB": 10**6, "GB": 10**9, "KiB": 1 << 10, "MiB": 1 << 20, "GiB": 1 << 30}
LONG = {"min": 60, "h": 3600, "d": 86_400}


def read_plan(
    workspace: Workspace,
    start_at: str | None,
    before: str | None,
    end_at: str | None,
    length: str | None,
    samples: int | None,
    split: str | None,
    times: str | None,
) -> RecordingPlan:
    """The plan that the options come to.

    Raises
    ------
    WattigramError
        When one of them is nothing that can be, or two contradict each other.
    """
    split_bytes = _bytes(split) if split is not None else None
    try:
        return RecordingPlan(
            starts=parse_condition(workspace, start_at) if start_at is not None else None,
            before_s=_seconds("--before", before) if before is not None else 0.0,
            ends=parse_condition(workspace, end_at) if end_at is not None else None,
            for_s=_seconds("--for", length) if length is not None else None,
            samples=samples,
            split_s=_seconds("--split", split)
            if split is not None and split_bytes is None
            else None,
            split_bytes=split_bytes,
            times=_times(times),
        )
    except ValueError as fault:
        if isinstance(fault, WattigramError):
            raise
        raise WattigramError(str(fault), cure="Change the options.") from fault


def _seconds(option: str, text: str) -> float:
    match = re.fullmatch(r"\s*([0-9.]+)\s*(min|h|d)\s*", text)
    try:
        if match:
            return float(Fraction(match[1]) * LONG[match[2]])
        return float(parse_quantity(text, "s"))
    except (QuantityError, ValueError) as fault:
        raise WattigramError(
            f"{option}: “{text}” is no time.", cure="Say “2 s”, “500 ms”, “10 min”, “1 h” or “1 d”."
        ) from fault


def _bytes(text: str) -> int | None:
    """A size on disk; None where it is none."""
    match = re.fullmatch(r"\s*([0-9]+(?:\.[0-9]+)?)\s*([kMGi]*B)\s*", text)
    return int(Fraction(match[1]) * SIZES[match[2]]) if match and match[2] in SIZES else None


def _times(text: str | None) -> int | None:
    if text is None:
        return 1
    if text.strip() == "all":
        return None
    if not (text.isascii() and text.isdigit() and int(text) > 0):
        raise WattigramError(f"--times: “{text}” is no count.", cure="Say a number, or “all”.")
    return int(text)
