from __future__ import annotations

import csv
import os
import random
import signal
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import h5py
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.conftest import edited
from tests.paths import KILN
from wattigram.core.base.errors import TakeError, WattigramError
from wattigram.core.capture.recording import export_recording, recording_of_take
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import Overview, Take, TakeWriter, open_take
from wattigram.core.capture.take.repair import repair_take
from wattigram.core.capture.transport import SampleRun
from wattigram.core.contract.link import EVENT_DTYPE
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import Workspace, project_text
from wattigram.core.model.design.edits import AddSlot, SetBufferLength, SetWiring
from wattigram.core.predict.timing import buffer_numbers


def run_of(stream: int, first: int, items: np.ndarray) -> SampleRun:
    return SampleRun(stream, first, items, np.array([first]), np.array([len(items)]), False)


@pytest.fixture
def writer(tmp_path: Path, kiln: Workspace) -> TakeWriter:
    return TakeWriter(
        tmp_path / "t.h5", project_text(kiln.project), kiln.build_id, 96_000_000, "board"
    )


@settings(max_examples=25, deadline=None)
@given(
    st.lists(
        st.tuples(st.integers(0, 300_000), st.integers(0, 200_000), st.booleans()),
        min_size=1,
        max_size=6,
    )
)
def test_items_stand_at_their_own_number(
    tmp_path_factory: pytest.TempPathFactory, kiln: Workspace, parts: list[tuple[int, int, bool]]
) -> None:
    path = tmp_path_factory.mktemp("w") / "t.h5"
    writer = TakeWriter(path, project_text(kiln.project), "mark", 96_000_000)
    rng = np.random.default_rng(len(parts))
    first, truth, missing = 0, np.zeros(3_100_000, dtype=np.uint16), 0
    for count, gap, flush in parts:
        items = rng.integers(1, 4096, count).astype("<u2")
        if count:
            writer.add_run(run_of(0, first, items))
            truth[first : first + count] = items
            first += count
            end = first
            first += gap
        if flush:
            writer.flush()
    writer.close()
    with open_take(path) as take:
        if any(count for count, _gap, _flush in parts):
            stored = take.items(0)
            assert len(stored) == end
            assert np.array_equal(stored, truth[:end])
            missing = int(take.gaps["count"].sum())
            assert missing == np.count_nonzero(stored == 0)


def test_gaps_at_the_end_are_known_from_the_boards_totals(writer: TakeWriter) -> None:
    writer.add_run(run_of(0, 0, np.ones(100, dtype="<u2")))
    assert writer.close_stream(0, 164) == 64
    assert writer.close_stream(1, 10) == 10
    writer.close()
    with open_take(writer.path) as take:
        assert [tuple(int(value) for value in row) for row in take.gaps] == [
            (0, 100, 64),
            (1, 0, 10),
        ]
        assert take.lost_items(0) == 64
        assert take.lost_cycles == 16 + 10
        assert take.samples == 100


def test_a_board_started_anew_is_not_mixed_in(writer: TakeWriter) -> None:
    writer.add_run(run_of(0, 0, np.ones(100, dtype="<u2")))
    with pytest.raises(TakeError, match="started anew"):
        writer.add_run(run_of(0, 50, np.ones(100, dtype="<u2")))
    writer.close()


def test_events_log_and_knobs_are_kept(writer: TakeWriter, kiln: Workspace) -> None:
    writer.add_events(np.array([(2, 1, 0, -5, 1234)], dtype=EVENT_DTYPE))
    writer.add_log("hello\x00")
    turned = edited(
        kiln, SetWiring(Wiring(pin="A6", source_resistance_ohm=1.0, source=DcSource(voltage_v=0.5)))
    )
    writer.add_bench(777, project_text(turned.project))
    writer.close(lost_cycles=3)
    with open_take(writer.path) as take:
        assert take.events.tolist() == [(2, 1, -5, 1234)]
        assert take.log == ("hello�",)
        assert [(ticks, workspace.project) for ticks, workspace in take.history] == [
            (0, kiln.project),
            (777, turned.project),
        ]
        assert take.complete
        assert take.workspace.build_id == take.build_id


