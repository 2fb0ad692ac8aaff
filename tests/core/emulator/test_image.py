"""The virtual board with an image sends what it sends without: the same items, instants, reduced
values and events."""

from __future__ import annotations

import math
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.firmware.compiled import IDS, built, needs_compiler
from tests.core.firmware.judged import judged
from tests.core.silicon.registers.designs import random_workspace
from tests.paths import EXAMPLE_FILES, EXAMPLES
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import Take, open_take
from wattigram.core.judge import prove
from wattigram.core.model.design import (
    Dma,
    Fifo,
    Interrupt,
    Polling,
    SoftwareTrigger,
    TimerTrigger,
    Watch,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import (
    Edit,
    SetBufferLength,
    SetIsrCost,
    SetPerTrigger,
    SetRetrieval,
    SetSampling,
    SetStartup,
    SetThreshold,
    SetTrigger,
)
from wattigram.core.predict.timing import retrieval_timing, scan_timing
from wattigram.core.predict.timing.retrieval import polling_wait_s
from wattigram.core.silicon.registers import differences

pytestmark = needs_compiler
ELF = Path("c/build/firmware.elf")
STAMP_STREAM, REDUCED, OUTPUTS = 64, 128, 232
"""First streams of stamps, of reduced values, and of what the program moves."""
NOTICED_TICKS = 1000
"""After which a program has noticed a result; it then says so."""


def measured_and_built(workspace: Workspace, folder: Path, seconds: float = 0.01) -> Workspace:
    """The design with handlers as long as they were measured where results depend on that, and its
    firmware."""
    elf = built(workspace, folder / "c").elf
    if is_fetched_by_hardware(workspace):
        return workspace
    with record(workspace, seconds, folder / "first.h5", f"image:{elf}") as first:
        measured = with_measured_handlers(workspace, first)
    built(measured, folder / "c")
    return measured


def with_measured_handlers(workspace: Workspace, take: Take) -> Workspace:
    """The design with handlers and the main loop as long as they were measured."""
    for number, chain in enumerate(workspace.project.chains):
        counted = SetIsrCost.counted(chain.converter, take.totals, number)
        if counted is not None:
            workspace = edited(workspace, counted)
    return workspace


def record(workspace: Workspace, seconds: float, path: Path, board: str = "virtual") -> Take:
    record_run(workspace, seconds, path, board=board, fast=True)
    return open_take(path)


def assert_alike(design: Take, image: Take, cut: int = 0) -> None:
    """Both have the same streams, up to the last ``cut`` results, and tell the same events; what a
    program stamps itself it stamps when it notices."""
    assert image.streams == design.streams
    is_played = any(one.output.kind == "ramp" for one in design.workspace.project.generators)
    lost = {stream % STAMP_STREAM for stream in design.streams if image.lost_items(stream)}
    sure_ticks = math.inf
    for stream in design.streams:
        if stream >= OUTPUTS:
            continue
        mine, other = design.items(stream), image.items(stream)
        assert abs(len(mine) - len(other)) <= cut, (
            f"stream {stream}: {len(mine)} and {len(other)} samples"
        )
        count = min(len(mine), len(other))
        if len(mine) != len(other):
            period_ticks = design.seconds * design.tick_hz / len(mine)
            sure_ticks = min(sure_ticks, design.seconds * design.tick_hz - cut * period_ticks)
        if STAMP_STREAM <= stream < REDUCED:
            late = other[:count].astype(np.int64) - mine[:count]
            assert late.min(initial=0) >= 0
            assert late.max(initial=0) <= NOTICED_TICKS
        else:
            # Levels that the program plays change when it has come to them.
            moved = np.abs(mine[:count].astype(np.int64) - other[:count])
            assert moved.max(initial=0) <= is_played, stream
            assert np.count_nonzero(moved) <= 0.002 * count, stream
    assert not lost
    told, due = (
        sorted(row for row in take.events.tolist() if row[-1] < sure_ticks)
        for take in (image, design)
    )
    assert [row[:-1] for row in told] == [row[:-1] for row in due]
    late_ticks = [mine[-1] - other[-1] for mine, other in zip(told, due, strict=True)]
    assert all(0 <= ticks <= NOTICED_TICKS for ticks in late_ticks)


def is_fetched_by_hardware(workspace: Workspace) -> bool:
    """Whether timers start all conversions and DMA fetches them, so that nothing depends on when the
    program comes to it."""
    return all(
        isinstance(chain.readout, Dma) and chain.trigger.kind not in {"software", "free-running"}
        for chain in workspace.project.chains
    )


def assert_in_place(design: Take, image: Take) -> None:
    """A program that fetches results itself, besides all else that it has to do, fetches no more
    than it was designed to; and what it missed moves no signal into the place of another."""
    assert image.streams == design.streams
    for signal in design.workspace.project.signals:
        mine, other = image.raw(signal.name), design.raw(signal.name)
        if mine is None or other is None:
            continue
        assert mine.count <= 1.1 * len(other.volts) + 8
        if min(mine.count, other.count) > 20:
            found_v, due_v = mine.volts[mine.valid], other.volts[other.valid]
            spread_v = np.std(due_v)
            assert np.mean(found_v) == pytest.approx(np.mean(due_v), abs=spread_v / 2 + 0.03)
            assert np.std(found_v) <= 1.5 * spread_v + 0.01


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=IDS)
def test_every_example_runs_as_without_firmware(path: Path, tmp_path: Path) -> None:
    workspace = open_workspace(path)
    seconds = 0.15
    measured = measured_and_built(workspace, tmp_path)
    address = f"image:{tmp_path / ELF}"
    with (
        record(measured, seconds, tmp_path / "image.h5", address) as image,
        record(measured, seconds, tmp_path / "design.h5") as design,
    ):
        if not is_fetched_by_hardware(workspace):
            assert_in_place(design, image)
        else:
            assert_alike(design, image)
            assert image.totals.items() >= {
                (name, count)
                for name, count in design.totals.items()
                if not name.startswith("items.2")
            }
        assert image.register_writes
        assert differences(workspace, image.register_writes) == ()


