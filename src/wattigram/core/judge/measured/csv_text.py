"""Figures and curves as text with commas, for spreadsheets and scripts."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from itertools import zip_longest

from wattigram.core.judge.measured.figures import Measured

FIGURE_COLUMNS = ("title", "value", "uncertainty_k2", "unit", "predicted", "bound", "note")


def figures_csv(measured: Measured) -> str:
    """A row a figure; empty where nothing finite is known."""
    rows = [figure.data() for figure in measured.figures]
    return _text(FIGURE_COLUMNS, ([row[name] for name in FIGURE_COLUMNS] for row in rows))


def curve_csv(measured: Measured) -> str:
    """A column for each list of the curve, in full; shorter ones end in empty cells."""
    return _text(measured.curve, zip_longest(*measured.curve.values(), fillvalue=""))


def _text(head: Iterable[str], rows: Iterable[Iterable[object]]) -> str:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(head)
    writer.writerows(rows)
    return out.getvalue()
