"""Firmware without its registers, compiled for this machine with a board that a test plays."""

from __future__ import annotations

import subprocess
from pathlib import Path

from tests.patience import PATIENCE_S
from wattigram.core.firmware import write_firmware
from wattigram.core.firmware.compiler_flags import C_FLAGS
from wattigram.core.model.design import Workspace

STUBS = """
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include "wg_chain.h"
#include "wg_design.h"
#include "wg_control.h"
#include "wg_isr.h"
#include "wg_hooks.h"
#include "wg_port.h"
#include "wg_main.h"
#include "wg_run.h"
#include "wg_setup.h"
#include "wg_threshold.h"

void wg_setup(void) {}
void wg_disable(void) {}
void wg_poll_results(void) {}
void wg_put_code(uint32_t dac, uint16_t code) { (void)dac; (void)code; }
bool wg_newest(uint32_t source, uint32_t *code) { (void)source; *code = 0u; return false; }
bool wg_uart_has_room(uint32_t uart) { (void)uart; return false; }
void wg_uart_put(uint32_t uart, uint8_t byte) { (void)uart; (void)byte; }
void wg_control_trigger(uint32_t chain) { (void)chain; }
void wg_control_halt(uint32_t chain) { (void)chain; }
void wg_control_resume(uint32_t chain) { (void)chain; }

"""


def host_program(workspace: Workspace, folder: Path, board: str, heard: bytes = b"") -> bytes:
    """What the firmware says when it runs on this machine, with such a board, and has heard
    that."""
    write_firmware(workspace, folder)
    for left_out in ("port.c", "wg_setup.c", "wg_control.c", "wg_isr.c", "wg_start.c"):
        (folder / left_out).unlink()
    (folder / "board.c").write_text(STUBS + board)
    flags = [flag for flag in C_FLAGS if flag != "-ffreestanding"]
    sources = [path.name for path in sorted(folder.glob("*.c"))]
    checks = ["-fsanitize=address,undefined", "-fno-sanitize-recover=all"]
    done = subprocess.run(
        ["gcc", *flags, *checks, *sources, "-o", "program"],
        cwd=folder,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    ran = subprocess.run(
        [str(folder / "program")],
        input=heard,
        capture_output=True,
        timeout=PATIENCE_S,
        check=False,
        env={"ASAN_OPTIONS": "detect_leaks=0"},
    )
    assert ran.returncode == 0, ran.stdout[-500:] + ran.stderr
    return ran.stdout
