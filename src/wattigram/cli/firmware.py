"""``wattigram firmware``: C of a design, and its build."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import click
import msgspec

from wattigram.core.base.errors import FirmwareError
from wattigram.core.firmware import (
    WHAT_TO_INSTALL,
    BuildResult,
    build_firmware,
    find_compiler,
    tables_header,
    write_firmware,
)
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.silicon.registers import design_writes

TABLES = "wg_tables.h"


@click.command("firmware")
@click.argument("project", type=click.Path(path_type=Path))
@click.option(
    "--out",
    "out",
    type=click.Path(path_type=Path),
    required=True,
    help="Folder for the C files; made where it is missing.",
)
@click.option("--build", "build", is_flag=True, help="Build it with the cross compiler.")
@click.option(
    "--compiler",
    "compiler",
    default="",
    show_default=True,
    help="Compiler to use instead of arm-none-eabi-gcc.",
)
@click.option("--tables", "tables", is_flag=True, help="Only constants and tables, as one header.")
@click.option(
    "--drop-hooks", "drop_hooks", is_flag=True, help="Write even where own code loses a hook."
)
@click.option(
    "--link",
    "link",
    default="",
    metavar="LINK",
    help="What port.c begins with to carry bytes: a UART, “UART 1@115200”, or usb; else what the part has.",
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON for scripts.")
def firmware(
    project: Path,
    out: Path,
    build: bool,
    compiler: str,
    tables: bool,
    drop_hooks: bool,
    link: str,
    as_json: bool,
) -> None:
    """Write a design's firmware, and build it; exit status 1 when the build fails.

    PROJECT: Project file, or the folder that holds it.
    """
    workspace = open_workspace(project)
    if tables:
        _write_tables(workspace, out, as_json)
        return
    written = write_firmware(workspace, out, drop_hooks, link)
    result: BuildResult | None = None
    if build:
        compiler_path = find_compiler(compiler)
        if compiler_path is None:
            raise FirmwareError("There is no cross compiler on this machine.", cure=WHAT_TO_INSTALL)
        on_line = (lambda _line: None) if as_json else (lambda line: click.echo(line, err=True))
        result = build_firmware(out, workspace.part, compiler_path, on_line)
    if as_json:
        values = {
            key: value for key, value in msgspec.structs.asdict(written).items() if key != "folder"
        }
        values |= {
            "folder": str(out),
            "build_mark": workspace.build_id,
            "registers": _registers(workspace),
        }
        if result is not None:
            values["build"] = _build_values(workspace, result)
        click.echo(json.dumps(values, indent=2, ensure_ascii=False))
    else:
        click.echo(
            f"{out}: {len(written.new)} files new, {len(written.changed)} changed, "
            f"{len(written.same)} as they were, "
            f"{len(written.kept)} of your own kept"
        )
        for note in written.notes:
            click.echo(f"note: {note}", err=True)
        if result is not None:
            click.echo(_build_text(workspace, result))
    raise click.exceptions.Exit(1 if result is not None and result.elf is None else 0)


def _write_tables(workspace: Workspace, out: Path, as_json: bool) -> None:
    text = tables_header(workspace)
    try:
        out.mkdir(parents=True, exist_ok=True)
        (out / TABLES).write_text(text, encoding="utf-8")
    except OSError as fault:
        raise FirmwareError(
            f"The tables cannot be written: {fault.strerror}.", where=str(out)
        ) from fault
    said = json.dumps(
        {"folder": str(out), "new": [TABLES], "build_mark": workspace.build_id}, indent=2
    )
    click.echo(said if as_json else f"{out / TABLES}: {len(text.splitlines())} lines")


def _registers(workspace: Workspace) -> list[dict[str, Any]]:
    """The ordered register writes, with what each is for."""
    return [
        {
            "address": f"{write.address:#010x}",
            "register": f"{write.at.owner} {write.at.name}"
            if write.at is not None
            else "interrupt lines",
            "value": f"{write.value:#x}" if write.symbol is None else str(write.symbol),
            "step": write.step.title,
            "reason": write.step.reason,
            "settings": [field.setting.name for field in write.fields] or ["line"],
        }
        for write in design_writes(workspace)
    ]


def _build_values(workspace: Workspace, result: BuildResult) -> dict[str, Any]:
    memory = workspace.part.memory
    return {
        "elf": None if result.elf is None else str(result.elf),
        "errors": sum(1 for diagnostic in result.diagnostics if diagnostic.is_error),
        "warnings": result.warnings,
        "complaints": [msgspec.structs.asdict(diagnostic) for diagnostic in result.diagnostics],
        "code_bytes": result.code_bytes,
        "code_room_bytes": memory.code_bytes if memory else 0,
        "data_bytes": result.data_bytes,
        "data_room_bytes": memory.data_bytes if memory else 0,
        "seconds": round(result.seconds, 3),
    }


def _build_text(workspace: Workspace, result: BuildResult) -> str:
    if result.elf is None:
        errors = [diagnostic for diagnostic in result.diagnostics if diagnostic.is_error]
        return f"The build failed: {len(errors)} errors."
    memory = workspace.part.memory
    assert memory is not None
    return (
        f"{result.elf}: {result.code_bytes} of {memory.code_bytes} bytes of code, "
        f"{result.data_bytes} of {memory.data_bytes} bytes of data, {result.warnings} warnings"
    )
