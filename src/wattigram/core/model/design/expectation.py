"""Things that must hold of a take, as they stand in the project file."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.fields import (
    CountsOrZero,
    Every,
    Hertz,
    PositiveVolts,
    SecondsOrZero,
    Share,
    ShareOrZero,
    Volts,
    VoltsOrZero,
)
from wattigram.core.base.models import StrictModel
from wattigram.core.contract.figure_names import FIGURES, OF_A_STIMULUS, OF_TWO
from wattigram.core.model.design.mask import parse_mask
from wattigram.core.model.field_types import Name


class LevelExpectation(StrictModel):
    """The signal's mean is ``level_v`` ± ``within_v``."""

    kind: Literal["level"] = "level"
    signal: Name
    level_v: Volts
    within_v: VoltsOrZero


class SquareExpectation(StrictModel):
    """The signal goes between two levels, each ± ``within_v``."""

    kind: Literal["square"] = "square"
    signal: Name
    low_v: Volts
    high_v: Volts
    within_v: VoltsOrZero


class SineExpectation(StrictModel):
    """The signal is a sine; frequency, amplitude or rms of its alternating part are judged where
    given."""

    kind: Literal["sine"] = "sine"
    signal: Name
    frequency_hz: Hertz | None = None
    amplitude_v: PositiveVolts | None = None
    rms_v: PositiveVolts | None = None
    within: ShareOrZero


class NoiseExpectation(StrictModel):
    """What the signal scatters about its expected course is at most ``rms_v``."""

    kind: Literal["noise"] = "noise"
    signal: Name
    rms_v: PositiveVolts


class RedundantPairExpectation(StrictModel):
    """The signal and its twin differ by at most ``within_v``."""

    kind: Literal["redundant-pair"] = "redundant-pair"
    signal: Name
    within_v: PositiveVolts


class ThresholdExpectation(StrictModel):
    """The window's events come when design and bench say, each within ``within_s``.

    With ``low_v`` and ``high_v`` the limits are those of the job, whatever the design has: of the
    signal's only window,
    in its own volts.
    """

    kind: Literal["threshold"] = "threshold"
    signal: Name
    within_s: SecondsOrZero
    low_v: Volts | None = None
    high_v: Volts | None = None


class RateExpectation(StrictModel):
    """Every cycle of the signal's converter arrives, at a rate ± ``within``.

    ``rate_hz`` is what the job needs, in scans a second; without it the rate is the design's own,
    which then holds
    whatever it is. ``pauses`` says that stops are intended: the rate is that between them.
    """

    kind: Literal["rate"] = "rate"
    signal: Name
    within: ShareOrZero
    rate_hz: Hertz | None = None
    pauses: bool = False


class EdgesExpectation(StrictModel):
    """The comparator on the signal's pin gives at most ``most`` edges at each crossing."""

    kind: Literal["edges"] = "edges"
    signal: Name
    most: Annotated[int, Meta(ge=1, le=10_000)] = 1


class WaveformExpectation(StrictModel):
    """The signal follows its expected course, nearly every sample within ``within_v``; so does what
    its stage makes."""

    kind: Literal["waveform"] = "waveform"
    signal: Name
    within_v: PositiveVolts


class MaskExpectation(StrictModel):
    """The signal stays within a mask of one's own for a share of its samples; filtered values where there are
    any.

    ``points`` reads as :func:`~wattigram.core.model.design.mask.parse_mask` has it. The mask begins with the take, or
    where the signal crosses ``at_v``; it begins again every ``period_s``, or at the next crossing.
    """

    kind: Literal["mask"] = "mask"
    signal: Name
    points: Annotated[str, Meta(max_length=8192)]
    begins: Literal["start", "rising", "falling"] = "start"
    at_v: Volts | None = None
    period_s: Every | None = None
    share: Share = 1.0

    def __post_init__(self) -> None:
        try:
            mask = parse_mask(self.points)
        except QuantityError as fault:
            raise ValueError(f"{fault.message} {fault.cure}".strip()) from fault
        if (self.begins == "start") != (self.at_v is None):
            raise ValueError(
                "a mask that begins at a crossing needs the level that is crossed: say at."
                if self.at_v is None
                else "a mask that begins with the take crosses no level. Say begins: rising or falling."
            )
        if self.period_s is not None and self.period_s < mask.length_s * (1 - 1e-12):
            raise ValueError(
                "the mask is longer than its period. Shorten it, or begin it anew later."
            )
        if not 0 < self.share <= 1:
            raise ValueError("share must lie above 0 % and at most at 100 %.")


