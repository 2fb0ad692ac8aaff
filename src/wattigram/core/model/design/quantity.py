"""What a signal's volts stand for: degrees, amperes, turns a minute."""

from __future__ import annotations

import re
from typing import Annotated

import numpy as np
from msgspec import Meta
from numpy.typing import NDArray

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.expression import Formula
from wattigram.core.base.fields import Volts
from wattigram.core.base.models import StrictModel
from wattigram.core.base.quantity import parse_quantity

FloatArray = NDArray[np.float64]
Unit = Annotated[
    str, Meta(min_length=1, max_length=12, pattern=r"^[^\s:=±,<>&]+( [^\s:=±,<>&]+)*$")
]
PLACES = 1001


class QuantityPoint(StrictModel):
    """What the quantity is at a voltage of the signal."""

    at: Volts
    value: float


class Quantity(StrictModel):
    """The quantity that a signal measures.

    Straight between ``points`` (volts of the signal, value) and on beyond them, or an ``expression`` of v, the
    signal's volts. ``within`` is by how much the sensor may be off, k = 2, the same for all its readings.
    """

    unit: Unit
    points: Annotated[tuple[QuantityPoint, ...], Meta(max_length=500)] = ()
    expression: str = ""
    within: Annotated[float, Meta(ge=0)] = 0.0

    def __post_init__(self) -> None:
        """Raise ``ValueError`` where it is not said, or said twice, or cannot be read both ways."""
        if bool(self.points) == bool(self.expression):
            raise ValueError("A quantity is said by points, or by an expression.")
        if self.expression:
            Formula(self.expression, "v")
            return
        if len(self.points) < 2:
            raise ValueError("A quantity needs two points at least.")
        volts, values = self._known
        if (
            not np.isfinite(volts).all()
            or not np.isfinite(values).all()
            or (np.diff(volts) <= 0).any()
        ):
            raise ValueError("The volts of a quantity's points must rise from one to the next.")
        steps = np.diff(values)
        if not ((steps > 0).all() or (steps < 0).all()):
            raise ValueError("The values of a quantity's points must all rise, or all fall.")

    @property
    def _known(self) -> tuple[FloatArray, FloatArray]:
        volts, values = np.array([(point.at, point.value) for point in self.points]).T
        return volts, values

    def of(self, volts: FloatArray) -> FloatArray:
        """Values of volts of the signal, (n,) each; NaN where there is none."""
        if self.expression:
            return Formula(self.expression, "v")(volts)
        at, values = self._known
        found = np.interp(volts, at, values)
        slopes = np.diff(values) / np.diff(at)
        found = np.where(volts < at[0], values[0] + (volts - at[0]) * slopes[0], found)
        found = np.where(volts > at[-1], values[-1] + (volts - at[-1]) * slopes[-1], found)
        return np.asarray(np.where(np.isfinite(volts), found, np.nan))

    def between(self, low_v: FloatArray, high_v: FloatArray) -> tuple[FloatArray, FloatArray]:
        """Lowest and highest values of stretches of volts, (n,) each."""
        first, last = self.of(low_v), self.of(high_v)
        return np.fmin(first, last), np.fmax(first, last)

    def is_readable(self, low_v: float, high_v: float) -> bool:
        """From one voltage to the other it has values that all rise, or all fall."""
        steps = np.diff(self.of(np.linspace(low_v, high_v, PLACES)))
        return bool((steps > 0).all() or (steps < 0).all())

    @property
    def text(self) -> str:
        """As :func:`read_quantity` reads it."""
        within = f" ± {self.within:g}" if self.within else ""
        if self.expression:
            return f"{self.unit} = {self.expression}{within}"
        points = ", ".join(f"{point.at:.12g} V = {point.value:.12g}" for point in self.points)
        return f"{self.unit}: {points}{within}"


def read_quantity(text: str) -> Quantity | None:
    """“°C: 0.5 V = 0, 2.5 V = 200 ± 1.5” or “A = 20 * (v - 1.65) ± 0.2”; None for nothing, or “none”.

    Raises
    ------
    QuantityError
        When it is neither.
    """
    cure = "Write “°C: 0.5 V = 0, 2.5 V = 200 ± 1.5” or “A = 20 * (v - 1.65)”."
    text = text.strip()
    if text in {"", "none"}:
        return None
    said, _, within = text.partition("±")
    try:
        off = float(within) if within.strip() else 0.0
        if match := re.fullmatch(r"([^:=]+):(.+)", said.strip()):
            points = []
            for part in match[2].split(","):
                volts, equals, value = part.partition("=")
                if not equals:
                    raise QuantityError(f"“{part.strip()[:40]}” is no point.", cure=cure)
                at = float(parse_quantity(volts.strip(), "V"))
                points.append(QuantityPoint(at=at, value=float(value)))
            return Quantity(unit=match[1].strip(), points=tuple(points), within=off)
        if match := re.fullmatch(r"([^:=]+)=(.+)", said.strip()):
            return Quantity(unit=match[1].strip(), expression=match[2].strip(), within=off)
    except ValueError as fault:
        why = fault.message if isinstance(fault, QuantityError) else str(fault)
        raise QuantityError(f"“{text[:60]}”: {why}", cure=cure) from fault
    raise QuantityError(f"“{text[:60]}” says no quantity.", cure=cure)
