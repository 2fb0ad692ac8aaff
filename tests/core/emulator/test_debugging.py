"""A stock debugger on the running image, and a take captured by polling memory."""

from __future__ import annotations

import re
import shutil
import socket
import subprocess
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import numpy as np
import pytest

from tests.core.firmware.compiled import built, needs_compiler
from tests.patience import PATIENCE_S
from wattigram.core.base.errors import LinkError, WattigramError
from wattigram.core.capture.session import record_run
from wattigram.core.capture.session.board_process import ImageBoardProcess
from wattigram.core.capture.take import open_take
from wattigram.core.capture.transport import Transport, open_transport
from wattigram.core.capture.transport.debug_client import DebugClient
from wattigram.core.contract.link.gdb_packets import PacketReader, decode_payload, encode_packet
from wattigram.core.emulator.board_setup import board_setup
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace

GDB = shutil.which("gdb-multiarch") or shutil.which("arm-none-eabi-gdb")


@pytest.fixture(scope="module")
def elf(kiln: Workspace, tmp_path_factory: pytest.TempPathFactory) -> Path:
    result = built(kiln, tmp_path_factory.mktemp("image"))
    assert result.elf is not None
    return result.elf


@pytest.fixture
def board(kiln: Workspace, elf: Path) -> Iterator[ImageBoardProcess]:
    with ImageBoardProcess(board_setup(kiln, 1), elf) as started:
        yield started


def debugger(elf: Path, *commands: str) -> str:
    assert GDB is not None
    arguments = [part for command in commands for part in ("-ex", command)]
    said = subprocess.run(
        [GDB, "-nx", "-batch", str(elf), *arguments],
        capture_output=True,
        text=True,
        timeout=PATIENCE_S,
        check=False,
    )
    return said.stdout + said.stderr


@needs_compiler
@pytest.mark.skipif(GDB is None, reason="no debugger on this machine")
def test_a_stock_debugger_stops_looks_and_goes_on(board: ImageBoardProcess, elf: Path) -> None:
    transport = started(board)
    said = debugger(
        elf,
        f"target remote :{board.ready['gdb']}",
        "print wg_chain_count",
        "break wg_chain_mark if chain == 1 && full == 0",  # the other mark calls it as its last act, and leaves no frame
        "continue",
        "print chain",
        "backtrace 2",
        "next",
        "print sizeof(wg_buffer_adc_1)",
        "print/x *(unsigned *)0x40020108",
        "set var wg_buffer_adc_2[0] = 4095",
        "print wg_buffer_adc_2[0]",
        "delete",
        "detach",
    )
    assert "$1 = 2" in said
    assert "wg_chain_mark (chain=1" in said or "chain=chain@entry=1" in said, said
    assert "wg_isr_dma_2" in said
    assert "= 1024" in said
    assert "= 0x257f" in said
    assert "= 4095" in said
    transport.command("query")
    answer = b""
    while b"running ticks=" not in answer:  # it runs on
        answer += transport.read()
    transport.close()


@needs_compiler
@pytest.mark.skipif(GDB is None, reason="no debugger on this machine")
def test_stepping_goes_from_instruction_to_instruction(board: ImageBoardProcess, elf: Path) -> None:
    transport = started(board)
    said = debugger(
        elf,
        f"target remote :{board.ready['gdb']}",
        "tbreak wg_chain_mark",
        "continue",
        "print/x $pc",
        "stepi",
        "print/x $pc",
        "stepi",
        "print/x $pc",
        "detach",
    )
    places = [int(line.split("= ")[1], 16) for line in said.splitlines() if line.startswith("$")]
    assert len(places) == 3, said
    assert places[0] < places[1] < places[2] <= places[0] + 8
    transport.close()


def started(board: ImageBoardProcess) -> Transport:
    """A link over which the board was started."""
    transport = open_transport(board.address)
    transport.command("start")
    while b"started build" not in transport.read():
        pass
    return transport


