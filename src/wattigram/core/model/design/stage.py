"""Reduce stages and threshold windows."""

from __future__ import annotations

from fractions import Fraction
from typing import TYPE_CHECKING, Annotated, Any, Literal

from msgspec import Meta

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.fields import (
    PositiveVolts,
    Seconds,
    VoltsOrZero,
    check_magnitude,
)
from wattigram.core.base.model_fields import FieldType
from wattigram.core.base.models import StrictModel
from wattigram.core.base.quantity import exact_text, parse_quantity
from wattigram.core.model.field_types import Flag, Name, PinName

Count = Annotated[int, Meta(ge=2, le=65536)]
Shift = Annotated[int, Meta(ge=0, le=31)]
RegisterBits = Literal[16, 24, 32]
By = Literal["software", "hardware"]
Condition = Literal["outside", "inside", "above", "below"]


class SumFilter(StrictModel):
    """``count`` samples added up; hardware repeats the slot, software adds over as many
    triggers."""

    kind: Literal["sum"] = "sum"
    count: Count
    shift: Shift = 0
    """Places to the right by which the sum is moved on purpose, as for a finer resolution."""
    accumulator_bits: RegisterBits = 32
    done_in: By = "software"

    @property
    def gain_ratio(self) -> Fraction:
        """What a code is multiplied by."""
        return Fraction(self.count, 1 << self.shift)

    @property
    def assumed_gain(self) -> float:
        """What the program takes a code to be multiplied by."""
        return float(self.gain_ratio)


class BlockAverage(StrictModel):
    """Block mean: ``count`` samples summed in a register of ``register_bits``, then shifted
    right."""

    kind: Literal["block-average"] = "block-average"
    count: Count
    shift: Shift
    accumulator_bits: RegisterBits = 32
    done_in: By = "software"

    @property
    def gain_ratio(self) -> Fraction:
        """What a true mean is multiplied by: count / 2^shift."""
        return Fraction(self.count, 1 << self.shift)

    @property
    def assumed_gain(self) -> float:
        """The program takes it for a true mean."""
        return 1.0


class MovingAverage(StrictModel):
    """The mean of the newest ``count`` samples, at every sample."""

    kind: Literal["moving-average"] = "moving-average"
    count: Count
    shift: Shift
    accumulator_bits: RegisterBits = 32
    done_in: By = "software"

    @property
    def gain_ratio(self) -> Fraction:
        """What a true mean is multiplied by: count / 2^shift."""
        return Fraction(self.count, 1 << self.shift)

    @property
    def assumed_gain(self) -> float:
        """The program takes it for a true mean."""
        return 1.0


class LowPassFilter(StrictModel):
    """First-order low-pass y += (x − y) / 2^shift, kept with ``shift`` more bits than the code."""

    kind: Literal["low-pass"] = "low-pass"
    shift: Annotated[int, Meta(ge=1, le=16)]
    accumulator_bits: RegisterBits = 32
    done_in: By = "software"

    @property
    def gain_ratio(self) -> Fraction:
        """It passes a level as it is."""
        return Fraction(1)

    @property
    def assumed_gain(self) -> float:
        """A level is a level."""
        return 1.0

    @property
    def count(self) -> int:
        """Samples over which it chiefly averages."""
        return 1 << self.shift


Stage = SumFilter | BlockAverage | MovingAverage | LowPassFilter


def rate_divisor(stage: Stage | None) -> int:
    """Samples that go into each value of a stage."""
    return stage.count if isinstance(stage, (SumFilter, BlockAverage)) else 1


class Code(float):
    """A limit said in codes of the stream that is compared, instead of volts."""


def _read_limit(value: Any, in_file: bool) -> float:
    """Volts, or codes as "0x7FF" or "2047 LSB"."""
    if isinstance(value, str):
        text = value.strip()
        if text.lower().startswith("0x"):
            return Code(int(parse_quantity(text, "")))
        if text.endswith("LSB"):
            return Code(float(parse_quantity(text, "LSB")))
        volts = parse_quantity(text, "V", unit_required=True)
        check_magnitude(volts, text, "V")
        return float(volts)
    is_number = isinstance(value, (float, int, Fraction)) and not isinstance(value, bool)
    if is_number and not in_file:
        return value if isinstance(value, Code) else float(value)
    raise QuantityError(
        f"{value!r} has no unit.", cure="Write volts such as 2.1 V, or codes such as 0x7FF."
    )


def limit_text(value: float) -> str:
    """A limit as it is written."""
    return exact_text(float(value), "LSB" if isinstance(value, Code) else "V")


if TYPE_CHECKING:
    Limit = float
else:
    Limit = FieldType("Limit", float, _read_limit, limit_text)


class Threshold(StrictModel):
    """Threshold window in the signal's own volts, or in codes.

    ``on`` says which stream is compared; with a target, fixed or another signal, its deviation from
    that.
    """

    name: Annotated[str, Meta(max_length=30)] = ""
    low: Limit
    high: Limit
    condition: Condition = "outside"
    input: Literal["raw", "filtered"] = "filtered"
    minus_v: VoltsOrZero | None = None
    minus_signal: Name | None = None
    hysteresis_v: VoltsOrZero = 0.0
    consecutive: Annotated[int, Meta(ge=1, le=1000)] = 1
    """So many values in a row, before the condition counts."""
    on: Literal["crossing", "every-result"] = "crossing"
    action: Literal["event", "stop"] = "event"
    done_in: By = "software"
    interrupt_enabled: Flag = True
    """Its interrupt is enabled."""
    rearm: Flag = True
    """After an event it is armed again."""
    rearm_after_s: Seconds | None = None
    """A chain that it stopped is started again after this; never where it is None."""

    @property
    def compares(self) -> tuple[bool, bool]:
        """Whether the lower, and whether the upper limit counts: one of them of a one-sided condition."""
        return self.condition != "above", self.condition != "below"

    @property
    def on_deviation(self) -> bool:
        """A deviation from a target is judged."""
        return self.minus_v is not None or self.minus_signal is not None

    @property
    def stops_for_good(self) -> bool:
        """An event stops the chain, and nothing starts it again."""
        return self.action == "stop" and self.rearm_after_s is None

    @property
    def pauses(self) -> bool:
        """An event stops the chain for a while."""
        return self.action == "stop" and self.rearm_after_s is not None and self.interrupt_enabled


class RedundantPair(StrictModel):
    """The same signal, taken by a second converter: a trip when they differ by more than
    ``within_v``."""

    paired_with: Name
    tolerance_v: PositiveVolts | None = None
    consecutive: Annotated[int, Meta(ge=1, le=1000)] = 1
    action: Literal["event", "stop"] = "event"


class Comparator(StrictModel):
    """A comparator on a signal's pin. ``threshold_v`` is set in steps of the part for an internal
    reference."""

    name: Name
    signal: Name
    against: Literal["internal", "dac", "pin"] = "internal"
    threshold_v: VoltsOrZero
    threshold_pin: PinName | None = None
    hysteresis_v: VoltsOrZero = 0.0
    edge: Literal["rising", "falling", "both"] = "both"
