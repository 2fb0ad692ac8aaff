"""What starts a converter."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from wattigram.core.base.fields import Every, Volts
from wattigram.core.base.models import StrictModel
from wattigram.core.model.field_types import Flag, Name, PinName

Edge = Literal["rising", "falling", "both"]
Register = Annotated[int, Meta(ge=0, le=1 << 32)]


class SoftwareTrigger(StrictModel):
    """The program starts it: ``asked``, each time that a reaction does; every ``period_s`` where that is
    given, the first at the start; else, with ``repeat``, each time the results have been fetched; else
    once only."""

    kind: Literal["software"] = "software"
    repeat: Flag = True
    period_s: Every | None = None
    asked: Flag = False

    def __post_init__(self) -> None:
        if self.asked and self.period_s is not None:
            raise ValueError(
                "what a reaction starts has no period of its own. Leave out one of the two."
            )

    @property
    def follows_itself(self) -> bool:
        """It is started again by whoever fetches its results."""
        return self.repeat and self.period_s is None and not self.asked


class FreeRunningTrigger(StrictModel):
    """It starts itself again as soon as it is done."""

    kind: Literal["free-running"] = "free-running"


class TimerTrigger(StrictModel):
    """A timer starts it every ``every``.

    The registers follow from that, value − 1; an engineer's own may be written instead.
    """

    kind: Literal["timer"] = "timer"
    timer: Name
    period_s: Every
    prescaler_register: Register | None = None
    period_register: Register | None = None


class EdgeTrigger(StrictModel):
    """An edge on a digital pin, at half the supply unless ``level_v`` says otherwise."""

    kind: Literal["edge"] = "edge"
    pin: PinName
    edge: Edge = "rising"
    level_v: Volts = 1.65


class ComparatorTrigger(StrictModel):
    """A comparator's output."""

    kind: Literal["comparator"] = "comparator"
    comparator: Name
    edge: Edge = "rising"


class ThresholdTrigger(StrictModel):
    """A window of another chain's signal: each time its condition begins to hold."""

    kind: Literal["threshold"] = "threshold"
    signal: Name
    threshold: Annotated[int, Meta(ge=1, le=8)] = 1


class FollowTrigger(StrictModel):
    """The very trigger of another converter, in step with it."""

    kind: Literal["converter"] = "converter"
    follows: Name


Trigger = (
    SoftwareTrigger
    | FreeRunningTrigger
    | TimerTrigger
    | EdgeTrigger
    | ComparatorTrigger
    | ThresholdTrigger
    | FollowTrigger
)
OwnTrigger = (
    SoftwareTrigger
    | FreeRunningTrigger
    | TimerTrigger
    | EdgeTrigger
    | ComparatorTrigger
    | ThresholdTrigger
)