@needs_compiler
@pytest.mark.skipif(GDB is None, reason="no debugger on this machine")
def test_the_way_back_from_a_handler_is_seen_and_finished(
    board: ImageBoardProcess, elf: Path
) -> None:
    transport = started(board)
    said = debugger(
        elf,
        f"target remote :{board.ready['gdb']}",
        "tbreak wg_isr_dma_1",
        "continue",
        "backtrace",
        "finish",
        "backtrace 1",
        "detach",
    )
    transport.close()
    # Whatever the main loop was at is where the handler comes back to.
    seen = re.search(r"#1 +<signal handler called>\s+#2 +(.*?)\s+(#\d+ .*\s+)*#\d+ .*main \(", said)
    assert seen, said
    place = re.search(r"(\w+) \(", seen[1])
    assert place, said
    assert re.search(rf"#0 .*\b{place[1]} \(", said), said


@needs_compiler
@pytest.mark.skipif(GDB is None, reason="no debugger on this machine")
def test_a_variable_that_changes_stops_the_processor(board: ImageBoardProcess, elf: Path) -> None:
    transport = started(board)
    said = debugger(
        elf,
        f"target remote :{board.ready['gdb']}",
        "watch chain_states[0].next",
        "continue",
        "continue",
        "delete",
        "rwatch wg_chain_count",
        "continue",
        "delete",
        "awatch chain_states[0].done",
        "continue",
        "delete",
        "detach",
    )
    values = [int(text) for text in re.findall(r"(?:Old|New) value = (\d+)", said)]
    assert len(values) >= 4, said
    assert values[1] == values[2] == values[0] + 256
    assert values[3] == values[2] + 256
    assert said.count("wg_chain_mark (chain") >= 2
    assert "Hardware read watchpoint 2: wg_chain_count" in said
    assert "Value = 2" in said
    assert "Hardware access (read/write) watchpoint 3" in said
    transport.command("query")
    answer = b""
    while b"running ticks=" not in answer:
        answer += transport.read()
    transport.close()


@needs_compiler
def test_polling_memory_gives_a_take_with_exact_items(
    kiln: Workspace, elf: Path, tmp_path: Path
) -> None:
    with ImageBoardProcess(board_setup(kiln, 1), elf) as board:
        address = f"gdb:127.0.0.1:{board.ready['gdb']}"
        outcome = record_run(kiln, 0.6, tmp_path / "polled.h5", board=address, elf=elf)
    record_run(kiln, 1.0, tmp_path / "design.h5", fast=True)
    # How much polls see is the machine's affair; that it is right is ours.
    assert outcome.samples > 0
    with open_take(tmp_path / "polled.h5") as polled, open_take(tmp_path / "design.h5") as design:
        assert polled.build_id == kiln.build_id
        assert any("polls, at most" in line for line in polled.log)
        for stream in (0, 1):
            mine, other = polled.items(stream), design.items(stream)
            valid = np.ones(len(mine), dtype=bool)
            for gap in polled.gaps[polled.gaps["stream"] == stream]:
                valid[int(gap["first"]) : int(gap["first"] + gap["count"])] = False
            count = min(len(mine), len(other))
            assert np.array_equal(mine[:count][valid[:count]], other[:count][valid[:count]])
        rate = polled.cycle_rate_hz(kiln.project.chains[0])
        assert rate == pytest.approx(10_000, rel=2e-2)


@needs_compiler
def test_a_polled_take_is_judged_by_what_can_come_that_way(
    cured: Workspace, tmp_path: Path
) -> None:
    """Events and reduced values do not come, and that is no fault of the firmware; nor is what
    polls did not see."""
    elf = built(cured, tmp_path / "c").elf
    assert elf is not None
    with ImageBoardProcess(board_setup(cured, 1), elf) as board:
        address = f"gdb:127.0.0.1:{board.ready['gdb']}"
        record_run(cured, 2.6, tmp_path / "polled.h5", board=address, elf=elf)
    with open_take(tmp_path / "polled.h5") as take:
        assert take.is_polled
        proof = prove(cured, take)
    assert {verdict.outcome for verdict in proof.verdicts if verdict.kind == "threshold"} == {
        "open"
    }
    # How near its rate comes depends on how soon this machine lets the polls come.
    assert [
        one.text for one in proof.verdicts if one.outcome == "fails" and one.kind != "rate"
    ] == []
    assert not {cause.cause for cause in proof.causes} & {
        "stage-not-served",
        "events-not-told",
        "handler-too-slow",
    }
    assert any(
        "between polls" in verdict.note for verdict in proof.verdicts if verdict.kind == "rate"
    )


