"""A simulated instrument: a generator whose output a meter of its own reads, spoken to in SCPI over
TCP."""

from __future__ import annotations

import math
import random
import re
import socketserver
from collections import deque
from collections.abc import Callable
from threading import Lock

import msgspec

IDENTITY = "Wattigram,Simulated bench instrument,0,1"
LONGEST_LINE = 4096
MOST_ERRORS = 20
NO_ERROR = '0,"No error"'
NOISE_V = 40e-6
FUNCTIONS = {
    "DC": "DC",
    "SIN": "SINUSOID",
    "SQU": "SQUARE",
    "TRI": "TRIANGLE",
    "RAMP": "RAMP",
    "NOIS": "NOISE",
}
LARGEST_V, HIGHEST_HZ = 60.0, 50e6


class _ScpiError(Exception):
    """An entry for the error queue."""


class SimulatedInstrument(msgspec.Struct):
    """The state that all connections share."""

    level_v: float | None = None
    """What the meter's input is wired to; its own generator where it is None."""
    function: str = "DC"
    frequency_hz: float = 1000.0
    amplitude_vpp: float = 0.1
    offset_v: float = 0.0
    unit: str = "VPP"
    is_on: bool = False
    status: int = 0
    enabled: int = 0
    service: int = 0
    errors: deque[str] = msgspec.field(default_factory=lambda: deque(maxlen=MOST_ERRORS))
    lock: Lock = msgspec.field(default_factory=Lock)
    _random: random.Random = msgspec.field(default_factory=lambda: random.Random(1))

    def execute(self, line: str) -> str | None:
        """Commands of one line; the answers of its queries joined by semicolons, None where there
        are none."""
        with self.lock:
            answers = []
            path = ""
            for part in filter(None, (piece.strip() for piece in line.split(";"))):
                try:
                    header, path = _full_header(part, path)
                    answer = self._one(header, part)
                except _ScpiError as fault:
                    self.errors.append(str(fault))
                    self.status |= 32 if str(fault).startswith("-1") else 16
                    continue
                if answer is not None:
                    answers.append(answer)
            return ";".join(answers) if answers else None

    def _one(self, header: str, part: str) -> str | None:
        argument = part.partition(" ")[2].strip()
        for pattern, handler in _COMMANDS:
            if pattern.fullmatch(header):
                return handler(self, argument)
        raise _ScpiError('-113,"Undefined header"')

    # --- what it does

    def reset(self) -> None:
        """As it is when switched on."""
        self.function, self.frequency_hz, self.amplitude_vpp = "DC", 1000.0, 0.1
        self.offset_v, self.unit, self.is_on = 0.0, "VPP", False

    def voltage(self, ac: bool) -> float:
        """What the meter reads: the mean, or the rms of what alternates."""
        noise = self._random.gauss(0.0, NOISE_V)
        if self.level_v is not None:
            return abs(noise) if ac else self.level_v + noise
        if not self.is_on:
            return abs(noise) if ac else noise
        if not ac:
            return self.offset_v + noise
        shares = {
            "DC": 0.0,
            "SIN": 1 / math.sqrt(8),
            "SQU": 0.5,
            "TRI": 1 / math.sqrt(12),
            "RAMP": 1 / math.sqrt(12),
        }
        return abs(self.amplitude_vpp * shares.get(self.function, 1 / 6) + noise)


def _full_header(part: str, path: str) -> tuple[str, str]:
    """The header with its path: what follows a semicolon begins where the command before it was."""
    header = part.split(" ")[0].upper()
    if header.startswith("*"):
        return header, path
    full = header[1:] if header.startswith(":") else path + header
    return full, full.rpartition(":")[0] + ":" if ":" in full else ""


def _number(text: str, low: float, high: float) -> float:
    words = {"MIN": low, "MINIMUM": low, "MAX": high, "MAXIMUM": high, "DEF": 0.0, "DEFAULT": 0.0}
    if not text:
        raise _ScpiError('-109,"Missing parameter"')
    if text.upper() in words:
        return words[text.upper()]
    match = re.fullmatch(
        r"\s*([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d{1,3})?)\s*([a-zA-Z]*)\s*", text
    )
    if match is None:
        raise _ScpiError('-104,"Data type error"')
    unit = match[2].upper()
    scale = {
        "": 1.0,
        "V": 1.0,
        "VPP": 1.0,
        "HZ": 1.0,
        "MV": 1e-3,
        "KHZ": 1e3,
        "MHZ": 1e6,
        "UV": 1e-6,
    }.get(unit)
    if scale is None:
        raise _ScpiError('-131,"Invalid suffix"')
    value = float(match[1]) * scale
    if not low <= value <= high:
        raise _ScpiError('-222,"Data out of range"')
    return value


