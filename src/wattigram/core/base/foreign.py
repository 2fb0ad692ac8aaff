"""Reading what others have written: whatever a reader raises becomes a sentence with file and
place."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator
from contextlib import contextmanager

from wattigram.core.base.errors import WattigramError


@contextmanager
def reading_foreign(
    error: type[WattigramError], what: str, where: str, cure: str = ""
) -> Iterator[None]:
    """Within it every exception of a library becomes ``error``: foreign bytes can make a parser
    raise anything.

    Errors of our own pass as they are. This is the one place where everything is caught.
    """
    try:
        yield
    except WattigramError:
        raise
    except RecursionError as fault:
        raise error(f"{what}: it is nested too deeply.", where=where, cure=cure) from fault
    except MemoryError as fault:
        raise error(
            f"{what}: it asks for more memory than there is.", where=where, cure=cure
        ) from fault
    except Exception as fault:
        raise error(f"{what}: {_reason(fault)}.", where=where, cure=cure) from fault


def _reason(fault: Exception) -> str:
    """The reader's own words, on one line; its kind where it has none."""
    number = getattr(fault, "strerror", None)
    text = " ".join(str(number or fault).split())[:200].rstrip(".")
    return visible_text(text) or type(fault).__name__


def visible_text(text: str) -> str:
    """Text with its control characters shown instead of obeyed: a terminal must not act on what a
    board says.

    Line feeds and tabs stay; others of U+0000 to U+001F and U+007F become their pictures (U+2400
    and on), and those
    that have none, such as marks that turn the direction of writing, U+FFFD.
    """
    if text.isprintable():
        return text
    return "".join(letter if letter in "\n\t" else _picture(letter) for letter in text)


def _picture(letter: str) -> str:
    code = ord(letter)
    if code < 0x20:
        return chr(0x2400 + code)
    if code == 0x7F:
        return "\u2421"
    return "\ufffd" if unicodedata.category(letter) in {"Cc", "Cf", "Cs", "Zl", "Zp"} else letter
