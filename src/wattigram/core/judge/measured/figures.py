"""A figure, and a set of them."""

from __future__ import annotations

import math
from html import escape
from typing import Any, Literal

import msgspec

from wattigram.core.analysis import Estimate
from wattigram.core.base.quantity import format_si

Bound = Literal["", "at most", "at least"]
PLAIN_UNITS = frozenset({"dB", "dBFS", "bit", "LSB", "%", "°", "", "rad"})
"""Before which no prefix stands."""


EXACT = 1e-10
"""Share of a value below which its uncertainty is that of arithmetic."""


class Figure(msgspec.Struct, frozen=True):
    """One number that was measured.

    Attributes
    ----------
    key, title : str
        As scripts and people call it.
    value, sigma : float
        With its standard uncertainty; NaN where none is known.
    unit : str
    predicted : float or None
        What the design and the bench come to.
    bound : str
        The value is a limit, and the figure at most, or at least, that.
    note : str
    """

    key: str
    title: str
    value: float
    sigma: float
    unit: str
    predicted: float | None = None
    bound: Bound = ""
    note: str = ""

    @staticmethod
    def of(
        key: str,
        title: str,
        estimate: Estimate,
        unit: str,
        predicted: float | None = None,
        bound: Bound = "",
        note: str = "",
    ) -> Figure:
        """From a value with its uncertainty."""
        return Figure(key, title, estimate.value, estimate.sigma, unit, predicted, bound, note)

    @property
    def text(self) -> str:
        """The value with twice its standard uncertainty, as many digits as that leaves it."""
        if not math.isfinite(self.value):
            return (
                "–" if math.isnan(self.value) else ("∞ " if self.value > 0 else "−∞ ") + self.unit
            )
        is_unsure = math.isfinite(self.sigma) and self.sigma > EXACT * abs(self.value)
        digits = self._digits
        said = f"{self.bound} " if self.bound else ""
        said += shown(self.value, self.unit, digits)
        if is_unsure and not self.bound:
            said += f" ± {shown(2 * self.sigma, self.unit, 2)}"
        return said

    @property
    def predicted_text(self) -> str:
        """What was predicted; "" where nothing was."""
        return (
            "" if self.predicted is None else shown(self.predicted, self.unit, min(7, self._digits))
        )

    @property
    def _digits(self) -> int:
        """Of the value: as many as its uncertainty leaves, four where none is known."""
        is_unsure = math.isfinite(self.sigma) and self.sigma > EXACT * abs(self.value)
        if not is_unsure or not self.value or self.bound or not math.isfinite(self.value):
            return 4
        places = math.floor(math.log10(abs(self.value))) - math.floor(math.log10(2 * self.sigma))
        return min(9, max(2, 2 + places))

    def data(self) -> dict[str, Any]:
        """For scripts; None for what is not finite."""
        return {
            "key": self.key,
            "title": self.title,
            "value": _finite(self.value),
            "uncertainty_k2": _finite(2 * self.sigma),
            "unit": self.unit,
            "predicted": None if self.predicted is None else _finite(self.predicted),
            "bound": self.bound,
            "note": self.note,
        }


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None


def shown(value: float, unit: str, digits: int) -> str:
    """A number with its unit, in so many significant digits."""
    if unit in PLAIN_UNITS or unit.startswith("LSB"):
        number = f"{value:.{digits}g}"
        if "e" in number and 1e-4 < abs(value) < 1e9:
            number = f"{value:.0f}" if abs(value) >= 1 else f"{value:.{digits + 3}f}"
        return f"{number} {unit}".strip().replace("-", "−")
    return format_si(value, unit, digits)


class Measured(msgspec.Struct, frozen=True):
    """All figures of a stretch.

    Attributes
    ----------
    kind : str
    channels : tuple of str
    begin_s, end_s : float
        Of what was looked at.
    samples, missing : int
    figures : tuple of Figure
    notes : tuple of str
        How it came about, and what was left out.
    curve : dict of str → list of float
        What a plot shows, for scripts; empty where nothing does.
    """

    kind: str
    channels: tuple[str, ...]
    begin_s: float
    end_s: float
    samples: int
    missing: int
    figures: tuple[Figure, ...]
    notes: tuple[str, ...] = ()
    curve: dict[str, list[float]] = msgspec.field(default_factory=dict)

    def figure(self, key: str) -> Figure:
        """The figure of that key; raises ``KeyError``."""
        for figure in self.figures:
            if figure.key == key:
                return figure
        raise KeyError(key)

    def _repr_html_(self) -> str:
        """A table, where notebooks show it."""
        rows = "".join(
            f"<tr><td>{escape(one.title)}</td><td>{escape(one.text)}</td><td>{escape(one.predicted_text)}</td>"
            f"<td>{escape(one.note)}</td></tr>"
            for one in self.figures
        )
        head = "<tr><th>figure</th><th>measured (k = 2)</th><th>predicted</th><th></th></tr>"
        title = escape(f"{' → '.join(self.channels)}: {self.samples} samples")
        notes = "".join(f"<div>{escape(note)}</div>" for note in self.notes)
        return f"<div>{title}</div><table>{head}{rows}</table>{notes}"

    def data(self, *, curves: bool = False) -> dict[str, Any]:
        """For scripts."""
        told: dict[str, Any] = {
            "kind": self.kind,
            "channels": list(self.channels),
            "begin_s": self.begin_s,
            "end_s": self.end_s,
            "samples": self.samples,
            "missing": self.missing,
            "figures": [figure.data() for figure in self.figures],
            "notes": list(self.notes),
        }
        if curves:
            told["curve"] = self.curve
        return told