class PairExpectation(StrictModel):
    """A DAC swept into the signal's converter: offset, gain, INL and DNL of the pair stay within
    limits."""

    kind: Literal["pair"] = "pair"
    signal: Name
    offset_lsb: CountsOrZero = 8.0
    gain: ShareOrZero = 0.002
    inl_lsb: CountsOrZero = 4.0
    dnl_lsb: CountsOrZero = 1.0


class TripExpectation(StrictModel):
    """The comparator on the signal's pin trips at its two points, each ± ``within_v``, as a slow
    sweep finds them."""

    kind: Literal["trip"] = "trip"
    signal: Name
    within_v: PositiveVolts


class RouteExpectation(StrictModel):
    """Every value of a route arrives whole, in order and as it was; ``signal`` is the route's
    name."""

    kind: Literal["route"] = "route"
    signal: Name
    lost: ShareOrZero = 0.0
    """Share of the values that may be overwritten, repeated or torn."""


class ReactionExpectation(StrictModel):
    """Each effect of a reaction comes, at most ``within_s`` after the cause was held; ``signal`` is
    the reaction's name."""

    kind: Literal["reaction"] = "reaction"
    signal: Name
    within_s: SecondsOrZero


class TextExpectation(StrictModel):
    """Every line that a reaction sends reads as it should, with values within ``within_v``, and
    none is dropped; ``signal`` is the reaction's name."""

    kind: Literal["text"] = "text"
    signal: Name
    within_v: PositiveVolts


class FigureExpectation(StrictModel):
    """A figure that is measured lies between limits, in its own unit: SINAD, INL, jitter, settling, phase and all else
    that :data:`~wattigram.core.contract.figure_names.FIGURES` has.

    Of INL and DNL the size counts. ``other`` is the second signal of what takes two, ``stimulus`` what was put in
    for INL and DNL.
    """

    kind: Literal["figure"] = "figure"
    signal: Name
    measure: str
    figure: str
    at_least: float | None = None
    at_most: float | None = None
    input: Literal["raw", "filtered"] = "raw"
    other: Name | None = None
    stimulus: Literal["sine", "ramp"] | None = None
    begin_s: SecondsOrZero | None = None
    end_s: SecondsOrZero | None = None

    def __post_init__(self) -> None:
        known = FIGURES.get(self.measure)
        if known is None:
            raise ValueError(
                f"“{self.measure}” is nothing that is measured. Choose one of {', '.join(FIGURES)}."
            )
        if self.figure not in known:
            raise ValueError(
                f"“{self.figure}” is no figure of {self.measure}. Choose one of {', '.join(known)}."
            )
        if self.at_least is None and self.at_most is None:
            raise ValueError("nothing is expected of the figure. Give at_least, at_most or both.")
        if self.at_least is not None and self.at_most is not None and self.at_least > self.at_most:
            raise ValueError("at_least is above at_most. Exchange them.")
        if (self.measure in OF_TWO) != (self.other is not None):
            wants = "takes a second signal: say other" if self.other is None else "takes one signal"
            raise ValueError(f"{self.measure} {wants}.")
        if self.figure in OF_A_STIMULUS and self.stimulus is None:
            raise ValueError(f"{self.figure} needs what was put in. Say stimulus: sine or ramp.")

    @property
    def title(self) -> str:
        """As people call the figure."""
        return FIGURES[self.measure][self.figure][0]

    @property
    def unit(self) -> str:
        """Of the figure and its limits."""
        return FIGURES[self.measure][self.figure][1]


Expectation = (
    LevelExpectation
    | SquareExpectation
    | SineExpectation
    | NoiseExpectation
    | RedundantPairExpectation
    | ThresholdExpectation
    | RateExpectation
    | EdgesExpectation
    | WaveformExpectation
    | MaskExpectation
    | PairExpectation
    | TripExpectation
    | RouteExpectation
    | ReactionExpectation
    | TextExpectation
    | FigureExpectation
)
