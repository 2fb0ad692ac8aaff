"""What other firmware and other tools write: lines of text and bytes, described as data, and found by themselves."""

from wattigram.core.capture.foreign.text_detection import FoundText, find_text_formats, is_clear
from wattigram.core.capture.foreign.text_format import TextColumn, TextFormat, TextRows

__all__ = [
    "FoundText",
    "TextColumn",
    "TextFormat",
    "TextRows",
    "find_text_formats",
    "is_clear",
]
