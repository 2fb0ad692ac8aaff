"""Building: errors at their line, warnings, what is missing, and Cancel."""

from __future__ import annotations

import stat
from pathlib import Path

import pytest

from tests.core.firmware.compiled import BUILD, built, needs_compiler, rebuilt
from wattigram.core.base.errors import FirmwareError
from wattigram.core.contract.image import Image, load_image, named_sizes
from wattigram.core.contract.image.elf import check_image
from wattigram.core.firmware import Compiler, build_firmware, find_compiler, write_firmware
from wattigram.core.firmware.build import diagnostics
from wattigram.core.model.design import Workspace


@needs_compiler
def test_an_error_is_told_at_its_line(kiln: Workspace, tmp_path: Path) -> None:
    write_firmware(kiln, tmp_path)
    (tmp_path / "own.c").write_text(
        '#include "wg_hooks.h"\nvoid wg_on_start(void)\n{\n    nothing();\n}\nint x = 3.5;\n'
    )
    result = rebuilt(kiln, tmp_path)
    assert result.elf is None
    assert not (tmp_path / "build" / "firmware.elf").exists()
    lines = {
        (diagnostic.file, diagnostic.line, diagnostic.kind) for diagnostic in result.diagnostics
    }
    assert ("own.c", 6, "warning") in lines
    assert any(file == "own.c" and line == 4 for file, line, _kind in lines)


@needs_compiler
def test_what_the_linker_misses_is_an_error(kiln: Workspace, tmp_path: Path) -> None:
    write_firmware(kiln, tmp_path)
    (tmp_path / "own.c").write_text(
        '#include "wg_hooks.h"\nvoid elsewhere(void);\nvoid wg_on_start(void)\n{\n    elsewhere();\n}\n'
    )
    result = rebuilt(kiln, tmp_path)
    assert result.elf is None
    assert any(
        diagnostic.is_error and "elsewhere" in diagnostic.text for diagnostic in result.diagnostics
    )


@needs_compiler
@pytest.mark.parametrize(
    ("room", "says", "largest"),
    [
        (
            {"data_bytes": 5000},
            "Data and stack do not fit: ",
            "Largest: wg_buffer_adc_1 1024 bytes",
        ),
        ({"code_bytes": 8000}, "The code does not fit: ", " bytes more than the 8000 of Marten M3"),
    ],
    ids=["data", "code"],
)
def test_what_does_not_fit_is_told_with_what_is_largest(
    room: dict[str, int], says: str, largest: str, kiln: Workspace, tmp_path: Path
) -> None:
    assert kiln.part.memory is not None
    small = kiln.part.unchecked(memory=kiln.part.memory.unchecked(**room))
    heard: list[str] = []
    write_firmware(Workspace(kiln.project, small), tmp_path)
    compiler = find_compiler()
    assert compiler is not None
    result = build_firmware(tmp_path, small, compiler, heard.append)
    assert result.elf is None
    assert len(result.diagnostics) == 1
    text = result.diagnostics[0].text
    assert text.startswith(says)
    assert largest in text
    assert text in heard
    assert result.diagnostics[0].is_error


def test_a_file_that_is_no_object_has_no_sizes(tmp_path: Path) -> None:
    (tmp_path / "x.o").write_bytes(b"\x7fELF but no more")
    assert named_sizes(tmp_path / "x.o") == []
    assert named_sizes(tmp_path / "none.o") == []


@needs_compiler
def test_cancel_ends_a_build(kiln: Workspace, tmp_path: Path) -> None:
    write_firmware(kiln, tmp_path)
    slow = tmp_path / "slow-compiler"
    slow.write_text("#!/bin/sh\nexec sleep 30\n")
    slow.chmod(slow.stat().st_mode | stat.S_IXUSR)
    asked: list[bool] = []

    def is_cancelled() -> bool:
        asked.append(True)
        return len(asked) > 5

    result = build_firmware(
        tmp_path, kiln.part, Compiler(str(slow), "slow"), is_cancelled=is_cancelled
    )
    assert result.cancelled
    assert result.elf is None
    assert result.seconds < 5


