"""Frames between board and host, and the ports that carry them; ``docs/link.md`` is the protocol."""

from wattigram.core.link.decoder import Decoder, DecodeStats, SampleRun
from wattigram.core.link.frame import (
    EVENT_DTYPE,
    FLAG_ASIDE,
    FLAG_FIRST,
    FLAG_TAIL,
    OUTPUT_STREAM,
    OVERHEAD_BYTES,
    REDUCED_STREAM,
    STAMP_STREAM,
    Frame,
    FrameType,
    encode_frame,
)
from wattigram.core.link.identity import Identity, parse_identity
from wattigram.core.link.ports import SerialPort, serial_ports
from wattigram.core.link.transport import DEFAULT_BAUD, Transport, open_transport
from wattigram.core.link.written import (
    FAILED,
    POLLED,
    Pointing,
    RegisterWrite,
    parse_pointing,
    parse_writes,
    pointings_text,
    writes_text,
)

__all__ = [
    "DEFAULT_BAUD",
    "EVENT_DTYPE",
    "FAILED",
    "FLAG_ASIDE",
    "FLAG_FIRST",
    "FLAG_TAIL",
    "OUTPUT_STREAM",
    "OVERHEAD_BYTES",
    "POLLED",
    "REDUCED_STREAM",
    "STAMP_STREAM",
    "DecodeStats",
    "Decoder",
    "Frame",
    "FrameType",
    "Identity",
    "Pointing",
    "RegisterWrite",
    "SampleRun",
    "SerialPort",
    "Transport",
    "encode_frame",
    "open_transport",
    "parse_identity",
    "parse_pointing",
    "parse_writes",
    "pointings_text",
    "serial_ports",
    "writes_text",
]
