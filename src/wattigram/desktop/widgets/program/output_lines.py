"""What leaves the part, as lines of text."""

from __future__ import annotations

import numpy as np

from wattigram.core.capture.session import OutputPicture

MOST_LINES = 400
BYTES_A_LINE = 16


def text_lines(picture: OutputPicture) -> list[str]:
    """Bytes as a terminal shows them; what is no text is shown as a dot."""
    sent = picture.values[~picture.overwritten]
    data = bytes(np.asarray(sent & 0xFF, dtype=np.uint8))
    text = data.decode("utf-8", errors="replace").replace("\r", "").replace("\ufffd", "·")
    return "".join(one if one.isprintable() or one == "\n" else "·" for one in text).split("\n")


def level_lines(picture: OutputPicture, pins: int) -> list[str]:
    """Levels of port pins with the time since when they hold; of several the first pin stands
    rightmost, as bit 0."""
    return [
        f"{time:12.6f} s  {('low', 'high')[value & 1] if pins == 1 else f'{value:0{pins}b}'}"
        for time, value in zip(picture.times_s.tolist(), picture.values.tolist(), strict=True)
    ][-MOST_LINES:]


def value_lines(picture: OutputPicture, *, is_bytes: bool) -> list[str]:
    """Writes one after the other with their time, sixteen bytes or one value of a register a
    line."""
    marks = np.where(picture.overwritten, "✕", np.where(picture.torn, "≠", " ")).tolist()
    if not is_bytes:
        rows = zip(picture.times_s.tolist(), picture.values.tolist(), marks, strict=True)
        return [f"{time:12.6f} s  {value:6d}  0x{value:04X} {mark}" for time, value, mark in rows][
            -MOST_LINES:
        ]
    lines = []
    texts = [
        f"{value:02X}{mark}" for value, mark in zip(picture.values.tolist(), marks, strict=True)
    ]
    first = (picture.count - len(texts)) % BYTES_A_LINE
    for at in range(-first, len(texts), BYTES_A_LINE):
        part = texts[max(0, at) : at + BYTES_A_LINE]
        if part:
            lines.append(f"{float(picture.times_s[max(0, at)]):12.6f} s  {' '.join(part)}")
    return lines[-MOST_LINES:]
