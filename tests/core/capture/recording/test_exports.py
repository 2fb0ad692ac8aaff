"""What is written for other tools is read back by those tools: SciPy, NumPy, h5py, and a reader of value changes that
knows the standard and nothing of the writer."""

from __future__ import annotations

import csv
import json
from pathlib import Path

import h5py
import numpy as np
import pytest
from scipy.io import loadmat, wavfile

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording import (
    EXPORT_FORMATS,
    Choice,
    EvenChannel,
    Recording,
    export_arrays,
    export_format,
    export_recording,
    export_waves,
    open_recording,
)
from wattigram.core.capture.session import record_run
from wattigram.core.model.design import Workspace

FORMATS = {kind.name: kind for kind in EXPORT_FORMATS}
RATE_HZ = 1000.0


def even(name: str, values: np.ndarray, rate_hz: float = RATE_HZ, unit: str = "V") -> EvenChannel:
    return EvenChannel(name, unit, len(values), rate_hz, lambda begin, end: values[begin:end])


@pytest.fixture
def recording() -> Recording:
    """Two channels of one rate, the second with a sample that never came, and a slower one."""
    first, second = np.sin(np.arange(2000) / 10), np.cos(np.arange(2000) / 7)
    second[5] = np.nan
    slow = np.arange(500.0)
    return Recording(
        "r.h5", "made", (even("a b", first), even("a-b", second), even("slow", slow, 250.0))
    )


def write(recording: Recording, path: Path, kind: str, choice: Choice | None = None) -> list[str]:
    return list(export_recording(recording, path, FORMATS[kind], choice).notes)


def test_a_row_a_sample(recording: Recording, tmp_path: Path) -> None:
    write(recording, tmp_path / "a.csv", "csv")
    with (tmp_path / "a.csv").open() as stream:
        rows = list(csv.DictReader(stream))
    assert len(rows) == 2000 + 1999 + 500
    assert rows[1] == {
        "time_s": "0.001000000",
        "signal": "a b",
        "unit": "V",
        "code": "",
        "value": "0.0998334166",
    }
    with open_recording(tmp_path / "a.csv") as back:
        assert [channel.name for channel in back.channels] == ["a b", "a-b", "slow"]
        assert back.channel("slow").rate_hz == pytest.approx(250)


def test_a_row_an_instant(recording: Recording, tmp_path: Path) -> None:
    write(recording, tmp_path / "a.csv", "wide", Choice(begin_s=0.5, end_s=1.0))
    with (tmp_path / "a.csv").open() as stream:
        rows = list(csv.reader(stream))
    assert rows[0] == ["time (s)", "a b (V)", "a-b (V)", "slow (V)"]
    assert len(rows) == 501
    assert rows[1][0] == "0.500000000"
    assert [row[3] for row in rows[1:6]] == ["125", "", "", "", "126"]
    assert float(rows[10][1]) == pytest.approx(np.sin(50.9), abs=1e-8)


def test_arrays(recording: Recording, tmp_path: Path) -> None:
    write(recording, tmp_path / "a.npz", "npz")
    with np.load(tmp_path / "a.npz") as arrays:
        assert np.isnan(arrays["a-b"][5])
        assert arrays["slow"].tolist() == list(range(500))
        assert arrays["slow/time_s"][4] == pytest.approx(0.016)
    with open_recording(tmp_path / "a.npz") as back:
        assert [channel.rate_hz for channel in back.channels] == pytest.approx([1000, 1000, 250])
        assert not back.channel("a-b").stretch().valid[5]