@pytest.mark.parametrize("seed", [2, 23, 43, 330])
def test_unseen_designs_run_as_without_firmware(seed: int, tmp_path: Path) -> None:
    """Polling and interrupts, software that points the converter, converters that follow one
    another."""
    workspace = random_workspace(seed)
    measured = measured_and_built(workspace, tmp_path, 0.002)
    address = f"image:{tmp_path / ELF}"
    with (
        record(measured, 0.02, tmp_path / "image.h5", address) as image,
        record(measured, 0.02, tmp_path / "design.h5") as design,
    ):
        assert_in_place(design, image)
        assert any(image.item_count(number) > 5 for number in range(len(measured.project.chains)))


@pytest.mark.parametrize(
    ("example", "seed"), [("kiln-safety", 6), ("studio-kiln", 2), ("wheel-pedal", 3), ("", 1009)]
)
def test_any_windows_and_stages_tell_what_they_tell_without(
    example: str, seed: int, tmp_path: Path
) -> None:
    """Windows around other signals, twins, events for every value; the last on a part with hardly
    any memory."""
    base = open_workspace(EXAMPLES / example) if example else random_workspace(seed)
    workspace = judged(base, seed)
    measured = measured_and_built(workspace, tmp_path)
    address = f"image:{tmp_path / ELF}"
    with (
        record(measured, 0.1, tmp_path / "image.h5", address) as image,
        record(measured, 0.1, tmp_path / "design.h5") as design,
    ):
        assert "fault" not in image.totals
        if is_fetched_by_hardware(workspace):
            assert_alike(design, image)
        else:
            assert_in_place(design, image)
        assert len(image.events) > 20


@pytest.mark.parametrize(
    ("edits", "cause", "items"),
    [
        ((SetRetrieval("ADC 1", Dma(channel="DMA 1", circular=False)),), "dma-not-endless", 512),
        (
            (SetRetrieval("ADC 1", Dma(channel="DMA 1", increment=False)),),
            "dma-no-increment",
            10_000,
        ),
        ((SetTrigger("ADC 1", SoftwareTrigger(repeat=False)),), "started-once", 4),
        (
            (
                SetTrigger("ADC 1", SoftwareTrigger(repeat=False)),
                SetPerTrigger("ADC 1", "conversion"),
            ),
            "started-once",
            1,
        ),
    ],
    ids=["DMA not continuous", "DMA address stands still", "one scan", "one conversion"],
)
def test_a_mistake_of_the_design_looks_the_same_with_firmware(
    edits: tuple[Edit, ...], cause: str, items: int, cured: Workspace, tmp_path: Path
) -> None:
    wrong = edited(cured, *edits)
    result = built(wrong, tmp_path / "c")
    with (
        record(wrong, 0.25, tmp_path / "image.h5", f"image:{result.elf}") as image,
        record(wrong, 0.25, tmp_path / "design.h5") as design,
    ):
        assert_alike(design, image)
        assert image.item_count(0) == items
        assert prove(wrong, image).causes[0].cause == cause


