"""Types out of DWARF: what a C file declares is what can be looked at; a real debug server reads
it."""

from __future__ import annotations

import random
import subprocess
from pathlib import Path

import numpy as np
import pytest

from tests.core.firmware.compiled import CROSS, built, needs_compiler, rebuilt
from tests.paths import EXAMPLES
from wattigram.core.base.errors import FirmwareError
from wattigram.core.capture.transport.debug_client import DebugClient
from wattigram.core.contract.image import (
    CType,
    Image,
    MemoryLocation,
    load_image,
    memory_locations,
    variables,
)
from wattigram.core.contract.image.elf import check_image
from wattigram.core.firmware import write_firmware
from wattigram.core.firmware.compiler_flags import C_FLAGS, target_flags
from wattigram.core.firmware.memory_layout import NumberScale, buffer_layout, number_scales
from wattigram.core.model.design import Workspace, open_workspace

SOURCE = """
#include <stdbool.h>
#include <stdint.h>
enum colour { RED, GREEN };
typedef struct { uint8_t small; int32_t signed_one; float ratio; uint16_t row[3]; enum colour paint; } thing;
typedef uint32_t word;
volatile word counter = 7u;
const int16_t table[4] = {-1, 2, -3, 4};
uint32_t grid[2][3] = {{1u, 2u, 3u}, {4u, 5u, 6u}};
static thing things[2] = {{1u, -5, 0.5f, {7u, 8u, 9u}, GREEN}, {2u, 6, 1.5f, {1u, 2u, 3u}, RED}};
bool is_on = true;
thing *which = &things[1];
double precise = 2.25;
int main(void);
int main(void)
{
    for (;;) {
        counter = counter + things[0].small;
    }
}
"""


@pytest.fixture(scope="module")
def image(tmp_path_factory: pytest.TempPathFactory) -> Image:
    folder = tmp_path_factory.mktemp("types")
    (folder / "a.c").write_text(SOURCE)
    flags = [
        *C_FLAGS,
        *target_flags("cortex-m4"),
        "-nostdlib",
        "-Wl,-Ttext=0x8000000,-Tdata=0x20000000,-emain",
    ]
    subprocess.run([CROSS, *flags, "a.c", "-o", "a.elf"], cwd=folder, check=True)
    return load_image(folder / "a.elf")


@needs_compiler
def test_every_kind_of_variable_has_its_type(image: Image) -> None:
    types = {variable.name: variable.type for variable in variables(image)}
    assert (types["counter"].kind, types["counter"].size) == ("unsigned", 4)
    assert types["counter"].name == "word"
    assert (types["table"].kind, types["table"].count, types["table"].element) == (
        "array",
        4,
        CType("int16_t", "signed", 2),
    )
    assert types["grid"].count == 6
    assert types["is_on"].kind == "bool"
    assert types["which"].kind == "pointer"
    assert types["precise"].kind == "float"
    thing = types["things"].element
    assert thing is not None
    assert [(member.name, member.offset) for member in thing.members] == [
        ("small", 0),
        ("signed_one", 4),
        ("ratio", 8),
        ("row", 12),
        ("paint", 18),
    ]


@needs_compiler
def test_members_are_found_by_their_path(image: Image) -> None:
    found = {memory_location.name: memory_location for memory_location in memory_locations(image)}
    base = found["things[0].small"].address
    assert found["things[1].row"].address == base + 20 + 12
    assert found["things[1].row"].count == 3
    assert found["things[0].signed_one"].numbers(
        (-5).to_bytes(4, "little", signed=True)
    ).tolist() == [-5]
    assert found["things[0].ratio"].numbers(np.float32(0.5).tobytes()).tolist() == [0.5]
    assert found["things[0].paint"].type.kind == "unsigned"
    with pytest.raises(ValueError, match="table"):
        found["table"].numbers(b"\0\0")


@needs_compiler
def test_variables_know_their_files_and_those_left_out_are_not_offered(
    kiln: Workspace, tmp_path: Path
) -> None:
    write_firmware(kiln, tmp_path)
    (tmp_path / "own.c").write_text(
        '#include "wg_hooks.h"\n'
        "float unused = 0.25f;\n"
        "static uint32_t kept;\n"
        "volatile uint32_t mine;\n"
        "void wg_on_start(void)\n{\n    kept += mine;\n    mine = kept;\n}\n"
    )
    (tmp_path / "more.c").write_text(
        "#include <stdint.h>\nvolatile uint32_t *where(void);\nstatic volatile uint32_t kept;\n"
        "volatile uint32_t *where(void)\n{\n    return &kept;\n}\n"
    )
    own = (tmp_path / "own.c").read_text().replace("kept += mine;", "kept += mine + *where();")
    (tmp_path / "own.c").write_text("#include <stdint.h>\nvolatile uint32_t *where(void);\n" + own)
    result = rebuilt(kiln, tmp_path)
    assert result.elf is not None, result.output
    found = {
        memory_location.name: memory_location
        for memory_location in memory_locations(load_image(result.elf))
    }
    assert "unused" not in found
    assert found["mine"].file == "own.c"
    assert found["wg_buffer_adc_1"].file == "wg_design.c"
    assert {one.file for one in found.values() if one.name.startswith("kept")} == {
        "own.c",
        "more.c",
    }
    assert len({one.address for one in found.values() if one.name.startswith("kept")}) == 2


