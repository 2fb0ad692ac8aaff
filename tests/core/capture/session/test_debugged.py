"""Programs behind a debug server: addresses, what is refused, and what a stranger's program can
give."""

from __future__ import annotations

from pathlib import Path

import pytest

from wattigram.core.base.errors import FirmwareError, LinkError
from wattigram.core.capture.session import record_run
from wattigram.core.capture.session.debug_port import DebuggedPort, debugger_place
from wattigram.core.capture.session.memory_reader import read_memory
from wattigram.core.capture.session.port import debugger_of, open_port
from wattigram.core.capture.transport import Decoder
from wattigram.core.contract.image import load_image, memory_locations
from wattigram.core.contract.link import Frame
from wattigram.core.model.design import Workspace


@pytest.mark.parametrize(
    ("address", "place"),
    [
        ("gdb:localhost:3333", ("localhost", 3333, None)),
        ("gdb:10.0.0.7:1,/a/b c.elf", ("10.0.0.7", 1, Path("/a/b c.elf"))),
        ("gdb:::1:65535,x", ("::1", 65535, Path("x"))),
        ("gdb:board:4,", ("board", 4, None)),
    ],
)
def test_an_address_has_host_port_and_perhaps_an_image(
    address: str, place: tuple[str, int, Path | None]
) -> None:
    assert debugger_place(address) == place


@pytest.mark.parametrize(
    "address",
    ["gdb:", "gdb:host", "gdb:host:", "gdb:host:0", "gdb:host:65536", "gdb::3", "gdb:h:٣"],
)
def test_what_is_no_address_is_a_sentence(address: str) -> None:
    with pytest.raises(LinkError, match="Write gdb:HOST:PORT"):
        debugger_place(address)


def texts(port: DebuggedPort) -> list[str]:
    return [frame.text for frame in Decoder().feed(port.read()) if isinstance(frame, Frame)]


def test_a_strangers_program_gives_its_memory_and_nothing_else(
    kiln: Workspace, gdbserver: tuple[Path, int]
) -> None:
    program, number = gdbserver
    port = open_port(kiln, f"gdb:127.0.0.1:{number},{program}", looks_only=True)
    assert isinstance(port, DebuggedPort)
    assert port.read() == b""
    port.command("identify")
    assert "none of this program's firmware" in texts(port)[0]
    port.command("start ticks=5")
    assert texts(port) == ["stopped"]
    port.command("query")
    assert texts(port) == []
    client = debugger_of(port)
    assert client is not None
    wanted = tuple(
        memory_location
        for memory_location in memory_locations(load_image(program, looked_at=True))
        if memory_location.name in {"counter", "table"}
    )
    first = read_memory(client, wanted)
    table = next(one for one in wanted if one.name == "table")
    assert table.numbers(first["table"]).tolist() == [-1, 2, -3, 4]
    counter = next(one for one in wanted if one.name == "counter")
    while int(counter.numbers(read_memory(client, (counter,))["counter"])[0]) <= int(
        counter.numbers(first["counter"])[0]
    ):
        pass  # it goes on whenever it is not looked at
    port.close()
    port.close()


def test_a_strangers_program_is_no_board(
    kiln: Workspace, gdbserver: tuple[Path, int], tmp_path: Path
) -> None:
    program, number = gdbserver
    with pytest.raises(FirmwareError, match="no program for a 32-bit"):
        record_run(kiln, 0.1, tmp_path / "t.h5", board=f"gdb:127.0.0.1:{number}", elf=program)
    assert not (tmp_path / "t.h5").exists()


def test_other_ports_have_no_debugger(kiln: Workspace) -> None:
    with pytest.raises(LinkError, match="Nobody answers"):
        open_port(kiln, "tcp:127.0.0.1:1")
    with pytest.raises(LinkError, match="no board address"):
        open_port(kiln, "gdbx:127.0.0.1:1")
