"""What a stream asks of a link, and the ports that there are."""

from __future__ import annotations

from types import SimpleNamespace

import pytest
import serial.tools.list_ports

from tests.cli.test_cli import wattigram
from wattigram.core.capture.session.link_load import overload_text, stream_bytes_hz
from wattigram.core.capture.take import Take
from wattigram.core.capture.transport import serial_ports
from wattigram.core.model.design import Workspace


def test_the_load_is_what_the_board_really_sends(cured: Workspace, take_of: object) -> None:
    take: Take = take_of(cured, 2.5)  # type: ignore[operator]
    sent = 0
    for stream in take.streams:
        rows = take.frame_rows(stream)
        sent += sum(int(count) for count in rows["count"]) * take.items(
            stream
        ).dtype.itemsize + 40 * len(rows)
    assert stream_bytes_hz(cured) == pytest.approx(sent / 2.5, rel=0.02)


def test_a_port_that_is_too_slow_is_told_before(kiln: Workspace) -> None:
    said = overload_text(kiln, "serial:/dev/ttyX@115200")
    assert "115200 baud carry 11.52 kB/s" in said
    assert "would lose 92 %" in said
    assert overload_text(kiln, "serial:/dev/ttyX@2000000") == ""
    assert overload_text(kiln, "tcp:localhost:1") == ""
    assert overload_text(kiln, "serial:/dev/ttyX@fast") == ""


def test_ports_say_what_they_are(monkeypatch: pytest.MonkeyPatch) -> None:
    found = [
        SimpleNamespace(
            device="/dev/ttyS0", description="n/a", manufacturer=None, serial_number=None
        ),
        SimpleNamespace(
            device="/dev/ttyACM0", description="Kiln board", manufacturer="Us", serial_number="12"
        ),
    ]
    monkeypatch.setattr(serial.tools.list_ports, "comports", lambda: found)
    assert [(serial_port.device, serial_port.text) for serial_port in serial_ports()] == [
        ("/dev/ttyACM0", "Kiln board, Us, no. 12"),
        ("/dev/ttyS0", ""),
    ]


def test_the_command_lists_them() -> None:
    done = wattigram("ports")
    assert done.returncode in {0, 1}
    assert ("serial:" in done.stdout) == (done.returncode == 0)