def _whole(text: str) -> int:
    return int(_number(text, 0, 255))


def _set_function(instrument: SimulatedInstrument, text: str) -> None:
    wanted = text.upper()
    for short, long in FUNCTIONS.items():
        if wanted in {short, long}:
            instrument.function = short
            return
    raise _ScpiError('-224,"Illegal parameter value"' if text else '-109,"Missing parameter"')


def _set(name: str, low: float, high: float) -> Callable[[SimulatedInstrument, str], None]:
    return lambda one, text: setattr(one, name, _number(text, low, high))


def _set_output(instrument: SimulatedInstrument, text: str) -> None:
    states = {"ON": True, "1": True, "OFF": False, "0": False}
    if text.upper() not in states:
        raise _ScpiError('-224,"Illegal parameter value"' if text else '-109,"Missing parameter"')
    instrument.is_on = states[text.upper()]


def _set_unit(instrument: SimulatedInstrument, text: str) -> None:
    if text.upper() != "VPP":
        raise _ScpiError('-224,"Illegal parameter value"')
    instrument.unit = "VPP"


def _apply(instrument: SimulatedInstrument, function: str, text: str) -> None:
    parts = [part.strip() for part in text.split(",")] if text else []
    limits = ((1e-6, HIGHEST_HZ), (0.0, 2 * LARGEST_V), (-LARGEST_V, LARGEST_V))
    values = [_number(part, *limit) for part, limit in zip(parts, limits, strict=False)]
    instrument.function = function
    for name, value in zip(("frequency_hz", "amplitude_vpp", "offset_v"), values, strict=False):
        setattr(instrument, name, value)
    instrument.is_on = True


def _next_error(instrument: SimulatedInstrument, _text: str) -> str:
    return instrument.errors.popleft() if instrument.errors else NO_ERROR


def _clear(instrument: SimulatedInstrument, _text: str) -> None:
    instrument.errors.clear()
    instrument.status = 0


def _event_status(instrument: SimulatedInstrument, _text: str) -> str:
    value, instrument.status = instrument.status, 0
    return str(value)


def _status_byte(instrument: SimulatedInstrument, _text: str) -> str:
    return str(
        (4 if instrument.errors else 0) | (32 if instrument.status & instrument.enabled else 0)
    )


def _measure(ac: bool) -> Callable[[SimulatedInstrument, str], str]:
    return lambda one, _text: f"{one.voltage(ac):+.8E}"


def _nothing(_one: SimulatedInstrument, _text: str) -> None:
    return None


def _said(
    read: Callable[[SimulatedInstrument], object],
) -> Callable[[SimulatedInstrument, str], str]:
    return lambda one, _text: str(read(one))


def _pattern(header: str) -> re.Pattern[str]:
    """A header as the standard writes it: capitals are the short form, brackets may be left out."""
    optional = re.sub(r"\[:?(\w+):?\]", lambda match: f"<{match[0][1:-1]}>", header)
    out = ""
    for piece in re.split(r"(<[^>]*>)", optional):
        if piece.startswith("<"):
            out += f"(?:{_words(piece[1:-1])})?"
        else:
            out += _words(piece)
    return re.compile(out)


def _words(text: str) -> str:
    def word(match: re.Match[str]) -> str:
        whole = match[0]
        short = "".join(letter for letter in whole if letter.isupper())
        rest = whole[len(short) :].upper()
        return f"{short}(?:{rest})?" if rest else short

    return re.sub(r"[A-Z][A-Za-z]*", word, text.replace("?", r"\?").replace("*", r"\*"))