@needs_compiler
def test_a_loop_knows_its_signals_and_its_volts(kiln: Workspace, tmp_path: Path) -> None:
    result = built(kiln, tmp_path)
    assert result.elf is not None
    found = {
        memory_location.name: memory_location
        for memory_location in memory_locations(load_image(result.elf))
    }
    assert found["wg_buffer_adc_1"].count == 512
    look = buffer_layout(kiln, "wg_buffer_adc_1")
    assert look is not None
    assert [look.signal_at(index).name for index in (0, 1, 4, 511)] == [
        "Coil current",
        "Upper zone",
        "Coil current",
        "3.3 V rail",
    ]
    volts = look.volts(kiln, np.array([2048, 0, 1024, 2048, 4096], dtype=np.uint16))
    assert volts.tolist() == pytest.approx(
        [1.65, 0, 0.825, 3.3, 3.3]
    )  # the fourth behind a divider by two
    assert look.place == MemoryLocation("DMA 1 place", 0x40030010, CType("uint32_t", "unsigned", 4))
    assert buffer_layout(kiln, "wg_began") is None
    assert buffer_layout(kiln, "wg_buffer_other") is None


def test_numbers_stand_for_volts_by_the_scale_of_a_signal(kiln: Workspace) -> None:
    names = [(number_scale.signal, number_scale.reduced) for number_scale in number_scales(kiln)]
    assert names[:3] == [("Coil current", False), ("Upper zone", False), ("Upper zone", True)]
    codes = np.array([0, 2048, 4095], dtype=np.uint16)
    assert NumberScale("Upper zone").volts(kiln, codes).tolist() == pytest.approx(
        [0, 1.65, 4095 * 3.3 / 4096]
    )
    assert NumberScale("3.3 V rail", reduced=True).volts(
        kiln, codes[1:2]
    ).tolist() == pytest.approx([3.3])
    assert np.isnan(NumberScale("Lid").volts(kiln, codes)).all()


def test_a_difference_in_memory_keeps_its_sign() -> None:
    safety = open_workspace(EXAMPLES / "kiln-safety")
    pair = next(signal for signal in safety.project.signals if signal.negative is not None)
    below, above = NumberScale(pair.name).volts(safety, np.array([0xFFF0, 0x0010], dtype=np.uint16))
    assert below == pytest.approx(-above)
    assert above > 0


def test_a_real_debug_server_is_read(gdbserver: tuple[Path, int]) -> None:
    program, port = gdbserver
    listed = subprocess.run(["nm", str(program)], capture_output=True, text=True, check=True).stdout
    symbols = {
        line.split()[2]: int(line.split()[0], 16)
        for line in listed.splitlines()
        if len(line.split()) == 3
    }
    client = DebugClient("127.0.0.1", port)
    table = MemoryLocation("table", symbols["table"], CType("int16_t", "signed", 2), 4)
    assert table.numbers(client.read(table.address, table.size)).tolist() == [-1, 2, -3, 4]
    first = client.read_word(symbols["counter"])
    client.go()
    while True:  # it runs until it is seen to have counted
        client.halt()
        if client.read_word(symbols["counter"]) > first + 3:
            break
        client.go()
    client.write(symbols["counter"], (1000).to_bytes(4, "little"))
    assert client.read_word(symbols["counter"]) == 1000
    client.close()


@needs_compiler
def test_damaged_images_give_sentences_only(image: Image) -> None:
    """Bytes of headers, symbols, types and lines put wrong, many ways."""
    rng = random.Random(7)
    refused = 0
    for round_ in range(400):
        body = bytearray(image.content)
        for _ in range(rng.choice((1, 3, 20))):
            body[rng.randrange(len(body))] = rng.randrange(256)
        if round_ % 5 == 0:
            del body[rng.randrange(len(body)) :]
        damaged = Image("damaged.elf", bytes(body))
        try:
            check_image(damaged)
            damaged.sections, damaged.symbols  # noqa: B018 - read, not used
            damaged.place(0x0800_0010)
            memory_locations(damaged)
        except FirmwareError as fault:
            assert fault.message
            refused += 1
    assert refused > 40
