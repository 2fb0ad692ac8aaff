"""The main loop as it meets interrupts at the worst moments, compiled for this machine with a port that plays them."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest

from wattigram.core.design import Workspace
from wattigram.core.firmware import write_firmware
from wattigram.core.firmware.flags import C_FLAGS

pytestmark = pytest.mark.skipif(shutil.which("gcc") is None, reason="no compiler on this machine")

BOARD = """
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include "wg_chain.h"
#include "wg_design.h"
#include "wg_handlers.h"
#include "wg_hooks.h"
#include "wg_port.h"
#include "wg_run.h"
#include "wg_setup.h"
#include "wg_watch.h"

static uint64_t now;
static uint32_t tally;
static int depth;
static int held_at_sleep;
static unsigned slept, frames, marks;
static unsigned mark_at_hold, event_at_hold, alarm_at_hold;
static uint32_t alarm_after;

static void interrupt(void)
{
    if (mark_at_hold != 0u && --mark_at_hold == 0u) {
        tally += 256u;
        marks++;
        wg_chain_mark(0u, marks % 2u == 0u, tally);
    }
    if (event_at_hold != 0u && --event_at_hold == 0u) {
        wg_watch_tell(0u, true, 7, now);
    }
    if (alarm_at_hold != 0u && --alarm_at_hold == 0u) {
        now += alarm_after;
    }
}

uint32_t wg_port_hold(void)
{
    if (depth == 0) {
        interrupt(); /* the last moment at which one may come */
    }
    return (uint32_t)depth++;
}

void wg_port_release(uint32_t before) { depth = (int)before; }
void wg_port_sleep(void) { slept++; held_at_sleep = depth; }
uint64_t wg_port_now(void) { return now; }
void wg_port_wake_after(uint32_t ticks) { alarm_after = ticks; }
uint32_t wg_port_receive(uint8_t *bytes, uint32_t most) { (void)bytes; (void)most; return 0u; }
void wg_port_send(const void *bytes, uint32_t count) { (void)bytes; frames += count > 200u; }

void wg_setup(void) {}
void wg_silence(void) {}
void wg_poll_results(void) {}
void wg_send_tails(void) { wg_chain_tail(0u, tally % 512u); }
void wg_put_code(uint32_t dac, uint16_t code) { (void)dac; (void)code; }
bool wg_newest(uint32_t source, uint32_t *code) { (void)source; *code = 0u; return false; }
bool wg_uart_has_room(uint32_t uart) { (void)uart; return false; }
void wg_uart_put(uint32_t uart, uint8_t byte) { (void)uart; (void)byte; }
void wg_run_trigger(uint32_t chain) { (void)chain; }
void wg_run_halt(uint32_t chain) { (void)chain; }
void wg_run_resume(uint32_t chain) { (void)chain; }

static unsigned events;
void wg_event_upper_zone(bool entered, int32_t value) { events += entered && value == 7; }

#define EXPECT(what) do { if (!(what)) { printf("line %d: %s\\n", __LINE__, #what); return 1; } } while (0)

int main(void)
{
    wg_run_start(0u);
    wg_run_step();
    EXPECT(slept == 1u);
    EXPECT(held_at_sleep == 1); /* whatever comes now is seen after waking */
    EXPECT(depth == 0);
    /* However late in a step something comes: what is not done in that step is not slept over. */
    for (unsigned when = 1u; when < 12u; when++) {
        const unsigned sent = frames;
        unsigned before = 0u;
        for (mark_at_hold = when; mark_at_hold != 0u;) {
            before = slept;
            wg_run_step();
        }
        EXPECT(frames > sent || slept == before);
        wg_run_step();
        EXPECT(frames > sent);
        EXPECT(wg_chain_items(0u) == tally);
        EXPECT(wg_chain_overruns(0u) == 0u);
    }
    for (unsigned when = 1u; when < 12u; when++) {
        const unsigned seen = events;
        unsigned before = 0u;
        for (event_at_hold = when; event_at_hold != 0u;) {
            before = slept;
            wg_run_step();
        }
        EXPECT(events > seen || slept == before);
        wg_run_step();
        EXPECT(events == seen + 1u);
    }
    for (unsigned when = 1u; when < 12u; when++) {
        unsigned before = 0u;
        tally = 0u;
        marks = 0u;
        wg_run_stop();
        wg_run_start(500u);
        wg_run_step();
        EXPECT(wg_run_is_on());
        EXPECT(alarm_after == 500u);
        for (alarm_at_hold = when; alarm_at_hold != 0u;) {
            before = slept;
            wg_run_step();
        }
        EXPECT(!wg_run_is_on() || slept == before); /* its end has come: look again */
        wg_run_step();
        EXPECT(!wg_run_is_on());
    }
    printf("%u frames, %u sleeps\\n", frames, slept);
    return 0;
}
"""


def host_program(workspace: Workspace, folder: Path, board: str) -> str:
    """What the firmware says when it runs on this machine with such a board."""
    write_firmware(workspace, folder)
    for left_out in ("port.c", "wg_setup.c", "wg_handlers.c", "wg_start.c"):
        (folder / left_out).unlink()
    (folder / "board.c").write_text(board)
    flags = [flag for flag in C_FLAGS if flag != "-ffreestanding"]
    sources = [path.name for path in sorted(folder.glob("*.c"))]
    checks = ["-fsanitize=address,undefined", "-fno-sanitize-recover=all"]
    done = subprocess.run(
        ["gcc", *flags, *checks, *sources, "-o", "program"], cwd=folder, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    ran = subprocess.run(
        [str(folder / "program")],
        capture_output=True,
        text=True,
        timeout=60,
        check=False,
        env={"ASAN_OPTIONS": "detect_leaks=0"},
    )
    assert ran.returncode == 0, ran.stdout + ran.stderr
    return ran.stdout


def test_nothing_is_slept_over(kiln: Workspace, tmp_path: Path) -> None:
    said = host_program(kiln, tmp_path / "c", BOARD)
    assert "frames" in said
    assert int(said.split()[0]) >= 11