_Handler = Callable[[SimulatedInstrument, str], "str | None"]
_COMMANDS: list[tuple[re.Pattern[str], _Handler]] = [
    (_pattern(header), handler)
    for header, handler in (
        ("*IDN?", _said(lambda _one: IDENTITY)),
        ("*RST", lambda one, _text: one.reset()),
        ("*CLS", _clear),
        ("*OPC?", _said(lambda _one: 1)),
        ("*OPC", _nothing),
        ("*WAI", _nothing),
        ("*TST?", _said(lambda _one: 0)),
        ("*ESR?", _event_status),
        ("*ESE?", _said(lambda one: one.enabled)),
        ("*ESE", lambda one, text: setattr(one, "enabled", _whole(text))),
        ("*SRE?", _said(lambda one: one.service)),
        ("*SRE", lambda one, text: setattr(one, "service", _whole(text))),
        ("*STB?", _status_byte),
        ("SYSTem:ERRor[:NEXT]?", _next_error),
        ("SYSTem:VERSion?", _said(lambda _one: "1999.0")),
        ("MEASure[:SCALar]:VOLTage[:DC]?", _measure(ac=False)),
        ("MEASure[:SCALar]:VOLTage:AC?", _measure(ac=True)),
        ("CONFigure[:SCALar]:VOLTage[:DC]", _nothing),
        ("READ?", _measure(ac=False)),
        ("FETCh?", _measure(ac=False)),
        ("INITiate[:IMMediate]", _nothing),
        ("ABORt", _nothing),
        ("[SOURce:]FUNCtion[:SHAPe]?", _said(lambda one: one.function)),
        ("[SOURce:]FUNCtion[:SHAPe]", _set_function),
        ("[SOURce:]FREQuency?", _said(lambda one: f"{one.frequency_hz:.9E}")),
        ("[SOURce:]FREQuency", _set("frequency_hz", 1e-6, HIGHEST_HZ)),
        ("[SOURce:]VOLTage:UNIT?", _said(lambda one: one.unit)),
        ("[SOURce:]VOLTage:UNIT", _set_unit),
        ("[SOURce:]VOLTage:OFFSet?", _said(lambda one: f"{one.offset_v:+.9E}")),
        ("[SOURce:]VOLTage:OFFSet", _set("offset_v", -LARGEST_V, LARGEST_V)),
        ("[SOURce:]VOLTage?", _said(lambda one: f"{one.amplitude_vpp:.9E}")),
        ("[SOURce:]VOLTage", _set("amplitude_vpp", 0.0, 2 * LARGEST_V)),
        ("OUTPut[:STATe]?", _said(lambda one: int(one.is_on))),
        ("OUTPut[:STATe]", _set_output),
        ("APPLy:SINusoid", lambda one, text: _apply(one, "SIN", text)),
        ("APPLy:SQUare", lambda one, text: _apply(one, "SQU", text)),
        ("APPLy:RAMP", lambda one, text: _apply(one, "RAMP", text)),
        ("APPLy:DC", lambda one, text: _apply(one, "DC", text)),
    )
]


class _Connection(socketserver.StreamRequestHandler):
    """One client; lines in, lines out."""

    server: _Server

    def handle(self) -> None:
        while True:
            try:
                line = self.rfile.readline(LONGEST_LINE + 1)
            except OSError:
                return
            if not line:
                return
            if len(line) > LONGEST_LINE:
                with self.server.instrument.lock:
                    self.server.instrument.errors.append('-363,"Input buffer overrun"')
                while line and not line.endswith(b"\n"):
                    line = self.rfile.readline(LONGEST_LINE + 1)
                continue
            answer = self.server.instrument.execute(
                line.decode("ascii", "replace").strip("\r\n\0 \t")
            )
            if answer is not None:
                try:
                    self.wfile.write(answer.encode("ascii", "replace") + b"\n")
                except OSError:
                    return


class _Server(socketserver.ThreadingTCPServer):
    allow_reuse_address = True
    daemon_threads = True

    def __init__(self, address: tuple[str, int], instrument: SimulatedInstrument) -> None:
        super().__init__(address, _Connection)
        self.instrument = instrument


def serve(
    port: int = 0, level_v: float | None = None, ready: Callable[[int], None] = lambda port: None
) -> None:
    """Serve on the local machine until interrupted; ``ready`` is told the port."""
    with _Server(("127.0.0.1", port), SimulatedInstrument(level_v=level_v)) as server:
        ready(int(server.server_address[1]))
        server.serve_forever(poll_interval=0.1)
