"""Frames between board and host, and what firmware tells of itself in them; ``docs/link.md`` is the
protocol."""

from wattigram.core.contract.link.firmware_log import (
    FAILED,
    POLLED,
    ChannelPointing,
    RegisterWrite,
    parse_pointing,
    parse_writes,
    pointings_text,
    writes_text,
)
from wattigram.core.contract.link.frame import (
    EVENT_DTYPE,
    FLAG_FIRST,
    FLAG_TAIL,
    FLAG_UNSEQUENCED,
    OUTPUT_STREAM,
    OVERHEAD_BYTES,
    OVERWRITTEN,
    REDUCED_STREAM,
    STAMP_STREAM,
    TORN,
    Frame,
    FrameType,
    encode_frame,
)
from wattigram.core.contract.link.identity import Identity, parse_identity

__all__ = [
    "EVENT_DTYPE",
    "FAILED",
    "FLAG_FIRST",
    "FLAG_TAIL",
    "FLAG_UNSEQUENCED",
    "OUTPUT_STREAM",
    "OVERHEAD_BYTES",
    "OVERWRITTEN",
    "POLLED",
    "REDUCED_STREAM",
    "STAMP_STREAM",
    "TORN",
    "ChannelPointing",
    "Frame",
    "FrameType",
    "Identity",
    "RegisterWrite",
    "encode_frame",
    "parse_identity",
    "parse_pointing",
    "parse_writes",
    "pointings_text",
    "writes_text",
]
