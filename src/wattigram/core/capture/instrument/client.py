"""A meter or generator over a TCP socket: common commands of IEEE 488.2, measurement and source
commands of SCPI-99."""

from __future__ import annotations

import math
import socket
import time
from types import TracebackType
from typing import Self

from wattigram.core.base.errors import LinkError
from wattigram.core.base.foreign import visible_text
from wattigram.core.model.bench import (
    DcSource,
    SignalGenerator,
    SineSource,
    SquareSource,
    Supply,
    TriangleSource,
)
from wattigram.core.model.bench.sources import Source

TIMEOUT_S = 3.0
LONGEST_REPLY = 64 * 1024
DEFAULT_PORT = 5025
"""Registered for SCPI over a raw socket."""
FUNCTIONS = {"sine": "SIN", "triangle": "TRI", "sawtooth": "RAMP", "pulse": "SQU", "noise": "NOIS"}
OVERFLOW = 9e37
"""What an instrument answers when the reading is beyond its range, and more."""


def parse_address(address: str) -> tuple[str, int]:
    """(host, port) of "scpi:HOST:PORT", "HOST:PORT" or "HOST"; raises :class:`LinkError`."""
    text = address.strip().removeprefix("scpi:")
    host, _, port = text.rpartition(":") if ":" in text else (text, "", str(DEFAULT_PORT))
    if (
        not host
        or not (port.isascii() and port.isdigit())
        or len(port) > 5
        or not 0 < int(port) < 65536
    ):
        raise LinkError(
            f"“{address[:60]}” is no address of an instrument.",
            cure="Write HOST:PORT, such as 10.0.0.7:5025.",
        )
    return host, int(port)


class Instrument:
    """One instrument; close it, or use it in a ``with`` statement."""

    def __init__(self, address: str, timeout_s: float = TIMEOUT_S) -> None:
        self.address = address
        host, port = parse_address(address)
        try:
            self._socket = socket.create_connection((host, port), timeout_s)
        except OSError as fault:
            raise LinkError(
                f"No instrument answers at {host}:{port}: {fault.strerror or fault}.",
                cure="Switch it on, and check its address.",
            ) from fault
        self._timeout_s = timeout_s
        self._socket.settimeout(timeout_s)
        self._left = b""

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self,
        kind: type[BaseException] | None,
        fault: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self.close()

    def close(self) -> None:
        """Let the instrument go."""
        self._socket.close()

    def write(self, command: str) -> None:
        """Send one line of commands.

        Raises :class:`LinkError` where it cannot be sent.
        """
        try:
            self._socket.sendall(command.encode("ascii", "replace") + b"\n")
        except OSError as fault:
            raise LinkError(
                f"The instrument at {self.address} is gone: {fault}.", cure="Connect again."
            ) from fault

    def query(self, command: str) -> str:
        """Send a query and wait for its line; raises :class:`LinkError` where none comes in
        time."""
        self.write(command)
        deadline = time.monotonic() + self._timeout_s
        while b"\n" not in self._left:
            try:
                self._socket.settimeout(
                    max(0.01, deadline - time.monotonic())
                )  # for the whole line, byte by byte
                more = self._socket.recv(4096)
            except TimeoutError as fault:
                raise LinkError(
                    f"The instrument at {self.address} does not answer {command}.",
                    cure="Is it one that speaks SCPI?",
                ) from fault
            except OSError as fault:
                raise LinkError(
                    f"The instrument at {self.address} is gone: {fault}.", cure="Connect again."
                ) from fault
            if time.monotonic() > deadline:
                raise LinkError(
                    f"The instrument at {self.address} does not finish its answer to {command}.",
                    cure="Is it one that speaks SCPI?",
                )
            if not more:
                raise LinkError(f"The instrument at {self.address} hung up.", cure="Connect again.")
            self._left += more
            if len(self._left) > LONGEST_REPLY:
                raise LinkError(
                    f"The instrument at {self.address} answers without end.",
                    cure="It may be no instrument.",
                )
        line, _, self._left = self._left.partition(b"\n")
        return visible_text(line.decode("ascii", "replace").strip())

    def identity(self) -> str:
        """Maker, model, serial number and version, as it says itself."""
        return self.query("*IDN?")

    def number(self, command: str) -> float:
        """The answer to a query as a number.

        Raises :class:`LinkError` where it is none.
        """
        text = self.query(command)
        try:
            value = float(text.split(",")[0])
        except ValueError as fault:
            raise LinkError(
                f"The instrument answers {command} with “{text[:40]}”, which is no number."
            ) from fault
        if not math.isfinite(value) or abs(value) > OVERFLOW:
            raise LinkError(
                "The reading is beyond the instrument's range.", cure="Choose a larger range."
            )
        return value

    def check(self) -> None:
        """Ask for an error; raises :class:`LinkError` with the instrument's own words."""
        answer = self.query("SYST:ERR?")
        if not answer.lstrip("+").startswith("0"):
            raise LinkError(
                f"The instrument refuses: {answer[:100]}.", cure="It may not know that function."
            )


def read_voltage(address: str) -> float:
    """A meter's DC voltage."""
    with Instrument(address) as meter:
        return meter.number("MEAS:VOLT:DC?")


def apply_source(address: str, source: Source) -> str:
    """Set a generator to what the bench says of a pin; the function that it was set to.

    Raises
    ------
    LinkError
        When it does not answer, refuses, or no generator can do such a thing.
    """
    match source:
        case DcSource(voltage_v=volts) | Supply(voltage_v=volts):
            function, settings = "DC", [f"SOUR:VOLT:OFFS {volts:.9g}"]
        case SineSource():
            function = "SIN"
            settings = _wave(source.amplitude_v, source.offset_v, float(source.frequency_hz))
        case TriangleSource():
            half_v = (source.to_v - source.from_v) / 2
            function, settings = (
                "TRI",
                _wave(abs(half_v), source.from_v + half_v, float(1 / source.period_s)),
            )
        case SquareSource():
            half_v = (source.high_v - source.low_v) / 2
            function, settings = (
                "SQU",
                _wave(abs(half_v), source.low_v + half_v, float(1 / source.period_s)),
            )
        case SignalGenerator() if source.shape.kind in FUNCTIONS:
            function = FUNCTIONS[source.shape.kind]
            settings = _wave(source.amplitude_v, source.offset_v, float(source.frequency_hz))
        case _:
            raise LinkError(
                f"No generator can be set to “{source.kind}”.",
                cure="Choose a level, a sine or another wave.",
            )
    with Instrument(address) as generator:
        generator.write("*CLS")
        for command in (f"SOUR:FUNC {function}", *settings, "OUTP ON"):
            generator.write(command)
        generator.check()
    return function


def _wave(amplitude_v: float, offset_v: float, hertz: float) -> list[str]:
    """SCPI's amplitude is peak to peak where VPP is the unit."""
    return [
        "SOUR:VOLT:UNIT VPP",
        f"SOUR:FREQ {hertz:.12g}",
        f"SOUR:VOLT {2 * amplitude_v:.9g}",
        f"SOUR:VOLT:OFFS {offset_v:.9g}",
    ]
