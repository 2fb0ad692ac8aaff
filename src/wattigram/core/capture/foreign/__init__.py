"""What other firmware and other tools write: lines of text and bytes, described as data, and found by themselves."""

from wattigram.core.capture.foreign.binary_detection import (
    FoundBytes,
    bytes_are_clear,
    find_binary_formats,
)
from wattigram.core.capture.foreign.binary_format import BinaryDecoder, BinaryRows
from wattigram.core.capture.foreign.text_detection import FoundText, find_text_formats, is_clear
from wattigram.core.capture.foreign.text_format import TextRows
from wattigram.core.contract.row_formats import BinaryFormat, TextColumn, TextFormat

__all__ = [
    "BinaryDecoder",
    "BinaryFormat",
    "BinaryRows",
    "FoundBytes",
    "FoundText",
    "TextColumn",
    "TextFormat",
    "TextRows",
    "bytes_are_clear",
    "find_binary_formats",
    "find_text_formats",
    "is_clear",
]
