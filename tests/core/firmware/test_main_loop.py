"""The main loop as it meets interrupts at the worst moments, compiled for this machine with a port
that plays them."""

from __future__ import annotations

import random
import shutil
from pathlib import Path

import pytest

from tests.core.firmware.hosted import host_program
from wattigram.core.capture.transport import Decoder
from wattigram.core.contract.link import Frame, FrameType, parse_identity
from wattigram.core.model.design import Workspace

COMMANDS = 4000
pytestmark = pytest.mark.skipif(shutil.which("gcc") is None, reason="no compiler on this machine")

RACES = """
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
        wg_chain_mark(0u, marks % 2u == 0u, tally, wg_port_now());
    }
    if (event_at_hold != 0u && --event_at_hold == 0u) {
        wg_threshold_tell(0u, true, 7, now);
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

void wg_send_tails(void) { wg_chain_tail(0u, tally % 512u); }

static unsigned events;
void wg_event_upper_zone(bool entered, int32_t value) { events += entered && value == 7; }

#define EXPECT(what) do { if (!(what)) { printf("line %d: %s\\n", __LINE__, #what); return 1; } } while (0)

int main(void)
{
    wg_run_start(0u);
    wg_main_step();
    EXPECT(slept == 1u);
    EXPECT(held_at_sleep == 1); /* whatever comes now is seen after waking */
    EXPECT(depth == 0);
    /* However late in a step something comes: what is not done in that step is not slept over. */
    for (unsigned when = 1u; when < 12u; when++) {
        const unsigned sent = frames;
        unsigned before = 0u;
        for (mark_at_hold = when; mark_at_hold != 0u;) {
            before = slept;
            wg_main_step();
        }
        EXPECT(frames > sent || slept == before);
        wg_main_step();
        EXPECT(frames > sent);
        EXPECT(wg_chain_samples(0u) == tally);
        EXPECT(wg_chain_overruns(0u) == 0u);
    }
    for (unsigned when = 1u; when < 12u; when++) {
        const unsigned seen = events;
        unsigned before = 0u;
        for (event_at_hold = when; event_at_hold != 0u;) {
            before = slept;
            wg_main_step();
        }
        EXPECT(events > seen || slept == before);
        wg_main_step();
        EXPECT(events == seen + 1u);
    }
    for (unsigned when = 1u; when < 12u; when++) {
        unsigned before = 0u;
        tally = 0u;
        marks = 0u;
        wg_run_stop();
        wg_run_start(500u);
        wg_main_step();
        EXPECT(wg_run_is_on());
        EXPECT(alarm_after == 500u);
        for (alarm_at_hold = when; alarm_at_hold != 0u;) {
            before = slept;
            wg_main_step();
        }
        EXPECT(!wg_run_is_on() || slept == before); /* its end has come: look again */
        wg_main_step();
        EXPECT(!wg_run_is_on());
    }
    printf("%u frames, %u sleeps\\n", frames, slept);
    return 0;
}
"""

TALKER = """
static uint64_t now;

uint32_t wg_port_hold(void) { return 0u; }
void wg_port_release(uint32_t before) { (void)before; }
void wg_port_sleep(void) { now += 1000u; }
uint64_t wg_port_now(void) { return now; }
void wg_port_wake_after(uint32_t ticks) { (void)ticks; }
void wg_port_send(const void *bytes, uint32_t count) { (void)fwrite(bytes, 1u, count, stdout); }
void wg_send_tails(void) {}

uint32_t wg_port_receive(uint8_t *bytes, uint32_t most)
{
    return (uint32_t)fread(bytes, 1u, most < 7u ? most : 7u, stdin);
}

int main(void)
{
    while (feof(stdin) == 0) {
        wg_main_step();
    }
    for (unsigned n = 0u; n < 10u; n++) {
        wg_main_step();
    }
    return 0;
}
"""


def test_nothing_is_slept_over(kiln: Workspace, tmp_path: Path) -> None:
    said = host_program(kiln, tmp_path / "c", RACES).decode()
    assert "frames" in said
    assert int(said.split()[0]) >= 11


def texts(said: bytes) -> list[str]:
    decoder = Decoder()
    frames = decoder.feed(said)
    assert decoder.stats.bytes_skipped == 0
    return [
        frame.text
        for frame in frames
        if isinstance(frame, Frame) and frame.type is not FrameType.EVENTS
    ]


def test_commands_are_obeyed_and_others_answered(kiln: Workspace, tmp_path: Path) -> None:
    heard = b"identify\nquery\nstart ticks=96000\nquery\nstop\nquery\nnonsense\r\n\n  \nstart ticks=1x\nstop\n"
    said = texts(host_program(kiln, tmp_path / "c", TALKER, heard))
    identity = parse_identity(said[0])
    assert (identity.build_id, identity.tick_hz) == (kiln.build_id, 96_000_000)
    assert said[1] == "idle"
    assert said[2].startswith("started build=")
    assert said[3].startswith("running ticks=")
    assert said[4].startswith("stopped ticks=")
    assert said[5].startswith("idle ticks=")
    assert said[6].startswith("error")


def test_whatever_a_host_says_the_firmware_lives_on(kiln: Workspace, tmp_path: Path) -> None:
    """Random bytes, commands cut and glued together, lines far too long; checked for every bad
    access."""
    rng = random.Random(5)
    words = [
        b"identify",
        b"start",
        b"stop",
        b"query",
        b"ticks=",
        b"cycles=",
        b"18446744073709551616",
        b"-1",
        b" ",
        b"\n",
    ]
    heard = bytearray()
    for _ in range(COMMANDS):
        kind = rng.random()
        if kind < 0.6:
            heard += b"".join(rng.choice(words) for _ in range(rng.randrange(1, 6))) + b"\n"
        elif kind < 0.9:
            heard += rng.randbytes(rng.randrange(1, 40))
        else:
            heard += rng.choice(words) * rng.randrange(1, 200)
    heard += b"\nstop\nidentify\n"
    said = texts(host_program(kiln, tmp_path / "c", TALKER, bytes(heard)))
    assert parse_identity(said[-1]).build_id == kiln.build_id
    assert sum(text.startswith("error") for text in said) > COMMANDS / 10
