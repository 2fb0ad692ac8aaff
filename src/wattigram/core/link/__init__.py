"""Frames between board and host, and the ports that carry them; ``docs/link.md`` is the protocol."""

from wattigram.core.link.decoder import Decoder, DecodeStats, SampleRun
from wattigram.core.link.frame import (
    EVENT_DTYPE,
    FLAG_ASIDE,
    FLAG_FIRST,
    FLAG_TAIL,
    OUTPUT_STREAM,
    REDUCED_STREAM,
    STAMP_STREAM,
    Frame,
    FrameType,
    encode_frame,
)
from wattigram.core.link.identity import Identity, parse_identity
from wattigram.core.link.transport import Transport, open_transport
from wattigram.core.link.written import RegisterWrite, parse_writes, writes_text

__all__ = [
    "EVENT_DTYPE",
    "FLAG_ASIDE",
    "FLAG_FIRST",
    "FLAG_TAIL",
    "OUTPUT_STREAM",
    "REDUCED_STREAM",
    "STAMP_STREAM",
    "DecodeStats",
    "Decoder",
    "Frame",
    "FrameType",
    "Identity",
    "RegisterWrite",
    "SampleRun",
    "Transport",
    "encode_frame",
    "open_transport",
    "parse_identity",
    "parse_writes",
    "writes_text",
]
