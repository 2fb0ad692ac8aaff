"""Rows of numbers that another firmware sends, and which of their columns are which signals."""

from __future__ import annotations

from typing import Literal

from wattigram.core.base.fields import Hertz
from wattigram.core.base.models import StrictModel
from wattigram.core.contract.row_formats import BinaryFormat, ColumnName, TextFormat


class SignalColumn(StrictModel):
    """The column of rows that a signal is: volts of the signal, or codes of its converter."""

    name: ColumnName
    reads: Literal["volts", "codes"] = "volts"


class RowsSetup(StrictModel):
    """How rows of other firmware are written: as lines of text, or as bytes.

    ``rate_hz`` is rows a second where no column is the time; without it they come as often as the design converts.
    """

    text: TextFormat | None = None
    binary: BinaryFormat | None = None
    rate_hz: Hertz | None = None

    def __post_init__(self) -> None:
        """Raise ``ValueError`` where both are said, or none."""
        if (self.text is None) == (self.binary is None):
            raise ValueError("Rows are text, or bytes. Say one of them.")

    @property
    def format(self) -> TextFormat | BinaryFormat:
        """How they are written."""
        form = self.text if self.text is not None else self.binary
        assert form is not None
        return form
