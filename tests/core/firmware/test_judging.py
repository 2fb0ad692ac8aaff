"""Stages, windows and twins of the C against the arithmetic of the virtual board, value by
value."""

from __future__ import annotations

import random
import shutil
import struct
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.firmware.hosted import host_program
from tests.core.firmware.judged import judged
from tests.paths import EXAMPLES
from wattigram.core.board.event_detection import ThresholdDetector
from wattigram.core.board.processing import NOTHING, Tap, Values
from wattigram.core.capture.transport import Decoder, SampleRun
from wattigram.core.contract.board_config import EffectiveConfig
from wattigram.core.contract.link import EVENT_DTYPE, REDUCED_STREAM, Frame, FrameType
from wattigram.core.model.design import RedundantPair, Workspace, open_workspace
from wattigram.core.model.design.edits import SetFilter, SetRedundantPair
from wattigram.core.silicon.deploy import effective_config

CYCLE_TICKS = 1000
pytestmark = pytest.mark.skipif(shutil.which("gcc") is None, reason="no compiler on this machine")

FEEDER = """
#include "wg_filter.h"

uint32_t wg_port_hold(void) { return 0u; }
void wg_port_release(uint32_t before) { (void)before; }
void wg_port_sleep(void) {}
uint64_t wg_port_now(void) { return 0u; }
void wg_port_wake_after(uint32_t ticks) { (void)ticks; }
void wg_port_send(const void *bytes, uint32_t count) { (void)fwrite(bytes, 1u, count, stdout); }
uint32_t wg_port_receive(uint8_t *bytes, uint32_t most) { (void)bytes; (void)most; return 0u; }
void wg_send_tails(void) {}

static uint16_t values[65536];

int main(void)
{
    struct { uint32_t tap, count; uint64_t ticks; } head;
    wg_filter_begin();
    wg_threshold_begin();
    while (fread(&head, sizeof head, 1u, stdin) == 1u) {
        if (fread(values, 2u, head.count, stdin) != head.count) {
            return 1;
        }
        const wg_slot_samples items = {
            .items = values, .item_bytes = 2u, .stride = 1u, .count = head.count,
            .ticks = head.ticks, .cycle_ticks = 1000u,
        };
        wg_filter_feed(head.tap, &items);
        wg_filter_send(head.tap, false);
        wg_threshold_work();
    }
    return 0;
}
"""

Feed = tuple[int, int, np.ndarray]
"""(tap, number of the first item, items)"""
Event = tuple[int, int, int, int]


def said_by_c(
    workspace: Workspace, folder: Path, feeds: list[Feed]
) -> tuple[dict[int, list[int]], list[Event]]:
    """Reduced values by stream, and events (watch, entered, value, ticks)."""
    heard = b"".join(
        struct.pack("<IIQ", tap, len(items), first * CYCLE_TICKS) + items.astype("<u2").tobytes()
        for tap, first, items in feeds
    )
    decoder = Decoder()
    frames = decoder.feed(host_program(workspace, folder, FEEDER, heard))
    assert decoder.stats.bytes_skipped == 0
    reduced: dict[int, list[int]] = {}
    events: list[Event] = []
    for frame in frames:
        if isinstance(frame, SampleRun):
            reduced.setdefault(frame.stream, []).extend(
                np.asarray(frame.items).astype(np.int64).tolist()
            )
        elif isinstance(frame, Frame) and frame.type is FrameType.EVENTS:
            found = np.frombuffer(frame.payload, dtype=EVENT_DTYPE)
            events += [
                (int(e["source"]), int(e["entered"]), int(e["value"]), int(e["ticks"]))
                for e in found
            ]
    return reduced, events


def said_by_board(
    config: EffectiveConfig, feeds: list[Feed]
) -> tuple[dict[int, list[int]], list[Event]]:
    """The same of the virtual board's own arithmetic."""
    taps = [Tap(tap.unchecked(places=(0,)), 1, 1) for tap in config.taps]
    watchers = [
        ThresholdDetector(watch, number)
        for number, watch in enumerate(config.watches)
        if watch is not None
    ]
    reduced: dict[int, list[int]] = {}
    events: list[Event] = []
    for tap, first, items in feeds:
        raw, less = taps[tap].feed(items, first, (first + np.arange(len(items))) * CYCLE_TICKS)
        stream = config.taps[tap].stream
        if stream is not None and len(less.values):
            reduced.setdefault(stream, []).extend((less.values & 0xFFFFFFFF).tolist())

        def of(
            watch_reduced: bool, tap: int = tap, raw: Values = raw, less: Values = less
        ) -> Values:
            return less if watch_reduced and config.taps[tap].stage != "none" else raw

        for watcher in watchers:
            watch = watcher.watch
            happened = []
            if watch.tap == tap:
                happened = watcher.feed(of(watch.on_reduced))
            elif watch.other == tap:
                happened = watcher.feed(NOTHING, of(watch.on_reduced))
            events += [(one.watch, int(one.entered), one.value, one.ticks) for one in happened]
    return reduced, events


