"""A firmware folder: generated files come and go, own code stays."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import edited
from tests.core.firmware.compiled import needs_compiler, rebuilt
from wattigram.core.base.errors import FirmwareError
from wattigram.core.firmware import default_folder, lost_hooks, write_firmware
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import RemoveSignal, SetBufferLength, SetPeriod, SetSampling
from wattigram.core.model.design.workspace import join_workspace
from wattigram.core.model.part.sheet.draft import draft_of
from wattigram.core.model.part.sheet.register_edits import without_field

OWN = """#include "wg_hooks.h"

static uint32_t seen;

void wg_samples_upper_zone(const wg_samples *items)
{
    seen += items->count;
}
"""


def test_writing_twice_touches_nothing(kiln: Workspace, tmp_path: Path) -> None:
    first = write_firmware(kiln, tmp_path)
    assert {"wg_setup.c", "own.c", "port.c"} <= set(first.new)
    before = {path.name: path.stat().st_mtime_ns for path in tmp_path.iterdir()}
    again = write_firmware(kiln, tmp_path)
    assert (again.new, again.changed, again.removed) == ((), (), ())
    assert again.kept == ("own.c", "port.c")
    assert {path.name: path.stat().st_mtime_ns for path in tmp_path.iterdir()} == before


@needs_compiler
def test_own_code_outlives_twenty_regenerations(kiln: Workspace, tmp_path: Path) -> None:
    write_firmware(kiln, tmp_path)
    (tmp_path / "own.c").write_text(OWN)
    (tmp_path / "filter.c").write_text(
        "#include <stdint.h>\nuint32_t own_filter(void);\nuint32_t own_filter(void)\n{\n    "
        "return 7u;\n}\n"
    )
    port = (tmp_path / "port.c").read_text() + "\n/* mine */\n"
    (tmp_path / "port.c").write_text(port)
    workspace = kiln
    for number in range(20):
        workspace = edited(
            workspace,
            SetPeriod("ADC 1", f"{100 + 10 * number} us"),
            SetBufferLength("ADC 1", 256 + 8 * number),
            SetSampling("ADC 1", number % 4, (16, 32, 64)[number % 3]),
        )
        written = write_firmware(workspace, tmp_path)
        assert "wg_setup.c" in written.changed
        assert (tmp_path / "own.c").read_text() == OWN
        assert (tmp_path / "port.c").read_text() == port
        assert (tmp_path / "filter.c").exists()
    result = rebuilt(workspace, tmp_path)
    assert result.elf is not None, result.output
    assert result.diagnostics == ()


def test_a_signal_with_a_hook_is_not_taken_away_unasked(kiln: Workspace, tmp_path: Path) -> None:
    write_firmware(kiln, tmp_path)
    (tmp_path / "own.c").write_text(
        OWN + "/* wg_samples_door_latch( in a comment does not count */\n"
    )
    less = edited(kiln, RemoveSignal("Upper zone"))
    assert lost_hooks(less, tmp_path) == ("wg_samples_upper_zone",)
    before = (tmp_path / "wg_setup.c").read_text()
    with pytest.raises(FirmwareError, match="wg_samples_upper_zone"):
        write_firmware(less, tmp_path)
    assert (tmp_path / "wg_setup.c").read_text() == before
    assert "wg_setup.c" in write_firmware(less, tmp_path, drop_hooks=True).changed


def test_own_code_with_the_former_name_of_a_hook_is_told_the_new_one(
    kiln: Workspace, tmp_path: Path
) -> None:
    write_firmware(kiln, tmp_path)
    (tmp_path / "own.c").write_text(OWN.replace("wg_samples_upper_zone", "wg_items_upper_zone"))
    with pytest.raises(FirmwareError, match=r"write wg_samples_upper_zone\(const wg_samples"):
        write_firmware(kiln, tmp_path)


def test_files_of_somebody_else_are_not_overwritten(kiln: Workspace, tmp_path: Path) -> None:
    (tmp_path / "Makefile").write_text("all:\n")
    with pytest.raises(FirmwareError, match="Makefile would be overwritten"):
        write_firmware(kiln, tmp_path)
    assert sorted(path.name for path in tmp_path.iterdir()) == ["Makefile"]


def test_a_file_is_no_folder(kiln: Workspace, tmp_path: Path) -> None:
    (tmp_path / "x").write_text("")
    with pytest.raises(FirmwareError, match="no folder"):
        write_firmware(kiln, tmp_path / "x")


def test_files_that_are_made_no_longer_go(kiln: Workspace, tmp_path: Path) -> None:
    write_firmware(kiln, tmp_path)
    (tmp_path / "wg_old.c").write_text("int old;\n")
    assert write_firmware(kiln, tmp_path).removed == ("wg_old.c",)


def test_a_port_of_another_part_is_told(kiln: Workspace, tmp_path: Path) -> None:
    """Its registers for time and bytes are not there any more; one of your own that uses none of them fits."""
    assert write_firmware(kiln, tmp_path).notes == ()
    assert write_firmware(kiln, tmp_path).notes == ()
    less = without_field(draft_of(kiln.part), "System", "ticks-low").part()
    other = join_workspace(kiln.project, "x", less)
    (note,) = write_firmware(other, tmp_path).notes
    assert "which Marten M3 does not have" in note
    port = tmp_path / "port.c"
    text = port.read_text()
    port.unlink()
    assert "port.c" in write_firmware(other, tmp_path).new
    assert "wg_mailbox" in port.read_text()
    assert write_firmware(kiln, tmp_path).notes == ()  # the mailbox works on any part
    port.write_text(text.replace("SYSTEM_", "MY_"))
    assert write_firmware(other, tmp_path).notes == ()


def test_firmware_lies_beside_its_project() -> None:
    assert default_folder(Path("/a/kiln.wattigram.toml")) == Path("/a/kiln-firmware")