def test_an_address_without_an_image_is_refused(kiln: Workspace, tmp_path: Path) -> None:
    with pytest.raises(LinkError, match="--elf"):
        record_run(kiln, 0.1, tmp_path / "t.h5", board="gdb:localhost:3333")
    with pytest.raises(LinkError, match="no debug server"):
        record_run(kiln, 0.1, tmp_path / "t.h5", board="gdb:nowhere")


@contextmanager
def server(answer: Callable[[bytes], bytes | None]) -> Iterator[int]:
    """A debug server that answers each packet as it likes; None closes."""
    listener = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        connection, _address = listener.accept()
        with connection, suppress(OSError):  # the client may go at any time
            while data := connection.recv(4096):
                reply = answer(data)
                if reply is None:
                    return
                connection.sendall(reply)

    thread = threading.Thread(target=serve)
    thread.start()
    try:
        yield int(listener.getsockname()[1])
    finally:
        listener.close()
        thread.join(5)


@pytest.mark.parametrize(
    "reply",
    [
        b"",
        b"+",
        b"+$#00",
        b"+$E01#a6",
        b"+$zz#f4",
        b"+" + encode_packet(b"ff" * 5000),
        b"\x00" * 3000,
        b"+$OK#ff",
        b"$" + b"a" * 100_000,
    ],
    ids=[
        "silent",
        "acks only",
        "empty",
        "error",
        "no hex",
        "too much",
        "noise",
        "bad check",
        "continuous",
    ],
)
def test_a_hostile_debug_server_is_told_apart(reply: bytes) -> None:
    def answer(_data: bytes) -> bytes:
        return reply

    with server(answer) as port:
        try:
            client = DebugClient("127.0.0.1", port, timeout_s=0.3)
        except LinkError as fault:
            assert "127.0.0.1" in str(fault)
            return
        try:
            with pytest.raises(LinkError):
                client.read(0x20000000, 64)
        finally:
            client.close()


def test_a_server_that_closes_is_told() -> None:
    with server(lambda _data: None) as port, pytest.raises(LinkError):
        DebugClient("127.0.0.1", port, timeout_s=1.0)


def test_nobody_listens() -> None:
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = taken.getsockname()[1]
    with pytest.raises(LinkError, match="Nobody listens"):
        DebugClient("127.0.0.1", port)


def test_packets_survive_any_cut() -> None:
    payload = bytes(range(256))
    stream = b"+" + encode_packet(payload) + b"\x03" + encode_packet(b"OK") + b"$bad#00"
    for cut in range(1, len(stream)):
        reader = PacketReader()
        found = [*reader.feed(stream[:cut]), *reader.feed(stream[cut:])]
        assert found == [
            ("ack", b""),
            ("packet", payload),
            ("interrupt", b""),
            ("packet", b"OK"),
            ("spoilt", b""),
        ]
    assert decode_payload(b"0* ") == b"0000"


@needs_compiler
@pytest.mark.parametrize(
    "packet",
    [
        b"mffffffff,4",
        b"m20000000,zz",
        b"p99",
        b"P99=00000000",
        b"Gzz",
        b"Z0,zz,2",
        b"Z2,20000000",
        b"Z2,20000000,zz",
        b"z4,1,1x",
        b"Z9,0,0",
        b"X1,1",
        b"vX",
        b"qY",
    ],
)
def test_the_boards_own_server_takes_no_harm(board: ImageBoardProcess, packet: bytes) -> None:
    client = DebugClient("127.0.0.1", int(str(board.ready["gdb"])))
    assert client.ask(packet)[:1] in {b"E", b""}
    assert len(client.read(0x20000000, 16)) == 16
    client.close()


def test_an_image_for_another_project_is_told(kiln: Workspace, tmp_path: Path) -> None:
    (tmp_path / "x.elf").write_bytes(b"nothing")
    with pytest.raises(WattigramError):
        record_run(kiln, 0.1, tmp_path / "t.h5", board="gdb:127.0.0.1:1", elf=tmp_path / "x.elf")