def wandering(dice: random.Random, count: int) -> np.ndarray:
    """Codes that stay, step, run from end to end, and tremble."""
    rng = np.random.default_rng(dice.randrange(1 << 30))
    level = rng.integers(0, 4096)
    course = rng.choice(
        [
            np.zeros(count),
            np.linspace(-4095, 4095, count),
            rng.normal(0, 30, count),
            rng.integers(0, 2, count) * 900,
        ]
    )
    return np.clip(level + course, 0, 4095).astype(np.int64)


def feeds_of(workspace: Workspace, dice: random.Random, rounds: int) -> list[Feed]:
    """All taps get items of the same cycles, in pieces as handlers bring them."""
    config = effective_config(workspace)
    firsts = [0] * len(config.taps)
    feeds: list[Feed] = []
    halves = [
        workspace.project.chains[tap.converter].buffer.samples
        // 2
        // len(workspace.project.chains[tap.converter].slots)
        for tap in config.taps
    ]
    for _ in range(rounds):
        count = dice.randint(1, max(1, min(halves, default=1)))
        for tap in range(len(config.taps)):
            feeds.append((tap, firsts[tap], wandering(dice, count)))
            firsts[tap] += count
    return feeds


@pytest.mark.parametrize("example", ["studio-kiln", "kiln-safety"], ids=["unsigned", "signed"])
@pytest.mark.parametrize("seed", range(3))
def test_any_stages_and_windows_give_the_same_values(
    example: str, seed: int, tmp_path: Path
) -> None:
    workspace = judged(open_workspace(EXAMPLES / example), seed)
    feeds = feeds_of(workspace, random.Random(seed), 150)
    reduced, events = said_by_c(workspace, tmp_path / "c", feeds)
    expected_reduced, expected_events = said_by_board(effective_config(workspace), feeds)
    assert reduced == expected_reduced
    assert sorted(events) == sorted(expected_events)
    assert len(events) > 20
    assert all(stream >= REDUCED_STREAM for stream in reduced)


def test_a_twin_that_goes_on_alone_finds_its_partners_again(
    kiln: Workspace, tmp_path: Path
) -> None:
    """More values wait than can be kept: those have no partner any more, and all that come later
    have their own."""
    names = [slot.signal for chain in kiln.project.chains for slot in chain.slots]
    workspace = edited(
        kiln,
        *(SetFilter(name, None) for name in names),
        SetRedundantPair(
            "Upper zone, twin", RedundantPair(paired_with="Upper zone", tolerance_v=0.5)
        ),
    )
    config = effective_config(workspace)
    number, watch = next(
        (n, one) for n, one in enumerate(config.watches) if one is not None and one.reach_ticks
    )
    mine, other = watch.tap, watch.other
    assert other is not None
    count, rounds = 60, 200
    alike = [np.full(count, 1000 + at) for at in range(rounds)]
    alike[-1] = alike[-1].copy()
    feeds: list[Feed] = [(mine, at * count, alike[at]) for at in range(rounds)]
    feeds += [(other, at * count, alike[at]) for at in range(rounds - 1)]
    differs = alike[-1].copy()
    differs[7] -= 900
    feeds.append((other, (rounds - 1) * count, differs))
    _reduced, events = said_by_c(workspace, tmp_path / "c", feeds)
    at = (rounds - 1) * count + 7
    assert [event for event in events if event[0] == number] == [
        (number, 1, 900, at * CYCLE_TICKS),
        (number, 0, 0, (at + 1) * CYCLE_TICKS),
    ]


def test_a_twin_of_another_rate_is_judged_in_c_as_on_the_board(
    kiln: Workspace, tmp_path: Path
) -> None:
    """Every value has the nearest one beside it, whichever of the two comes first, and in whatever
    pieces."""
    names = [slot.signal for chain in kiln.project.chains for slot in chain.slots]
    workspace = edited(
        kiln,
        *(SetFilter(name, None) for name in names),
        SetRedundantPair(
            "Upper zone, twin", RedundantPair(paired_with="Upper zone", tolerance_v=0.03)
        ),
    )
    config = effective_config(workspace)
    number, watch = next(
        (n, one) for n, one in enumerate(config.watches) if one is not None and one.reach_ticks
    )
    assert watch.other is not None
    dice = np.random.default_rng(5)
    course = np.clip(2000 + np.cumsum(dice.integers(-90, 91, 4000)), 0, 4095)
    feeds: list[Feed] = []
    mine_at = other_at = 0
    while max(mine_at, other_at) < 3900:
        if other_at < mine_at + 20 and (dice.random() < 0.5 or mine_at > other_at + 20):
            feeds.append((watch.other, other_at, course[[other_at]]))
            other_at += int(dice.integers(1, 5))
        else:
            feeds.append((watch.tap, mine_at, course[[mine_at]]))
            mine_at += int(dice.integers(1, 3))
    by_c, by_board = (
        [event for event in found[1] if event[0] == number]
        for found in (said_by_c(workspace, tmp_path / "c", feeds), said_by_board(config, feeds))
    )
    assert len(by_c) > 50
    assert by_c == by_board
