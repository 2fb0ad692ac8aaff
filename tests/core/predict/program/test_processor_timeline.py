"""The processor's time by hand: ISRs at their events, reactions in the gaps between them."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise

import pytest

from tests.core.emulator.test_inputs import DESIGN
from tests.paths import EXAMPLE_FILES
from wattigram.core.model.design import Workspace, open_workspace, project_text
from wattigram.core.model.design.workspace_files import workspace_from_text
from wattigram.core.predict.program import Block, half_share, isr_share, processor_timeline
from wattigram.core.predict.timing import retrieval_timing

BARE = DESIGN[: DESIGN.index("[[expectations]]")]
REACTION = """
[[reactions]]
name = "{name}"
{cycles}
[reactions.when]
{when}
[reactions.do]
kind = "pin"
pin = "{pin}"
level = "toggle"
"""
MS = Fraction(1, 1000)
CLOCK_HZ = 96_000_000


def design(*reactions: tuple[str, str, int | None]) -> Workspace:
    """A half of ten samples each 10 ms, by an ISR of so many clocks, with reactions."""
    text = BARE.replace("samples = 20\n", "samples = 20\nisr_cycles = 9600\n")
    for number, (name, when, cycles) in enumerate(reactions):
        said = "" if cycles is None else f"cycles = {cycles}"
        text += REACTION.format(name=name, when=when, cycles=said, pin=f"B{3 + number}")
    return workspace_from_text(text, "here")


def of(workspace: Workspace, name: str) -> list[Block]:
    lanes = processor_timeline(workspace).lanes
    return [block for lane in lanes for block in lane.blocks if block.label == name]


RESULTS = 'kind = "results"\nconverter = "ADC 1"'
EVERY_3_MS = 'kind = "period"\nperiod = "3 ms"'


def test_what_follows_an_isr_begins_when_it_is_over() -> None:
    workspace = design(("A", RESULTS, 96_000), ("B", RESULTS, 192_000))
    timeline = processor_timeline(workspace)
    isr, main = timeline.lanes
    assert (isr.title, main.title) == ("ISR of DMA 1", "main loop")
    assert timeline.zero_s == 10 * MS
    assert (timeline.end_s - timeline.begin_s) == 10 * MS
    (call,) = isr.blocks
    processor = workspace.part.processor
    around = processor.interrupt_entry_cycles + processor.interrupt_exit_cycles
    assert (call.begin_s, call.end_s) == (10 * MS, 10 * MS + Fraction(9600 + around, CLOCK_HZ))
    assert timeline.longest_isr_s == call.end_s - call.begin_s
    (first,), (second,) = of(workspace, "A"), of(workspace, "B")
    assert first.pieces == ((call.end_s, call.end_s + MS),)
    assert second.pieces == ((call.end_s + MS, call.end_s + 3 * MS),)
    assert timeline.isr_share == isr_share(workspace) == Fraction(9600 + around, CLOCK_HZ) * 100
    assert timeline.reaction_share == 100 * 3 * MS


SECOND = """
[[signals]]
name = "Slow"
pin = "A2"
[[chains]]
converter = "ADC 2"
divider = 3
[chains.trigger]
kind = "timer"
timer = "Timer 3"
period = "17 ms"
[chains.readout]
kind = "dma"
channel = "DMA 2"
[chains.buffer]
name = "Loop B"
samples = 4
[[chains.slots]]
signal = "Slow"
sampling_cycles = 64
"""


def test_halves_are_those_since_the_start() -> None:
    """The slower converter's first half comes after 34 ms; by then the quicker one has filled three."""
    reactions = [(mark, f'{RESULTS}\nmark = "{mark}"', 960) for mark in ("half", "full")]
    workspace = design(*reactions)
    text = project_text(workspace.project) + SECOND
    workspace = workspace_from_text(text, "here")
    assert processor_timeline(workspace).zero_s == 34 * MS
    dues = {
        mark: {int(block.begin_s / MS) for block in of(workspace, mark)}
        for mark in ("half", "full")
    }
    assert dues["half"] <= {30, 50}
    assert 50 in dues["half"]
    assert dues["full"] == {40, 60}


