"""C of a design: builds without a warning for both targets, says what it does, and nothing in a
name can break it."""

from __future__ import annotations

import re
import subprocess
from graphlib import TopologicalSorter
from pathlib import Path

import pytest

from tests.conftest import edited
from tests.core.firmware.compiled import IDS, built, host_complaints, needs_compiler, needs_cppcheck
from tests.core.silicon.registers.designs import random_workspace
from tests.paths import EXAMPLE_FILES
from wattigram.core.base.errors import FirmwareError, QuantityError, WattigramError
from wattigram.core.firmware import all_hooks, firmware_files, tables_header
from wattigram.core.firmware.c_names import c_comment, c_identifiers, c_string
from wattigram.core.firmware.hooks import event_hooks
from wattigram.core.firmware.setup_c import LINE_WIDE
from wattigram.core.firmware.tables import Tables
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.edits import RenameSignal, SetThreshold
from wattigram.core.silicon.registers import design_writes


@needs_compiler
@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=IDS)
def test_every_example_builds_for_both_targets_without_a_warning(
    path: Path, tmp_path: Path
) -> None:
    workspace = open_workspace(path)
    result = built(workspace, tmp_path)
    assert result.elf is not None, result.output
    assert result.diagnostics == ()
    memory = workspace.part.memory
    assert memory is not None
    assert 0 < result.code_bytes < memory.code_bytes
    assert 0 < result.data_bytes < memory.data_bytes
    assert host_complaints(tmp_path) == ""


@needs_cppcheck
@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=IDS)
def test_checkers_find_nothing(path: Path, tmp_path: Path) -> None:
    workspace = open_workspace(path)
    for name, text in {
        **firmware_files(workspace).generated,
        **firmware_files(workspace).once,
    }.items():
        (tmp_path / name).write_text(text)
    command = [
        "cppcheck",
        "--std=c11",
        "--enable=warning,portability,performance",
        "-q",
        "--error-exitcode=3",
        ".",
    ]
    said = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert said.returncode == 0, said.stderr
    assert host_complaints(tmp_path, "-fanalyzer") == ""


@needs_compiler
@pytest.mark.parametrize("seed", [3, 16, 29, 43])
def test_unseen_designs_build_without_a_warning(seed: int, tmp_path: Path) -> None:
    workspace = random_workspace(seed)
    try:
        result = built(workspace, tmp_path)
    except (WattigramError, QuantityError) as fault:
        pytest.fail(f"{fault}")
    assert result.elf is not None, result.output
    assert result.diagnostics == ()


def test_the_same_design_gives_the_same_bytes(kiln: Workspace) -> None:
    assert firmware_files(kiln) == firmware_files(kiln)


def test_every_register_write_of_the_design_stands_in_the_set_up_in_its_order(
    kiln: Workspace,
) -> None:
    setup = firmware_files(kiln).generated["wg_setup.c"].split("void wg_disable")[0]
    targets = re.findall(r"^    ([A-Z][A-Z0-9_]*(?:\(\d+u\))?) = ", setup, re.MULTILINE)
    wanted = [
        "WG_LINES_ENABLE(0u)"
        if write.at is None
        else f"{write.at.owner.upper().replace(' ', '_')}_{write.at.register.name}"
        + (f"({write.at.index}u)" if write.at.register.count > 1 else "")
        for write in design_writes(kiln)
    ]
    assert targets == wanted
    assert "BEAT" not in setup
    assert "COUNTS(9600u - 1u)" in setup
    assert setup.index("SCAN_MODE_TRIM;") < setup.index("patience--")


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=IDS)
def test_lines_are_no_longer_than_is_easily_read(path: Path) -> None:
    files = firmware_files(open_workspace(path)).generated
    setup = files["wg_setup.c"].splitlines()
    assert max(map(len, setup)) <= LINE_WIDE
    for name, text in files.items():
        assert not name.endswith((".c", ".h")) or max(map(len, text.splitlines())) <= 140, name