def test_the_proof_holds_with_the_image(cured: Workspace, tmp_path: Path) -> None:
    result = built(cured, tmp_path / "c")
    with (
        record(cured, 2.5, tmp_path / "image.h5", f"image:{result.elf}") as image,
        record(cured, 2.5, tmp_path / "design.h5") as design,
    ):
        proof, other = prove(cured, image), prove(cured, design)
    assert [verdict.outcome for verdict in proof.verdicts] == [
        verdict.outcome for verdict in other.verdicts
    ]
    assert "fails" not in {verdict.outcome for verdict in proof.verdicts}
    assert [verdict.measured for verdict in proof.verdicts] == pytest.approx(
        [verdict.measured for verdict in other.verdicts], rel=1e-3
    )
    assert proof.causes == ()


@pytest.mark.parametrize(("share", "reason"), [("0.9", "time-out"), ("1.1", "")])
def test_a_time_out_gives_a_value_up(
    share: str, reason: str, kiln: Workspace, tmp_path: Path
) -> None:
    """Waiting shorter than results take brings hardly any of them; longer, all but a few that come
    while the program has other things to do."""
    polled = edited(kiln, SetRetrieval("ADC 2", Polling()))
    with record(
        polled, 0.05, tmp_path / "first.h5", f"image:{built(polled, tmp_path / 'c').elf}"
    ) as first:
        measured = with_measured_handlers(polled, first)
    wait_s = polling_wait_s(measured, measured.project.chains[1])
    timeout_s = Fraction(int(wait_s * Fraction(share) * 10**9), 10**9)
    workspace = edited(measured, SetRetrieval("ADC 2", Polling(timeout_s=timeout_s)))
    assert retrieval_timing(workspace, workspace.project.chains[1]).reason == reason
    address = f"image:{built(workspace, tmp_path / 'c').elf}"
    with (
        record(workspace, 0.06, tmp_path / "image.h5", address) as image,
        record(workspace, 0.06, tmp_path / "design.h5") as design,
    ):
        assert np.array_equal(image.items(0), design.items(0))
        if reason:
            assert design.item_count(1) == 0
            # One that comes while the program is busy elsewhere is there when it begins to wait.
            assert image.lost_items(1) > 200
            causes = prove(workspace, image).causes
            assert "polling-times-out" in {cause.cause for cause in causes}
        else:
            assert design.item_count(1) == 600
            assert image.item_count(1) - image.lost_items(1) > 570


def test_a_result_that_is_given_up_leaves_its_place_empty(cured: Workspace, tmp_path: Path) -> None:
    """Others do not move into it: each signal keeps its own slots, and the instants of what is
    missing lie between."""
    hasty = edited(
        cured,
        SetTrigger("ADC 1", SoftwareTrigger()),
        SetRetrieval("ADC 1", Polling(timeout_s=Fraction(1, 1_000_000))),
    )
    with record(
        hasty, 0.05, tmp_path / "i.h5", f"image:{built(hasty, tmp_path / 'c').elf}"
    ) as take:
        assert take.lost_items(0) >= take.totals["overruns.0"] > 100
        rail = take.raw("3.3 V rail")
        assert rail is not None
        assert 200 < rail.count < len(rail.volts)
        assert np.ptp(rail.volts[rail.valid]) < 0.05
        times_s = take.instants(hasty.project.chains[0]).held_s(0, 100).ravel()
        assert np.all(np.diff(times_s) >= 0)
        assert times_s[-1] < 0.1
        proof = prove(hasty, take)
    named = next(cause for cause in proof.causes if cause.cause == "polling-times-out")
    assert named.fit > 0.6
    assert "results are missing, and the program gave" in named.evidence


def test_the_handler_is_counted_and_told(kiln: Workspace, tmp_path: Path) -> None:
    result = built(kiln, tmp_path / "c")
    with record(kiln, 0.1, tmp_path / "t.h5", f"image:{result.elf}") as take:
        assert 100 < take.totals["handler.0"] < 1000 < take.totals["main.0"] < 20_000
        assert take.totals["main.1"] < take.totals["main.0"]


