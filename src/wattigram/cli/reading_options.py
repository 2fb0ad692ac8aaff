"""Options that say what a recording of another tool does not say itself."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

import click

from wattigram.core.base.errors import QuantityError, WattigramError
from wattigram.core.base.quantity import parse_quantity
from wattigram.core.capture.recording import READERS, Reading
from wattigram.core.capture.recording.opening import WIDTHS

Function = TypeVar("Function", bound=Callable[..., Any])
SEPARATORS = {"comma": ",", "semicolon": ";", "tab": "\t", "space": " ", "bar": "|"}
DECIMALS = {"point": ".", "comma": ","}


class QuantityType(click.ParamType[float]):
    """A number with its unit, such as 10 kHz or 2.5 ms."""

    def __init__(self, unit: str) -> None:
        self.name = f"number in {unit}"
        self._unit = unit

    def convert(
        self, value: Any, param: click.Parameter | None, ctx: click.Context | None
    ) -> float:
        """The number in the unit itself."""
        if isinstance(value, float):
            return value
        try:
            return float(parse_quantity(str(value), self._unit))
        except QuantityError as fault:
            self.fail(str(fault), param, ctx)


RATE, TIME = QuantityType("Hz"), QuantityType("s")
_OPTIONS = (
    click.option("--format", "format_name", type=click.Choice([one.name for one in READERS]), help="What the file is."),
    click.option("--rate", type=RATE, help="Samples a second of each channel."),
    click.option("--numbers", type=click.Choice(list(WIDTHS)), help="Kind of raw numbers."),
    click.option("--channels", type=click.IntRange(1, 1024), default=1, help="Channels of raw numbers, in turn."),
    click.option("--big-endian", is_flag=True, help="Raw numbers begin with their highest byte."),
    click.option("--skip-bytes", type=click.IntRange(0), default=0, help="Bytes before the first raw number."),
    click.option("--separator", type=click.Choice(list(SEPARATORS)), help="Between the columns of a table."),
    click.option("--decimal", type=click.Choice(list(DECIMALS)), help="Decimal mark of a table."),
    click.option("--time-column", help="Column of a table that is the time."),
    click.option("--unit", help="Unit of all channels."),
    click.option("--scale", type=float, default=1.0, help="What a number is multiplied by."),
    click.option("--zero", type=float, default=0.0, help="Value at number zero."),
)  # fmt: skip


def reading_options(command: Function) -> Function:
    """Gives a command these options; it takes them as ``**said`` for :func:`reading_of`."""
    for option in reversed(_OPTIONS):
        command = option(command)
    return command


def reading_of(said: dict[str, Any]) -> Reading:
    """What was said."""
    try:
        return Reading(
            format=said["format_name"],
            rate_hz=said["rate"],
            number=said["numbers"],
            channels=said["channels"],
            big_endian=said["big_endian"],
            skip_bytes=said["skip_bytes"],
            separator=SEPARATORS.get(said["separator"] or ""),
            decimal=DECIMALS.get(said["decimal"] or ""),
            time_column=said["time_column"],
            unit=said["unit"],
            scale=said["scale"],
            zero=said["zero"],
        )
    except ValueError as fault:
        raise WattigramError(f"The recording cannot be read so: {fault}.") from fault


def signal_pairs(pairs: tuple[str, ...]) -> dict[str, str]:
    """Signals with the channels that they come from, as they were said: SIGNAL=CHANNEL."""
    found = {}
    for pair in pairs:
        signal, sign, channel = pair.partition("=")
        if not sign or not signal.strip() or not channel.strip():
            raise WattigramError(
                f"“{pair}” is no SIGNAL=CHANNEL.", cure='Write --map "Upper zone=column 1".'
            )
        found[signal.strip()] = channel.strip()
    return found