def test_a_take_cannot_be_written_just_anywhere(kiln: Workspace, tmp_path: Path) -> None:
    with pytest.raises(TakeError, match="cannot be written"):
        TakeWriter(tmp_path / "none" / "t.h5", "", "", 1)


KILLED = """
import sys, time
import numpy as np
from pathlib import Path
from wattigram.core.capture.transport import SampleRun
from wattigram.core.capture.take import TakeWriter
writer = TakeWriter(Path(sys.argv[1]), Path(sys.argv[2]).read_text(), "mark", 96_000_000)
first = 0
began = time.monotonic()
while True:
    items = (np.arange(first, first + 4096) % 4096).astype("<u2")
    writer.add_run(SampleRun(0, first, items, np.array([first]), np.array([4096]), False))
    first += 4096
    before = writer._flushed_at
    writer.flush_if_due()
    if writer._flushed_at != before:
        print(first, flush=True)
    time.sleep(0.001)
"""


@pytest.mark.parametrize("attempt", range(3))
def test_a_killed_recorder_leaves_all_up_to_the_last_flush(tmp_path: Path, attempt: int) -> None:
    path = tmp_path / "killed.h5"
    process = subprocess.Popen(
        [sys.executable, "-c", KILLED, str(path), str(KILN)], stdout=subprocess.PIPE, text=True
    )
    assert process.stdout is not None
    flushed = 0
    for _ in range(2):
        flushed = int(process.stdout.readline())
    os.kill(process.pid, signal.SIGKILL)
    process.wait()
    process.stdout.close()
    with open_take(path) as take:
        items = take.items(0)
        assert len(items) >= flushed
        assert np.array_equal(items[:flushed], np.arange(flushed) % 4096)
        assert not take.complete


def test_signals_are_read_at_their_places(kiln: Workspace, take_of: Callable[..., Take]) -> None:
    take = take_of(kiln)
    raw = take.raw("Upper zone")
    assert raw is not None
    assert np.array_equal(raw.items, take.items(0)[1::4])
    assert raw.times_s[:2] == pytest.approx([5.40625e-6, 105.40625e-6], abs=1e-15)
    assert np.array_equal(raw.cycles, np.arange(25_000))
    assert raw.volts[:5] == pytest.approx(raw.items[:5] * 3.3 / 4096)
    reduced = take.reduced("Upper zone")
    assert reduced is not None
    assert np.array_equal(
        reduced.items,
        raw.items[: len(reduced.items) * 16].reshape(-1, 16).sum(axis=1, dtype=np.int64) >> 4,
    )
    assert reduced.times_s == pytest.approx(raw.times_s[15::16])
    assert take.reduced("Door latch") is None
    assert take.seconds == 2.5
    assert (take.samples, take.lost_cycles) == (125_000, 0)


def test_two_slots_of_a_signal_come_in_time_order(
    kiln: Workspace, take_of: Callable[..., Take]
) -> None:
    twice = edited(kiln, AddSlot("ADC 1", "Coil current", 32), SetBufferLength("ADC 1", 500))
    raw = take_of(twice, 0.5).raw("Coil current")
    assert raw is not None
    assert len(raw.items) == 10_000
    assert np.all(np.diff(raw.times_s) > 0)


@given(st.integers(2, 60), st.integers(1, 7), st.integers(0, 200))
def test_a_reader_counts_places_from_the_start_of_the_loop(
    loop_items: int, slots: int, total: int
) -> None:
    place = slots - 1
    numbers = buffer_numbers(total, loop_items, slots, np.array([place]))
    assert numbers.tolist() == [n for n in range(total) if n % loop_items % slots == place]


