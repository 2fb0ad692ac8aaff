"""The simulated instrument as a process of its own, and our client against it and against worse."""

from __future__ import annotations

import socket
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from tests.patience import PATIENCE_S
from wattigram.core.base.errors import LinkError
from wattigram.core.capture.instrument import Instrument, apply_source, read_voltage
from wattigram.core.capture.instrument.client import parse_address
from wattigram.core.capture.instrument.simulated import IDENTITY, SimulatedInstrument
from wattigram.core.contract.shapes import TriangleShape
from wattigram.core.model.bench import (
    DcSource,
    FloatingInput,
    SignalGenerator,
    SineSource,
    Supply,
    Wiring,
)


@contextmanager
def simulated(*arguments: str) -> Iterator[str]:
    """The simulated instrument, started as people start it."""
    process = subprocess.Popen(
        [sys.executable, "-m", "wattigram.core.capture.instrument", "0", *arguments],
        stdout=subprocess.PIPE,
        text=True,
    )
    try:
        assert process.stdout is not None
        yield process.stdout.readline().strip()
    finally:
        process.terminate()
        process.communicate(timeout=PATIENCE_S)


def test_a_meter_is_read_and_a_generator_set() -> None:
    with simulated("1.2345") as address:
        assert read_voltage(address) == pytest.approx(1.2345, abs=1e-3)
    with simulated() as address:
        source = SineSource(offset_v=1.2, amplitude_v=0.4, frequency_hz=25)
        assert apply_source(address, source) == "SIN"
        with Instrument(address) as one:
            assert one.identity() == IDENTITY
            assert one.query("SOUR:FUNC?;FREQ?;VOLT?;VOLT:OFFS?;:OUTP?").split(";") == [
                "SIN",
                "2.500000000E+01",
                "8.000000000E-01",
                "+1.200000000E+00",
                "1",
            ]
            assert one.number("MEAS:VOLT:AC?") == pytest.approx(0.4 / 2**0.5, abs=1e-3)
        assert apply_source(address, DcSource(voltage_v=2.0)) == "DC"
        assert read_voltage(address) == pytest.approx(2.0, abs=1e-3)
        triangle = SignalGenerator(shape=TriangleShape(), amplitude_v=1.0, frequency_hz=100)
        assert apply_source(address, triangle) == "TRI"
        with pytest.raises(LinkError, match="floating"):
            apply_source(address, FloatingInput())
        with pytest.raises(LinkError, match="out of range"):
            apply_source(address, DcSource(voltage_v=100.0))


@pytest.mark.parametrize(
    ("line", "answer"),
    [
        ("*idn?", IDENTITY),
        ("syst:err?", '0,"No error"'),
        (":SYSTem:ERRor:NEXT?", '0,"No error"'),
        ("SYST:VERS?", "1999.0"),
        ("SOURce:VOLTage:OFFSet 1.5;OFFSet?", "+1.500000000E+00"),
        ("volt:offs 250 mV;offs?", "+2.500000000E-01"),
        ("FREQ 2 kHz;FREQ?", "2.000000000E+03"),
        ("FREQ MAX;FREQ?", "5.000000000E+07"),
        ("OUTP ON;OUTP?;:OUTPut:STATe OFF;STAT?", "1;0"),
        (
            "APPL:SIN 1000,2,0.5;:FREQ?;VOLT?;:VOLT:OFFS?",
            "1.000000000E+03;2.000000000E+00;+5.000000000E-01",
        ),
        ("*OPC?;*TST?", "1;0"),
        ("NONSENSE", None),
        ("NONSENSE?;*IDN?", IDENTITY),
        ("", None),
        (";;;", None),
        ("*RST;*CLS", None),
    ],
)
def test_headers_are_read_as_the_standard_has_them(line: str, answer: str | None) -> None:
    assert SimulatedInstrument().execute(line) == answer


@pytest.mark.parametrize(
    ("line", "error"),
    [
        ("FOO:BAR 1", "-113"),
        ("FREQ", "-109"),
        ("FREQ abc", "-104"),
        ("FREQ 5 parsec", "-131"),
        ("VOLT:OFFS 1e9", "-222"),
        ("FUNC COSINE", "-224"),
        ("OUTP MAYBE", "-224"),
        ("MEASX:VOLT?", "-113"),
        ("MEA:VOLT?", "-113"),
    ],
)
def test_faults_go_into_the_queue_and_the_status(line: str, error: str) -> None:
    one = SimulatedInstrument()
    assert one.execute(line) is None
    assert one.execute("*STB?") == "4"
    assert (one.execute("SYST:ERR?") or "").startswith(error)
    assert one.execute("SYST:ERR?") == '0,"No error"'
    assert int(one.execute("*ESR?") or 0) > 0


def test_garbage_breaks_nothing() -> None:
    with simulated() as address:
        host, port = parse_address(address)
        with socket.create_connection((host, port)) as raw:
            raw.sendall(bytes(range(256)) * 400 + b"\n" + b"A" * 50_000 + b"\n*IDN?\r\n")
            raw.settimeout(5)
            received = b""
            while IDENTITY.encode() not in received:
                received += raw.recv(65536)
        with Instrument(address) as again:
            assert again.identity() == IDENTITY


@pytest.mark.parametrize("text", ["", "host:0", "host:99999", "host:port", ":5025"])
def test_what_is_no_address_is_refused(text: str) -> None:
    with pytest.raises(LinkError):
        Instrument(text, timeout_s=0.2)


@pytest.mark.parametrize(
    ("reply", "message"),
    [
        (b"volts\n", "no number"),
        (b"9.91E37\n", "range"),
        (b"", "hung up"),
        (b"x" * 70_000, "without end"),
    ],
)
def test_an_instrument_that_misbehaves_is_a_sentence(reply: bytes, message: str) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:

        def serve() -> None:
            connection, _peer = server.accept()
            with connection:
                connection.recv(100)
                connection.sendall(reply)

        thread = threading.Thread(target=serve)
        thread.start()
        with pytest.raises(LinkError, match=message):
            read_voltage(f"127.0.0.1:{server.getsockname()[1]}")
        thread.join()


def test_an_instrument_that_is_silent_is_not_waited_for() -> None:
    with (
        socket.create_server(("127.0.0.1", 0)) as server,
        Instrument(f"127.0.0.1:{server.getsockname()[1]}", timeout_s=0.2) as one,
        pytest.raises(LinkError, match="does not answer"),
    ):
        one.identity()


def test_a_reading_makes_a_bench_supply() -> None:
    wiring = Wiring(
        pin="A2", source_resistance_ohm=10.0, source=DcSource(voltage_v=1.0, noise_v=0.001)
    )
    read = wiring.metered(1.23456789)
    assert read.source == Supply(voltage_v=1.235, meter_v=1.234568, noise_v=0.001)
    assert isinstance(read.metered(2.0).source, Supply)
    assert read.metered(2.0).source.voltage_v == 1.235  # type: ignore[union-attr]
