"""Routes: one peripheral's result moved to another's input by DMA, with no processor."""

from __future__ import annotations

from typing import Literal

from wattigram.core.base.fields import Every
from wattigram.core.base.models import StrictModel
from wattigram.core.model.field_types import Flag, Name

Width = Literal[8, 16, 32]
Order = Literal["little-endian", "big-endian"]


class ResultSource(StrictModel):
    """The result register of a converter; each conversion renews it, or only those of
    ``signal``."""

    kind: Literal["result"] = "result"
    converter: Name
    signal: Name | None = None


class ReceivedSource(StrictModel):
    """The byte that a UART has received."""

    kind: Literal["received"] = "received"
    uart: Name


class TableSource(StrictModel):
    """The items of a table, one after the other."""

    kind: Literal["table"] = "table"
    table: Name


class UartDestination(StrictModel):
    """The send register of a UART."""

    kind: Literal["send"] = "send"
    uart: Name


class DutyDestination(StrictModel):
    """The duty register of a PWM output."""

    kind: Literal["duty"] = "duty"
    pwm: Name


class PeriodDestination(StrictModel):
    """The period register of the timer of a PWM output."""

    kind: Literal["period"] = "period"
    pwm: Name


class DacDestination(StrictModel):
    """The data register of a DAC."""

    kind: Literal["dac"] = "dac"
    dac: Name


class RouteTimer(StrictModel):
    """A timer that starts transfers."""

    timer: Name
    period_s: Every


class Route(StrictModel):
    """A transfer that repeats.

    ``on`` says which event starts one: the source has something new, the sink has room, or a timer.
    A value goes in ``items`` transfers of ``source_bits`` to ``sink_bits``; with more than one,
    ``step`` makes the
    address on the wide side go up from transfer to transfer, and ``order`` says which byte comes
    first.
    """

    name: Name
    source: ResultSource | ReceivedSource | TableSource
    destination: UartDestination | DutyDestination | PeriodDestination | DacDestination
    channel: Name
    request: Literal["source", "destination", "timer"] = "source"
    timer: RouteTimer | None = None
    source_bits: Width = 16
    destination_bits: Width = 16
    transfers: Literal[1, 2, 4] = 1
    increment: Flag = True
    endianness: Order = "little-endian"
    destination_endianness: Order | None = None
    """Which byte the other end of a wire takes for the first; the same where it is None."""

    def __post_init__(self) -> None:
        if self.request == "timer" and self.timer is None:
            raise ValueError("a timer starts its transfers, and none is named. Add [routes.timer].")

    @property
    def expected_endianness(self) -> Order:
        """Which byte the other end takes for the first."""
        return self.destination_endianness or self.endianness
