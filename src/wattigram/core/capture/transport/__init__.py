"""The host's end of a link: ports that carry frames, what comes out of them, and a debug server's
client."""

from wattigram.core.capture.transport.connection import DEFAULT_BAUD, Transport, open_transport
from wattigram.core.capture.transport.decoder import Decoder, DecodeStats, SampleRun
from wattigram.core.capture.transport.serial_ports import SerialPort, serial_ports

__all__ = [
    "DEFAULT_BAUD",
    "DecodeStats",
    "Decoder",
    "SampleRun",
    "SerialPort",
    "Transport",
    "open_transport",
    "serial_ports",
]