@pytest.mark.parametrize("dtype", ["u1", "<u2", "<u4"])
def test_columns_hold_every_sample(dtype: str) -> None:
    rng = np.random.default_rng(2)
    samples = rng.integers(0, 200, 300_001).astype(dtype)
    samples[123_456] = 255
    overview = Overview.of(samples)
    for begin, end, count in [
        (0, 300_001, 100),
        (0, 300_001, 1600),
        (1000, 250_000.5, 333),
        (100, 140, 7),
        (299_990, 300_001, 5),
    ]:
        low, high = overview.columns(begin, end, count)
        edges = np.linspace(begin, end, count + 1)
        for column in range(count):
            inside = samples[
                int(edges[column]) : max(int(np.ceil(edges[column + 1])), int(edges[column]) + 1)
            ]
            assert low[column] <= inside.min()
            assert high[column] >= inside.max()
    assert overview.columns(0, 300_001, 1)[1][0] == 255
    assert overview.columns(0, 300_001, 100)[1].max() == 255


def test_small_views_are_exact() -> None:
    samples = np.arange(100_000, dtype=np.uint16)
    low, high = Overview.of(samples).columns(500, 600, 100)
    assert low.tolist() == high.tolist() == list(range(500, 600))


def test_a_table_has_a_row_for_each_sample(
    kiln: Workspace, take_of: Callable[..., Take], tmp_path: Path
) -> None:
    take = take_of(kiln, 0.1)
    path = tmp_path / "t.csv"
    seen: list[float] = []
    recording = recording_of_take(take)
    rows = export_recording(recording, path, progress=seen.append).rows
    with path.open() as stream:
        table = list(csv.DictReader(stream))
    assert len(table) == rows == 5 * 1000 + 62 + 62 + 15
    assert table[0]["signal"] == "Coil current"
    assert float(table[0]["value"]) == pytest.approx(int(table[0]["code"]) * 3.3 / 4096, abs=1e-6)
    assert seen[-1] == pytest.approx(1.0)
    with pytest.raises(TakeError, match="cannot be written"):
        export_recording(recording, tmp_path / "none" / "t.csv")


def look_through(path: Path) -> None:
    """Everything that the program reads of a take."""
    with open_take(path) as take:
        for signal_ in take.workspace.project.signals:
            take.raw(signal_.name)
            take.reduced(signal_.name)
        assert take.seconds >= 0
        assert take.lost_cycles >= 0
        assert take.history
        take.log  # noqa: B018
        for stream in take.streams:
            take.frame_rows(stream)


def test_damaged_takes_give_sentences_only(
    kiln: Workspace, take_of: Callable[..., Take], tmp_path: Path
) -> None:
    rng = random.Random(11)
    whole = take_of(kiln, 0.1).path.read_bytes()
    refused = 0
    for number in range(60):
        data = bytearray(whole)
        if number % 3 == 0:
            data = data[: rng.randrange(len(data))]
        else:
            for _ in range(rng.choice([1, 8, 200])):
                data[rng.randrange(min(len(data), 40_000))] = rng.randrange(256)
        path = tmp_path / f"{number}.h5"
        path.write_bytes(data)
        try:
            look_through(path)
        except WattigramError as fault:
            refused += 1
            assert fault.message
    assert refused > 20


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda f: f.attrs.__delitem__("format"), "no take of Wattigram"),
        (lambda f: f.attrs.__setitem__("version", 99), "has version 99"),
        (lambda f: f.attrs.__setitem__("version", "x"), "damaged"),
        (lambda f: f.attrs.__setitem__("tick_hz", 0), "tick_hz is impossible"),
        (lambda f: f.__delitem__("project"), "is no dataset"),
        (lambda f: f.__delitem__("events"), "is no dataset"),
        (lambda f: f["streams"].create_group("nine"), "numbers below 256"),
        (lambda f: f["streams"].create_group("²"), "numbers below 256"),
        (lambda f: f["streams/0/samples"].resize((1 << 33,)), "holds at most"),
        (lambda f: f["events"].resize((1 << 33,)), "has no room"),
        (lambda f: f["streams/0/frames"].resize((1 << 33,)), "has no room"),
        (lambda f: f["streams"].__setitem__("7", h5py.SoftLink("/streams")), "is a link"),
        (
            lambda f: f["streams"].__setitem__("7", h5py.ExternalLink("/etc/passwd", "/x")),
            "is a link",
        ),
        (lambda f: (f.__delitem__("log"), f.__setitem__("log", [1, 2])), "no lines of text"),
        (
            lambda f: (
                f["streams/0"].__delitem__("samples"),
                f["streams/0"].create_dataset(
                    "samples", (10,), "<u2", external=[("/etc/passwd", 0, 20)]
                ),
            ),
            "lies in another file",
        ),
        (lambda f: (f.__delitem__("gaps"), f.create_dataset("gaps", data=[1, 2])), "other columns"),
        (
            lambda f: (
                f["streams/0"].__delitem__("samples"),
                f["streams/0"].create_dataset("samples", data=np.zeros((2, 2))),
            ),
            "unsigned samples",
        ),
    ],
)
def test_a_take_with_other_contents_is_refused(
    kiln: Workspace,
    take_of: Callable[..., Take],
    tmp_path: Path,
    change: Callable[[h5py.File], object],
    words: str,
) -> None:
    path = tmp_path / "t.h5"
    path.write_bytes(take_of(kiln, 0.1).path.read_bytes())
    with h5py.File(path, "a") as file:
        change(file)
    with pytest.raises(TakeError, match=words):
        open_take(path)


