"""Names of a design as C has them."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable

_SPELT = {
    "µ": "u",
    "μ": "u",
    "Ω": "ohm",
    "°": "deg",
    "÷": " div ",
    "−": " minus ",
    "+": " plus ",
    "%": " percent ",
}


def c_identifier(text: str) -> str:
    """A name in lower case, letters, digits and underscores."""
    for sign, spelt in _SPELT.items():
        text = text.replace(sign, spelt)
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "_", plain).strip("_") or "x"


def c_identifiers(names: Iterable[str]) -> dict[str, str]:
    """An identifier for each name; names that come out alike are numbered."""
    identifiers: dict[str, str] = {}
    taken: set[str] = set()
    for name in names:
        plain = wanted = c_identifier(name)
        number = 2
        while wanted in taken:
            wanted = f"{plain}_{number}"
            number += 1
        taken.add(wanted)
        identifiers[name] = wanted
    return identifiers


def c_comment(text: str) -> str:
    """Text that can stand in a comment."""
    return text.replace("*/", "* /").replace("/*", "/ *").replace("\n", " ").replace("\\", "\\\\")


def c_string(text: str) -> str:
    """Text as a C string literal, in UTF-8; nothing in it can end the literal."""
    out = ['"']
    for byte in text.encode("utf-8"):
        character = chr(byte)
        if character in '"\\?':
            out.append("\\" + character)
        elif 32 <= byte < 127:
            out.append(character)
        else:
            out.append(f"\\{byte:03o}")
    return "".join(out) + '"'