@needs_compiler
def test_names_cannot_leave_their_comments_or_strings(kiln: Workspace, tmp_path: Path) -> None:
    nasty = 'a */ int x; /* "b" \\ ??/ µΩ'
    renamed = edited(kiln, RenameSignal("Upper zone", nasty))
    workspace = Workspace(renamed.project.replaced(name='"; } */ ??/ \\'), renamed.part)
    result = built(workspace, tmp_path)
    assert result.elf is not None, result.output
    assert result.diagnostics == ()
    assert host_complaints(tmp_path) == ""


def test_c_text_is_escaped() -> None:
    assert c_string('a"b\\?µ') == '"a\\"b\\\\\\?\\302\\265"'
    assert "*/" not in c_comment("x */ y /* z")
    assert c_identifiers(["A b", "a B", "Öl ÷ 2"]) == {
        "A b": "a_b",
        "a B": "a_b_2",
        "Öl ÷ 2": "ol_div_2",
    }


def test_hooks_say_when_and_how_long(kiln: Workspace) -> None:
    hooks = {hook.name: hook for hook in all_hooks(Tables(kiln))}
    assert {"wg_samples_coil_current", "wg_samples_upper_zone"} <= set(hooks)
    assert hooks["wg_samples_coil_current"].budget == "6.400 ms"
    header = firmware_files(kiln).generated["wg_hooks.h"]
    assert all(name in header for name in hooks)


@needs_compiler
@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=IDS)
def test_tables_only_compile_by_themselves(path: Path) -> None:
    text = tables_header(open_workspace(path))
    flags = [
        "-std=c11",
        "-Wall",
        "-Wextra",
        "-Wpedantic",
        "-Wconversion",
        "-Wno-unused-const-variable",
    ]
    said = subprocess.run(
        ["gcc", *flags, "-c", "-x", "c", "-", "-o", "/dev/null"],
        input=text,
        capture_output=True,
        text=True,
        check=False,
    )
    assert said.returncode == 0, said.stderr
    assert said.stderr == ""
    assert "_CYCLE_TICKS" in text


def test_a_hook_of_a_window_says_what_it_looks_for(kiln: Workspace) -> None:
    def brief(**changes: object) -> str:
        window = kiln.project.signal("Upper zone").thresholds[0].replaced(**changes)
        tables = Tables(edited(kiln, SetThreshold("Upper zone", 0, window)))
        return next(hook.brief for hook in event_hooks(tables) if hook.about == "Upper zone")

    assert "“Upper zone outside 0.400 V to 2.100 V” began" in brief()
    assert "“Upper zone below 0.400 V, 3 times in a row” began" in brief(
        condition="below", consecutive=3
    )
    assert "“Upper zone minus 1.000 V above 2.100 V” began" in brief(condition="above", minus_v=1.0)
    assert "“Upper zone minus Coil current inside" in brief(
        condition="inside", minus_signal="Coil current"
    )


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=lambda path: path.parent.name)
def test_files_call_downward_only(path: Path) -> None:
    """No circle among the C files: each can be understood after those below it."""
    try:
        files = firmware_files(open_workspace(path)).generated
    except FirmwareError:
        pytest.skip("this part has no registers")
    sources = {name: text for name, text in files.items() if name.endswith(".c")}
    homes = {
        function: name
        for name, text in sources.items()
        for function in re.findall(r"^(?!static)[\w* ]+?\b(wg_\w+)\([^;]*?\)\s*\{", text, re.M)
    }
    calls = {
        name: {homes[call] for call in re.findall(r"\b(wg_\w+)\(", text) if call in homes} - {name}
        for name, text in sources.items()
    }
    assert calls["wg_main.c"] >= {"wg_run.c", "wg_link.c"}
    graph = TopologicalSorter(calls)
    graph.prepare()  # raises CycleError, with the circle