def test_what_is_no_hdf5_is_refused(tmp_path: Path) -> None:
    text = tmp_path / "t.h5"
    text.write_text("no take")
    with pytest.raises(TakeError, match="no HDF5 file"):
        open_take(text)
    with pytest.raises(TakeError, match="there is no such file"):
        open_take(tmp_path / "none.h5")


def test_stamps_are_no_samples(tmp_path: Path, kiln: Workspace) -> None:
    writer = TakeWriter(tmp_path / "t.h5", project_text(kiln.project), "mark", 96_000_000)
    writer.add_run(run_of(0, 0, np.ones(100, dtype="<u2")))
    writer.add_run(run_of(64, 0, np.ones(100, dtype="<u4")))
    writer.close()
    with open_take(writer.path) as take:
        assert take.samples == 100


def test_a_name_with_nul_is_a_sentence() -> None:
    with pytest.raises(TakeError, match="no such file"):
        open_take(Path("a\0b.h5"))


def as_version_3(path: Path) -> None:
    """The take in the words that versions 1 to 3 had."""
    with h5py.File(path, "r+") as file:
        for now, former in (("build_id", "build_mark"), ("scans_lost", "lost_cycles")):
            if now in file.attrs:
                file.attrs[former] = file.attrs[now]
                del file.attrs[now]
        for group in file["streams"].values():
            group.move("samples", "items")
        events = file["events"][:]
        former = np.dtype(
            [
                ("window" if name == "source" else name, events.dtype[name])
                for name in events.dtype.names
            ]
        )
        del file["events"]
        file.create_dataset("events", data=events.astype(former), maxshape=(None,), chunks=(4096,))
        file.attrs["version"] = 3


def test_a_take_in_former_words_is_read_and_repaired(kiln: Workspace, tmp_path: Path) -> None:
    path = tmp_path / "take.h5"
    record_run(kiln, 0.2, path, fast=True, seed=5)
    with open_take(path) as take:
        was = take.items(0), take.events, take.build_id, take.lost_cycles, take.totals
    as_version_3(path)
    repair_take(path, tmp_path / "again.h5")
    for copy in (path, tmp_path / "again.h5"):
        with open_take(copy) as take:
            now = take.items(0), take.events, take.build_id, take.lost_cycles, take.totals
        assert len(now[0]) > 1000
        assert np.array_equal(now[0], was[0])
        assert now[1].tolist() == was[1].tolist()
        assert now[1].dtype == was[1].dtype
        assert now[2:] == was[2:]
