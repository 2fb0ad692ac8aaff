"""What can be drawn as strips on one time axis: a recording that is open, or a board that runs."""

from __future__ import annotations

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from wattigram.core.capture.recording import Block

FloatArray = NDArray[np.float64]


class Strip(Protocol):
    """One course of values."""

    @property
    def name(self) -> str:
        """Of its signal, or channel."""

    @property
    def stage(self) -> str:
        """“raw”, or “filtered”."""

    @property
    def index(self) -> int:
        """Of its colour and pattern."""

    @property
    def unit(self) -> str:
        """Of its values."""

    @property
    def rate_hz(self) -> float:
        """Samples a second."""

    @property
    def step(self) -> float | None:
        """What a code is worth, in the unit; None of what has no codes."""

    @property
    def weight(self) -> float:
        """How high its strip is, beside others."""

    @property
    def missing_s(self) -> tuple[tuple[float, float], ...]:
        """Stretches in which samples never came, (begin, end) of each in seconds."""

    def span(self) -> tuple[float, float]:
        """Extremes over all of it."""

    def number_at(self, seconds: float) -> int:
        """The sample nearest to an instant."""

    def samples(self, begin: int, end: int) -> Block:
        """Samples of some numbers."""

    def columns(
        self, begin_s: float, end_s: float, count: int
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """(times, lows, highs) in seconds and the unit; single samples, both extremes the same array, where there
        are fewer than columns."""


class Strips(Protocol):
    """Courses on one time axis."""

    @property
    def begin_s(self) -> float:
        """Of the time axis."""

    @property
    def end_s(self) -> float:
        """The newest instant."""

    @property
    def span_s(self) -> float:
        """From one to the other; never 0."""

    @property
    def grows(self) -> bool:
        """Whether more comes at its end."""

    @property
    def traces(self) -> tuple[Strip, ...]:
        """All of them."""

    def events(self, trace: Strip) -> tuple[FloatArray, NDArray[np.bool_]]:
        """Instants in seconds of events of its signal, and whether a condition began then."""

    def band(
        self, trace: Strip, begin_s: float, end_s: float, count: int
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """(times, lows, highs) of what is expected; nothing where no design expects any."""
