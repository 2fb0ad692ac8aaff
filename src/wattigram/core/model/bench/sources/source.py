"""What every source of the bench is, and what it becomes at the pin."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from fractions import Fraction
from typing import Any, ClassVar, Protocol, Self, cast

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.models import StrictModel
from wattigram.core.contract.board_config import PinDrive

FloatArray = NDArray[np.float64]
Crossing = tuple[Fraction, bool]
"""Instant within the source's period, and whether it rises there."""


class Driven(Protocol):
    """What drives a pin in the end, everything on the way to it counted in."""

    @property
    def noise_v(self) -> float:
        """Noise, rms volts."""
        ...

    def at(self, times_s: FloatArray) -> FloatArray:
        """Noise-free open-circuit voltage.

        Parameters
        ----------
        times_s : (n,) float64, seconds since the board's start

        Returns
        -------
        (n,) float64, volts
        """
        ...

    @property
    def extent_v(self) -> tuple[float, float]:
        """Lowest and highest noise-free voltage."""
        ...

    @property
    def span_s(self) -> float:
        """A stretch of time in which the source shows what it does."""
        ...

    @property
    def slope_v_s(self) -> float:
        """Steepest slope without noise, in volts per second; infinite for steps."""
        ...

    def crossings(self, level_v: float) -> tuple[Fraction, tuple[Crossing, ...]] | None:
        """Period and where it crosses a level, without noise; None where it never does.

        What floats or stands still crosses nothing that could be relied on.
        """
        ...

    def filtered(self, poles_s: tuple[float, ...]) -> Driven:
        """Through first-order low-passes of these time constants."""
        ...

    def with_mains(self, amplitude_v: float, mains_hz: Fraction) -> Driven:
        """With mains on top of it."""
        ...

    def with_noise(self, noise_v: float) -> Driven:
        """With other noise."""
        ...

    def drive(self) -> PinDrive:
        """What the virtual board is told of it."""
        ...


class Surroundings(msgspec.Struct, frozen=True):
    """What a source may have to know of board and bench.

    Attributes
    ----------
    output : what one of the board's own pins plays, by the pin; None where nothing comes out of it
    output_pins, other_pins : pins on which something comes out; other pins that are wired
    board : what another project's board has on a pin, by the project and the pin; None where nothing
        comes out of it
    boards : outputs of the projects that lie beside this one
    """

    reference_v: float
    supply_v: float
    output: Callable[[str], Driven | None] = lambda pin: None
    output_pins: tuple[str, ...] = ()
    other_pins: tuple[str, ...] = ()
    board: Callable[[str, str], Driven | None] = lambda project, pin: None
    boards: Mapping[str, tuple[str, ...]] = msgspec.field(default_factory=dict)


class Choice(msgspec.Struct, frozen=True):
    """A field of a source that is one of some values, by what each is called."""

    label: str
    field: str
    options: Mapping[str, Any]


class SourceModel(StrictModel):
    """A source. Each has a file here, with all that is particular to it, and a line in the registry."""

    title: ClassVar[str] = ""
    """As it is called where one is chosen; a source without one is made otherwise."""
    labels: ClassVar[Mapping[str, str]] = {}
    """What its figures are called, in their order."""

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        """One with figures that make sense; raises :class:`QuantityError` where none can be made."""
        raise NotImplementedError

    def opened(self, around: Surroundings) -> Driven:
        """Before anything on the wire."""
        raise NotImplementedError

    def choices(self, around: Surroundings) -> tuple[Choice, ...]:
        """Fields that are no figures."""
        return ()

    def with_noise(self, noise_v: float) -> Self:
        """With other noise."""
        return self.unchecked(noise_v=noise_v)


class DrivenModel(SourceModel):
    """A source with a closed form: it drives the pin as it stands in the file."""

    def opened(self, around: Surroundings) -> Driven:
        return cast(Driven, self)

    def filtered(self, poles_s: tuple[float, ...]) -> Driven:
        """As it is: a level passes every low-pass, what floats states its hum at the pin, and a sweep
        is taken as slow."""
        return cast(Driven, self)

    def with_mains(self, amplitude_v: float, mains_hz: Fraction) -> Driven:
        """As it is: what floats has mains of its own, and a sweep is shown without."""
        return cast(Driven, self)


def placed_crossings(
    period_s: Fraction, shares: list[tuple[float, bool]]
) -> tuple[Fraction, tuple[Crossing, ...]]:
    """Crossings given as shares of a period, in their order and exactly within it."""
    placed = [
        (Fraction(share % 1).limit_denominator(10**12) * period_s, rising)
        for share, rising in shares
    ]
    return period_s, tuple(sorted(placed))