def test_a_compiler_that_is_not_there(tmp_path: Path) -> None:
    with pytest.raises(FirmwareError, match="no compiler"):
        find_compiler(str(tmp_path / "gcc"))
    broken = tmp_path / "broken"
    broken.write_text("#!/bin/sh\nexit 3\n")
    broken.chmod(broken.stat().st_mode | stat.S_IXUSR)
    with pytest.raises(FirmwareError, match="does not run"):
        find_compiler(str(broken))


def test_a_compiler_for_another_processor_is_refused_before_it_builds() -> None:
    with pytest.raises(FirmwareError, match="and the image is for an Arm Cortex-M core") as fault:
        find_compiler("gcc")
    assert "gcc-arm-none-eabi" in str(fault.value)


def test_an_empty_folder_is_not_built(kiln: Workspace, tmp_path: Path) -> None:
    with pytest.raises(FirmwareError, match="no C here"):
        build_firmware(tmp_path, kiln.part, Compiler("gcc", ""))


def test_lines_of_compilers_are_read() -> None:
    text = "a.c:3:5: error: no\nb.h:7: warning: hm\n/usr/bin/ld: cannot find x\nnothing to see\n"
    text += "gcc: error: unrecognized command-line option ‘-mthumb’\n"
    assert [
        (diagnostic.file, diagnostic.line, diagnostic.kind) for diagnostic in diagnostics(text)
    ] == [
        ("a.c", 3, "error"),
        ("b.h", 7, "warning"),
        ("", 0, "error"),
        ("", 0, "error"),
    ]


@needs_compiler
def test_an_image_knows_its_names_and_lines(kiln: Workspace, tmp_path: Path) -> None:
    result = built(kiln, tmp_path)
    assert result.elf is not None
    image = load_image(result.elf)
    address, size = image.symbols["wg_chain_mark"]
    assert image.function_at(address) == "wg_chain_mark"
    assert image.function_at(address + size - 2) == "wg_chain_mark"
    text = (tmp_path / "wg_chain.c").read_text().splitlines()
    file, _, line = image.line_at(address).partition(":")
    assert file == "wg_chain.c"
    assert any("void wg_chain_mark(" in one for one in text[int(line) - 2 : int(line)])
    loops = {name: size for name, (_address, size) in image.symbols.items() if size}
    assert loops["wg_buffer_adc_1"] == 2 * kiln.project.chains[0].buffer.samples


@pytest.mark.parametrize("content", [b"", b"\x7fELF", b"\x7fELF" + bytes(60), b"text"])
def test_what_is_no_image_is_refused(content: bytes, tmp_path: Path) -> None:
    (tmp_path / "x.elf").write_bytes(content)
    with pytest.raises(FirmwareError):
        load_image(tmp_path / "x.elf")
    with pytest.raises(FirmwareError):
        check_image(Image("x", content))


@needs_compiler
def test_a_build_compiles_what_has_changed(tmp_path: Path, kiln: Workspace) -> None:
    """Sources, headers of a folder further down and the objects themselves are looked at; a warning is
    seen again, and what was noted and cannot be read costs no more than time."""

    def compiled() -> list[str]:
        result = rebuilt(kiln, tmp_path)
        assert result.elf is not None, result.output
        lines = [line for line in result.output.splitlines() if " -c " in line]
        return [line.rpartition(" ")[2] for line in lines]

    write_firmware(kiln, tmp_path)
    (tmp_path / BUILD).mkdir()
    assert len(compiled()) > 10
    assert compiled() == []
    own, header = tmp_path / "own.c", tmp_path / "more things" / "limits.h"
    header.parent.mkdir()
    header.write_text("#define MINE 1\n")
    own.write_text(own.read_text() + '\n#include "more things/limits.h"\nint mine = MINE;\n')
    assert compiled() == ["own.c"]
    assert compiled() == []
    header.write_text("#define MINE 2\n")
    assert compiled() == ["own.c"]
    (tmp_path / "build" / "wg_crc.o").write_bytes(b"damaged")
    assert compiled() == ["wg_crc.c"]
    own.write_text(own.read_text() + "static int nobody_calls(void) { return 1; }\n")
    assert compiled() == compiled() == ["own.c"]
    (tmp_path / "build" / "objects.json").write_text("{")
    assert len(compiled()) > 10