@pytest.mark.parametrize(
    "example", ["studio-kiln", "kiln-safety"], ids=["by the program", "by the converter"]
)
def test_a_window_stops_its_chain_and_it_is_started_again(example: str, tmp_path: Path) -> None:
    path = next(
        example_file for example_file in EXAMPLE_FILES if example_file.name.startswith(example)
    )
    workspace = open_workspace(path)
    signal = next(one for one in workspace.project.signals if one.thresholds)
    window = signal.thresholds[0].replaced(action="stop", low=1.4, high=1.8, rearm_after_s="20 ms")
    workspace = edited(workspace, SetThreshold(signal.name, 0, window))
    address = f"image:{built(workspace, tmp_path / 'c').elf}"
    with (
        record(workspace, 0.8, tmp_path / "image.h5", address) as image,
        record(workspace, 0.8, tmp_path / "design.h5") as design,
    ):
        assert design.totals["missed.0"] > 100  # it was stopped, more than once
        assert image.streams == design.streams
        number = workspace.watches.index(Watch("window", signal.name, 0))
        own = [row for row in design.events.tolist() if row[0] == number]
        entered = [row[-1] for row in own if row[1]]
        assert len(entered) > 3
        told = [row[-1] for row in image.events.tolist() if row[0] == number and row[1]]
        if window.done_in == "hardware":
            for stream in (0, 64, 1):
                assert np.array_equal(image.items(stream), design.items(stream)), stream
            assert [row for row in image.events.tolist() if row[0] == number] == own
        else:
            # The program stops it when it has come to the value, and by then there are a few more.
            assert len(entered) <= len(told) < 2 * len(entered)
            assert told[0] == pytest.approx(entered[0], abs=NOTICED_TICKS)
            assert design.item_count(0) <= image.item_count(0) < 1.1 * design.item_count(0)


@pytest.mark.parametrize(
    ("example", "retrieval", "per_trigger"),
    [
        ("converter-checkup", None, "scan"),
        ("kiln-safety", None, "conversion"),
        ("kiln-safety", Fifo(watermark=8), "scan"),
    ],
)
def test_software_starts_pass_after_pass_whoever_fetches_the_results(
    example: str, retrieval: Fifo | None, per_trigger: str, tmp_path: Path
) -> None:
    """The flag of a result is gone when DMA has taken it, and no pass is the last."""
    workspace = open_workspace(EXAMPLES / example)
    converter = workspace.project.chains[0].converter
    workspace = edited(
        workspace, SetTrigger(converter, SoftwareTrigger()), SetPerTrigger(converter, per_trigger)
    )
    if retrieval is not None:
        workspace = edited(workspace, SetRetrieval(converter, retrieval))
    address = f"image:{built(workspace, tmp_path / 'c').elf}"
    with (
        record(workspace, 0.004, tmp_path / "image.h5", address) as image,
        record(workspace, 0.004, tmp_path / "design.h5") as design,
    ):
        assert design.item_count(0) > 200
        assert 0.5 < image.item_count(0) / design.item_count(0) < 1.5
        slots = len(workspace.project.chains[0].slots)
        for place in range(slots):
            mine, other = (take.items(0)[place::slots] for take in (image, design))
            assert abs(np.mean(mine) - np.mean(other)) < 2 + 4 * np.std(other) / len(other) ** 0.5


@pytest.mark.parametrize(
    ("retrieval", "per_trigger"), [(None, "conversion"), (Fifo(watermark=8), "scan")]
)
def test_what_software_starts_is_stopped_where_it_stands(
    retrieval: Fifo | None, per_trigger: str, tmp_path: Path
) -> None:
    """A conversion is brought to its end, or a scan, as it was started; then it goes on from there."""
    workspace = open_workspace(EXAMPLES / "kiln-safety")
    signal = next(one for one in workspace.project.signals if one.thresholds)
    window = signal.thresholds[0].replaced(action="stop", low=1.4, high=1.8, rearm_after_s="5 ms")
    workspace = edited(
        workspace,
        SetThreshold(signal.name, 0, window),
        SetTrigger("ADC 1", SoftwareTrigger()),
        SetPerTrigger("ADC 1", per_trigger),
    )
    if retrieval is not None:
        workspace = edited(workspace, SetRetrieval("ADC 1", retrieval))
    address = f"image:{built(workspace, tmp_path / 'c').elf}"
    with (
        record(workspace, 0.04, tmp_path / "image.h5", address) as image,
        record(workspace, 0.04, tmp_path / "design.h5") as design,
    ):
        mine, other = (int(np.sum(take.events["entered"])) for take in (image, design))
        assert mine == other > 5
        assert image.item_count(0) == design.item_count(0) > 50
        slots = len(workspace.project.chains[0].slots)
        assert (design.item_count(0) % slots == 0) == (per_trigger == "scan")