@pytest.mark.parametrize("is_large", [False, True], ids=["version 5", "version 7.3"])
def test_mat(
    is_large: bool, recording: Recording, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    if is_large:
        monkeypatch.setattr(export_arrays, "LARGEST_OLD_MAT", 1000)
    notes = write(recording, tmp_path / "a.mat", "mat")
    assert "“a-b” is called a_b_2." in notes
    if is_large:
        assert (tmp_path / "a.mat").read_bytes()[124:128] == b"\x00\x02IM"
        with h5py.File(tmp_path / "a.mat") as file:
            first, times = file["a_b"][()].ravel(), file["slow_time_s"][()].ravel()
            assert file["a_b"].attrs["MATLAB_class"] == b"double"
    else:
        variables = loadmat(tmp_path / "a.mat")
        assert variables["a_b"].shape == (2000, 1)
        first, times = variables["a_b"].ravel(), variables["slow_time_s"].ravel()
    assert first == pytest.approx(np.sin(np.arange(2000) / 10))
    assert times[1] == pytest.approx(0.004)
    with open_recording(tmp_path / "a.mat") as back:
        assert back.channel("slow").rate_hz == pytest.approx(250)


@pytest.mark.parametrize("is_large", [False, True], ids=["RIFF", "RF64"])
def test_wav(
    is_large: bool, recording: Recording, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    if is_large:
        monkeypatch.setattr(export_waves, "LARGEST_RIFF", 1000)
    with pytest.raises(TakeError, match="2 rates"):
        write(recording, tmp_path / "a.wav", "wav")
    assert not list(tmp_path.iterdir())
    notes = write(recording, tmp_path / "a.wav", "wav", Choice(("a b", "a-b"), 0.0, 1.5))
    assert any("1 samples never came" in note for note in notes)
    assert (tmp_path / "a.wav").read_bytes()[:4] == (b"RF64" if is_large else b"RIFF")
    rate_hz, data = wavfile.read(tmp_path / "a.wav")
    assert rate_hz == 1000
    assert data.shape == (1500, 2)
    assert data[:, 0] == pytest.approx(np.sin(np.arange(1500) / 10), abs=1e-6)
    assert data[5, 1] == 0
    with open_recording(tmp_path / "a.wav") as back:
        assert back.channels[0].count == 1500


def test_a_rate_that_is_no_whole_number_is_told(tmp_path: Path) -> None:
    recording = Recording("r", "made", (even("a", np.zeros(100), 1000 / 3),))
    assert any("WAV says 333 Hz" in note for note in write(recording, tmp_path / "a.wav", "wav"))
    slow = Recording("r", "made", (even("a", np.zeros(100), 0.1),))
    with pytest.raises(TakeError, match="rates from 1 Hz"):
        write(slow, tmp_path / "b.wav", "wav")


def test_sigmf(recording: Recording, tmp_path: Path) -> None:
    write(recording, tmp_path / "a.sigmf-meta", "sigmf", Choice(("a b", "a-b")))
    meta = json.loads((tmp_path / "a.sigmf-meta").read_text())
    assert meta["global"]["core:datatype"] == "rf32_le"
    assert meta["global"]["core:sample_rate"] == 1000
    assert meta["captures"] == [{"core:sample_start": 0}]
    data = np.fromfile(tmp_path / "a.sigmf-data", dtype="<f4").reshape(-1, 2)
    assert data[:, 0] == pytest.approx(np.sin(np.arange(2000) / 10), abs=1e-6)
    with open_recording(tmp_path / "a.sigmf-data") as back:
        assert [(channel.name, channel.unit) for channel in back.channels] == [
            ("a b", "V"),
            ("a-b", "V"),
        ]


def parsed_changes(path: Path) -> tuple[dict[str, str], dict[str, list[tuple[int, str]]]]:
    """Kinds of variables by their names, and their changes: (time, value)."""
    words = iter(path.read_text().split())
    kinds: dict[str, str] = {}
    names: dict[str, str] = {}
    changes: dict[str, list[tuple[int, str]]] = {}
    now = 0
    for word in words:
        if word == "$var":
            kind, _size, mark, name = (next(words) for _ in range(4))
            assert next(words) == "$end"
            kinds[name], names[mark], changes[name] = kind, name, []
        elif word in {"$version", "$timescale", "$scope", "$upscope", "$enddefinitions"}:
            while next(words) != "$end":
                pass
        elif word in {"$dumpvars", "$end"}:
            continue
        elif word[0] == "#":
            assert int(word[1:]) > now or now == 0
            now = int(word[1:])
        elif word[0] in "br":
            changes[names[next(words)]].append((now, word[1:]))
        else:
            assert word[0] in "01xz"
            changes[names[word[1:]]].append((now, word[0]))
    return kinds, changes


def test_value_changes(recording: Recording, tmp_path: Path) -> None:
    write(recording, tmp_path / "a.vcd", "vcd")
    kinds, changes = parsed_changes(tmp_path / "a.vcd")
    assert kinds == {"a_b": "real", "a_b_2": "real", "slow": "real"}
    assert changes["slow"][3] == (8_000_000_000, "2")
    times = [at for at, _ in changes["a_b"]]
    assert times == sorted(times)


def test_a_take_with_its_events(kiln: Workspace, tmp_path: Path) -> None:
    take = tmp_path / "t.h5"
    record_run(kiln, 2.0, take, fast=True)
    with open_recording(take) as recording:
        write(recording, tmp_path / "a.vcd", "vcd")
        kinds, changes = parsed_changes(tmp_path / "a.vcd")
        write(recording, tmp_path / "a.npz", "npz", Choice(("Coil current",), 0.1, 0.2))
        values = recording.channel("Coil current").stretch(0.1, 0.2)
    assert kinds["event_1_Upper_zone"] == "wire"
    assert [value for _, value in changes["event_1_Upper_zone"]][:2] == ["x", "1"]
    with np.load(tmp_path / "a.npz") as arrays:
        assert arrays["Coil current"] == pytest.approx(values.values)
        assert arrays["Coil current/code"].tolist() == values.codes.tolist()  # type: ignore[union-attr]


def test_nothing_is_written_of_nothing(recording: Recording, tmp_path: Path) -> None:
    with pytest.raises(TakeError, match="Nothing was recorded"):
        write(recording, tmp_path / "a.csv", "csv", Choice(begin_s=5.0))
    with pytest.raises(TakeError, match="no channel “c”"):
        write(recording, tmp_path / "a.csv", "csv", Choice(("c",)))
    with pytest.raises(TakeError, match="cannot be written"):
        write(recording, tmp_path / "none" / "a.csv", "csv")
    assert export_format(Path("a.WAV")).name == "wav"
    assert export_format(Path("a.what")).name == "csv"
