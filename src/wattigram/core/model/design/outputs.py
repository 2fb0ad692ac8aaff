"""What goes out: tables, generators on DACs, PWM, UARTs."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from wattigram.core.base.fields import Every, Seconds, Share, Volts, VoltsOrZero
from wattigram.core.base.models import StrictModel
from wattigram.core.contract.shapes import (
    IN_VOLTS,
    LONGEST_TABLE,
    ExpressionShape,
    Shape,
    shape_volts,
)
from wattigram.core.model.design.trigger import Register, TimerTrigger
from wattigram.core.model.field_types import Flag, Name


class WaveTable(StrictModel):
    """A wave in memory: ``cycles`` turns of a shape in ``points``.

    ``holds`` says what its items are: codes of the DAC, or millivolts that nobody turned into
    codes.
    ``beyond`` says what becomes of what does not fit.
    """

    name: Name
    points: Annotated[int, Meta(ge=2, le=LONGEST_TABLE)]
    periods: Annotated[int, Meta(ge=1, le=4096)] = 1
    amplitude_v: VoltsOrZero = 0.0
    offset_v: Volts = 0.0
    phase: Share = 0.0
    shape: Shape
    holds: Literal["codes", "millivolts"] = "codes"
    overflow: Literal["clip", "wrap"] = "clip"

    def __post_init__(self) -> None:
        if isinstance(self.shape, ExpressionShape):
            shape_volts(self.shape, self.points, self.periods, 0.0, 0.0, self.phase)

    @property
    def in_volts(self) -> bool:
        """The shape gives volts itself; amplitude and offset say nothing."""
        return isinstance(self.shape, IN_VOLTS)


class ConstantLevel(StrictModel):
    """A voltage that is written once."""

    kind: Literal["constant"] = "constant"
    voltage_v: Volts


class SoftwareRamp(StrictModel):
    """Software goes from one voltage to another in steps, and dwells on each.

    ``then``: it stays at the end, begins again, or goes back.
    """

    kind: Literal["ramp"] = "ramp"
    from_v: Volts
    to_v: Volts
    step_v: VoltsOrZero
    dwell_s: Seconds
    at_end: Literal["hold", "repeat", "reverse"] = "repeat"

    def __post_init__(self) -> None:
        if self.step_v <= 0:
            raise ValueError(
                "step is 0 V, and so the ramp never gets anywhere. Give one count or more."
            )
        if abs(self.to_v - self.from_v) / self.step_v > LONGEST_TABLE - 2:
            raise ValueError(f"the ramp has more than {LONGEST_TABLE - 2} steps. Make them larger.")


class GeneratorFollow(StrictModel):
    """The very trigger of another generator, in step with it."""

    kind: Literal["generator"] = "generator"
    follows: Name


class ChainFollow(StrictModel):
    """The very trigger of a converter's chain: one point for each of its triggers."""

    kind: Literal["chain"] = "chain"
    follows: Name


class Playback(StrictModel):
    """DMA plays a table, a point for each trigger; ``first`` is the point that it begins with.

    ``starts_with`` names a converter with whose first trigger it begins; else the program starts it
    when it
    gets there.
    """

    kind: Literal["table"] = "table"
    table: Name
    update_trigger: TimerTrigger | GeneratorFollow | ChainFollow
    channel: Name
    repeat: Flag = True
    start_index: Annotated[int, Meta(ge=0, le=LONGEST_TABLE)] = 0
    starts_with: Name | None = None


Output = ConstantLevel | SoftwareRamp | Playback


class Generator(StrictModel):
    """One DAC and what it puts out.

    ``double_buffered``: the trigger, and not the moment of the transfer, moves a code to the
    output.
    """

    name: Name
    dac: Name
    output: Output
    double_buffered: Flag = True
    buffered: Flag = True
    """Through the output buffer, which keeps away from the rails."""
    reference: Name | None = None
    """What its full scale is measured against, of those that the DAC can choose from."""


class PwmOutput(StrictModel):
    """A timer's pulse on a pin. ``preload``: a new duty waits for the next period; with ``whole`` it
    waits for all of its pieces too, where DMA writes it in several."""

    name: Name
    timer: Name
    period_s: Every
    duty: Share
    prescaler_register: Register | None = None
    period_register: Register | None = None
    preload: Flag = True
    whole: Flag = False

    def __post_init__(self) -> None:
        if self.whole and not self.preload:
            raise ValueError(
                "a duty that waits for all of its pieces waits for the next period, too. Set preload, or "
                "leave out whole."
            )
        if not 0 <= self.duty <= 1:
            raise ValueError("duty must lie between 0 % and 100 %.")


class UartSetup(StrictModel):
    """A serial port of the part. ``shows`` is how the desktop reads what leaves it."""

    name: Name
    baud: Annotated[int, Meta(ge=50, le=20_000_000)] = 115_200
    data_bits: Literal[7, 8, 9] = 8
    parity: Literal["none", "even", "odd"] = "none"
    stop_bits: Literal[1, 2] = 1
    shows: Literal["text", "binary"] = "binary"