def test_an_isr_of_each_result_is_not_a_half() -> None:
    by_dma = design(("A", RESULTS, 960), ("Tick", 'kind = "period"\nperiod = "40 ms"', 960))
    text = project_text(by_dma.project).replace(
        'kind = "dma"\nchannel = "DMA 1"', 'kind = "interrupt"'
    )
    assert 'kind = "interrupt"' in text
    workspace = workspace_from_text(text, "here")
    timeline = processor_timeline(workspace)
    (call,) = timeline.lanes[0].blocks
    assert call.begin_s == MS
    assert of(workspace, "A") == []  # ten results are a half


def test_halves_that_the_main_loop_fetches_come_as_they_fill() -> None:
    text = project_text(design(("A", RESULTS, 960)).project).replace(
        'kind = "dma"\nchannel = "DMA 1"', 'kind = "polling"'
    )
    tick = REACTION.format(
        name="Tick", cycles="cycles = 96", when='kind = "period"\nperiod = "20 ms"', pin="B9"
    )
    workspace = workspace_from_text(text + tick, "here")
    assert {block.begin_s for block in of(workspace, "A")} == {20 * MS, 30 * MS}


def test_an_isr_comes_in_between() -> None:
    """Two milliseconds of work that is due a millisecond before the ISR go on behind it."""
    workspace = design(("Long", EVERY_3_MS, 192_000), ("Late", RESULTS, 96_000))
    ((begin, end),) = [(b.begin_s, b.end_s) for b in processor_timeline(workspace).lanes[0].blocks]
    blocks = of(workspace, "Long")
    assert [block.begin_s for block in blocks] == [12 * MS, 15 * MS, 18 * MS]
    assert all(len(block.pieces) == 1 for block in blocks)
    shifted = design(("Long", 'kind = "period"\nperiod = "9700 us"', 96_000))
    block, _next = of(shifted, "Long")
    assert block.pieces == (
        (Fraction(97, 10_000), begin),
        (end, end + MS - (begin - Fraction(97, 10_000))),
    )


def test_what_waits_for_an_event_is_shown_where_it_may_come() -> None:
    workspace = design(("Lamp", 'kind = "input"\npin = "B7"', 960))
    (block,) = of(workspace, "Lamp")
    (isr,) = processor_timeline(workspace).lanes[0].blocks
    assert block.only_at_event
    assert block.begin_s == isr.end_s


def test_what_the_main_loop_does_with_a_half_is_no_isr() -> None:
    """It begins when the ISR is over, and counts for its converter's load and deadline."""
    text = BARE.replace("samples = 20\n", "samples = 20\nisr_cycles = 96\nmain_cycles = 96000\n")
    workspace = workspace_from_text(text, "here")
    timeline = processor_timeline(workspace)
    isr, main = timeline.lanes
    (call,) = isr.blocks
    (half,) = of(workspace, "half of Loop A")
    assert (half.begin_s, half.end_s) == (call.end_s, call.end_s + MS)
    assert main.tasks == ("half of Loop A",)
    assert half_share(workspace) == Fraction(1, 10)
    assert isr_share(workspace) == 100 * (call.end_s - call.begin_s)
    timing = retrieval_timing(workspace, workspace.project.chains[0])
    assert timing.cpu_share == isr_share(workspace) + half_share(workspace)
    assert timing.service_s == call.end_s - call.begin_s + MS


def test_clocks_that_nobody_stated_are_named() -> None:
    workspace = design(("A", RESULTS, 100), ("B", RESULTS, None))
    main = processor_timeline(workspace).lanes[-1]
    assert main.tasks == ("A", "B")
    assert main.unstated == ("B",)


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=lambda path: path.name)
def test_no_two_things_are_done_at_once(path: object) -> None:
    workspace = open_workspace(path)  # type: ignore[arg-type]
    timeline = processor_timeline(workspace)
    pieces = sorted(
        piece for lane in timeline.lanes for block in lane.blocks for piece in block.pieces
    )
    for (_begin, end), (begin, _end) in pairwise(pieces):
        assert begin >= end