def test_results_come_at_their_time_however_the_board_is_stepped(tmp_path: Path) -> None:
    """A trigger for each slot, slower than a step of the board: no result waits for the rest of its
    cycle."""
    base = open_workspace(EXAMPLES / "wheel-pedal")
    chain = base.project.chains[0]
    slow = edited(base, SetTrigger(chain.converter, TimerTrigger(timer="Timer", period_s="9 ms")))
    slow = edited(slow, SetPerTrigger(chain.converter, "conversion"))
    address = f"image:{built(slow, tmp_path / 'c').elf}"
    with (
        record(slow, 0.5, tmp_path / "image.h5", address) as image,
        record(slow, 0.5, tmp_path / "design.h5") as design,
    ):
        mine, other = image.items(64), design.items(64)
        assert len(mine) > 50
        count = min(len(mine), len(other))
        late = mine[:count].astype(np.int64) - other[:count]
        assert late.min() >= 0
        assert late.max() < NOTICED_TICKS
        assert np.array_equal(image.items(0)[:count], design.items(0)[:count])


@pytest.mark.parametrize("retrieval", [Polling(), Interrupt()], ids=["polling", "interrupt"])
def test_a_pass_is_started_anew_though_results_were_overwritten(
    retrieval: Polling | Interrupt, cured: Workspace, tmp_path: Path
) -> None:
    """Firmware counts what the converter made, so that each signal keeps its place."""
    quick = [
        SetSampling("ADC 1", place, 8, slot.signal)
        for place, slot in enumerate(cured.project.chains[0].slots)
    ]
    design = edited(
        cured, SetTrigger("ADC 1", SoftwareTrigger()), SetRetrieval("ADC 1", retrieval), *quick
    )
    with (
        record(
            design, 0.02, tmp_path / "i.h5", f"image:{built(design, tmp_path / 'c').elf}"
        ) as image,
        record(design, 0.02, tmp_path / "d.h5") as same,
    ):
        assert image.totals["converted.0"] > 500
        assert image.lost_items(0) > 0.2 * image.item_count(0)
        for signal in design.project.signals_of(design.project.chains[0]):
            mine, other = image.raw(signal.name), same.raw(signal.name)
            assert mine is not None
            assert other is not None
            if mine.count > 20 and other.count > 20:
                found_v, due_v = mine.volts[mine.valid], other.volts[other.valid]
                if np.std(due_v) < 0.05:
                    assert np.mean(found_v) == pytest.approx(np.mean(due_v), abs=0.05)
                    assert np.std(found_v) < 0.05


@pytest.mark.parametrize("retrieval", [Polling(), Interrupt()], ids=["polling", "interrupt"])
def test_each_conversion_is_started_where_a_start_is_good_for_one(
    retrieval: Polling | Interrupt, cured: Workspace, tmp_path: Path
) -> None:
    """Nothing is lost of what the program starts itself, however long it is kept from it."""
    design = edited(
        cured,
        SetTrigger("ADC 1", SoftwareTrigger()),
        SetRetrieval("ADC 1", retrieval),
        SetPerTrigger("ADC 1", "conversion"),
    )
    with record(
        design, 0.02, tmp_path / "i.h5", f"image:{built(design, tmp_path / 'c').elf}"
    ) as image:
        counted = with_measured_handlers(design, image)
        made = image.totals["converted.0"]
        assert image.lost_items(0) <= 1
    predicted = 0.02 * float(retrieval_timing(counted, counted.project.chains[0]).items_hz)
    # Polling has to wait for all that the main loop does besides.
    assert (0.05 if isinstance(retrieval, Polling) else 0.95) * predicted < made < 1.1 * predicted


def test_a_single_run_is_whole_and_no_more(cured: Workspace, tmp_path: Path) -> None:
    """A buffer that is filled once and meant so: with firmware and without, the same samples, the
    rate holds, and nothing after them is called missing."""
    single = edited(
        cured,
        SetBufferLength("ADC 1", 4000),
        SetRetrieval("ADC 1", Dma(channel="DMA 1", circular=False, single_run=True)),
    )
    assert not find_all(single)
    assert scan_timing(single, single.project.chains[0]).items_limit == 4000
    result = built(single, tmp_path / "c")
    with (
        record(single, 0.4, tmp_path / "image.h5", f"image:{result.elf}") as image,
        record(single, 0.4, tmp_path / "design.h5") as design,
        record(single, 0.05, tmp_path / "short.h5") as short,
    ):
        assert_alike(design, image)
        assert (design.item_count(0), design.item_count(1)) == (4000, 4000)
        for take in (design, image, short):
            proof = prove(single, take)
            assert "fails" not in {verdict.outcome for verdict in proof.verdicts}
            rates = [v for v in proof.verdicts if v.expectation.kind == "rate"]
            assert rates
            assert {v.outcome for v in rates} == {"open" if take is short else "holds"}
    lossy = edited(single, SetStartup("ADC 1", ("calibrate", "memory", "converter", "trigger")))
    with record(lossy, 0.4, tmp_path / "lossy.h5") as take:
        assert prove(single, take).count("fails")
