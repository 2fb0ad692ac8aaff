"""Recordings that other tools made: NumPy, h5py, SciPy, the wave module, and files written byte by byte."""

from __future__ import annotations

import json
import struct
import wave
import zipfile
from collections.abc import Callable
from pathlib import Path

import h5py
import numpy as np
import pytest
from scipy.io import savemat, wavfile

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording import Reading, Recording, open_recording

RATE_HZ = 8000
TIMES_S = np.arange(4000) / RATE_HZ
VALUES = 1.5 + np.sin(2 * np.pi * 50 * TIMES_S)
OTHER = np.cos(2 * np.pi * 70 * TIMES_S)


def write_npy(folder: Path) -> Path:
    np.save(folder / "a.npy", np.stack((VALUES, OTHER), axis=1))
    return folder / "a.npy"


def write_npz(folder: Path) -> Path:
    np.savez(folder / "a.npz", first=VALUES, second=OTHER, fs=np.array(RATE_HZ))
    return folder / "a.npz"


def write_npz_with_times(folder: Path) -> Path:
    np.savez_compressed(folder / "a.npz", time=TIMES_S + 5, first=VALUES, second=OTHER)
    return folder / "a.npz"


def write_float_wav(folder: Path) -> Path:
    both = np.stack((VALUES, OTHER), axis=1).astype(np.float32)
    wavfile.write(folder / "a.wav", RATE_HZ, both)
    return folder / "a.wav"


def write_hdf5(folder: Path) -> Path:
    with h5py.File(folder / "a.h5", "w") as file:
        group = file.create_group("run 1")
        group.attrs["sample_rate"] = RATE_HZ
        group.create_dataset("first", data=VALUES).attrs["units"] = "V"
        group.create_dataset("second", data=OTHER)
    return folder / "a.h5"


def write_hdf5_with_times(folder: Path) -> Path:
    with h5py.File(folder / "a.hdf5", "w") as file:
        file["time"] = TIMES_S
        file["both"] = np.stack((VALUES, OTHER), axis=1)
    return folder / "a.hdf5"


def write_mat(folder: Path) -> Path:
    savemat(folder / "a.mat", {"first": VALUES[:, None], "second": OTHER[None, :], "fs": 8000.0})
    return folder / "a.mat"


def write_mat_73(folder: Path) -> Path:
    with h5py.File(folder / "a.mat", "w", userblock_size=512) as file:
        for name, data in (("first", VALUES), ("second", OTHER), ("t", TIMES_S)):
            file.create_dataset(name, data=data[None, :]).attrs["MATLAB_class"] = np.bytes_(
                "double"
            )
    with (folder / "a.mat").open("r+b") as stream:
        stream.write(b"MATLAB 7.3 MAT-file, Platform: GLNXA64".ljust(124) + b"\x00\x02IM")
    return folder / "a.mat"


def write_sigmf(folder: Path) -> Path:
    meta = {
        "global": {"core:datatype": "rf64_le", "core:sample_rate": RATE_HZ, "core:num_channels": 2, "core:version": "1.0.0"},
        "captures": [{"core:sample_start": 0}],
        "annotations": [],
    }  # fmt: skip
    (folder / "a.sigmf-meta").write_text(json.dumps(meta))
    np.stack((VALUES, OTHER), axis=1).tofile(folder / "a.sigmf-data")
    return folder / "a.sigmf-meta"


def write_csv(folder: Path) -> Path:
    rows = "\n".join(
        f"{t:.6f},{a:.9f},{b:.9f}" for t, a, b in zip(TIMES_S, VALUES, OTHER, strict=True)
    )
    (folder / "a.csv").write_text(f"time (s),first (V),second (V)\n{rows}\n")
    return folder / "a.csv"


def write_german_table(folder: Path) -> Path:
    rows = [
        f"{t * 1e3:.3f};{a:.9f};{b:.9f}".replace(".", ",")
        for t, a, b in zip(TIMES_S, VALUES, OTHER, strict=True)
    ]
    text = "\r\n".join(["Messung vom 28.11.2026", "Zeit [ms];U1 [V];U2 [V]", *rows])
    (folder / "a.txt").write_bytes(text.encode("utf-16"))
    return folder / "a.txt"


WRITERS: dict[str, tuple[Callable[[Path], Path], Reading]] = {
    "npy": (write_npy, Reading(rate_hz=RATE_HZ)),
    "npz": (write_npz, Reading()),
    "npz with times": (write_npz_with_times, Reading()),
    "wav": (write_float_wav, Reading()),
    "hdf5": (write_hdf5, Reading()),
    "hdf5 with times": (write_hdf5_with_times, Reading()),
    "mat": (write_mat, Reading()),
    "mat 7.3": (write_mat_73, Reading()),
    "sigmf": (write_sigmf, Reading()),
    "csv": (write_csv, Reading()),
    "a table as offices write it": (write_german_table, Reading()),
}


@pytest.mark.parametrize("writer", WRITERS)
def test_is_read_as_it_was_written(writer: str, tmp_path: Path) -> None:
    write, reading = WRITERS[writer]
    with open_recording(write(tmp_path), reading) as recording:
        assert len(recording.channels) == 2
        for channel, wanted in zip(recording.channels, (VALUES, OTHER), strict=True):
            assert channel.rate_hz == pytest.approx(RATE_HZ)
            block = channel.stretch()
            assert block.values == pytest.approx(wanted, abs=1e-6)
            assert block.times_s == pytest.approx(TIMES_S, abs=1e-6)
            part = channel.stretch(0.1, 0.2)
            assert len(part) == 800
            assert part.times_s[0] == pytest.approx(0.1)


@pytest.mark.parametrize(
    ("dtype", "bits"), [(np.uint8, 8), (np.int16, 16), (np.int32, 32)], ids=["8", "16", "32"]
)
def test_whole_numbers_of_wav_are_shares_of_full_scale(
    dtype: type, bits: int, tmp_path: Path
) -> None:
    half = 1 << (bits - 1)
    codes = np.array([0, half // 2, half - 1, -half // 2, -half], dtype=np.int64)
    wavfile.write(tmp_path / "a.wav", 1000, (codes + (half if bits == 8 else 0)).astype(dtype))
    with open_recording(tmp_path / "a.wav", Reading(scale=3.3, unit="V")) as recording:
        (channel,) = recording.channels
        block = channel.stretch()
    assert channel.unit == "V"
    assert block.values == pytest.approx(3.3 * codes / half)
    assert block.codes is not None
    assert channel.lsb == pytest.approx(3.3 / half)


def test_wav_of_24_bits(tmp_path: Path) -> None:
    codes = [0, 1, -1, 8_388_607, -8_388_608]
    with wave.open(str(tmp_path / "a.wav"), "wb") as file:
        file.setnchannels(1)
        file.setsampwidth(3)
        file.setframerate(48_000)
        file.writeframes(b"".join(code.to_bytes(3, "little", signed=True) for code in codes))
    with open_recording(tmp_path / "a.wav") as recording:
        block = recording.channels[0].stretch()
    assert block.codes is not None
    assert block.codes.tolist() == codes
    assert block.values[3] == pytest.approx(1, abs=1e-6)


@pytest.mark.parametrize(
    ("number", "packed"),
    [
        ("u8", b"\x01\xff"),
        ("i16", struct.pack("<2h", 1, -1)),
        ("u32", struct.pack("<2I", 1, 1 << 31)),
        ("f32", struct.pack("<2f", 1.0, -1.5)),
        ("f64", struct.pack("<2d", 1.0, -1.5)),
    ],
)
def test_raw_numbers(number: str, packed: bytes, tmp_path: Path) -> None:
    (tmp_path / "a.bin").write_bytes(b"head" + packed * 100)
    reading = Reading(number=number, rate_hz=100, channels=2, skip_bytes=4)  # type: ignore[arg-type]
    with open_recording(tmp_path / "a.bin", reading) as recording:
        first, second = (channel.stretch().values for channel in recording.channels)
    assert first.tolist() == [1] * 100
    wanted = {"u8": 255, "i16": -1, "u32": 1 << 31, "f32": -1.5, "f64": -1.5}[number]
    assert second.tolist() == [wanted] * 100
    big = tmp_path / "big.raw"
    big.write_bytes(b"\x00\x00\x01\xff\xff\xfe")
    with open_recording(big, Reading(number="i24", rate_hz=1, big_endian=True)) as recording:
        assert recording.channels[0].stretch().values.tolist() == [1, -2]


def test_a_table_without_times_wants_a_rate_and_one_with_uneven_times_keeps_them(
    tmp_path: Path,
) -> None:
    path = tmp_path / "a.csv"
    path.write_text("\n".join(f"{n % 7};{n % 5}" for n in range(100)))
    with pytest.raises(TakeError, match="nobody says the rate"):
        open_recording(path)
    with open_recording(path, Reading(rate_hz=10)) as recording:
        assert recording.seconds == pytest.approx(9.9)
    path.write_text("t,a\n" + "\n".join(f"{n * n / 100},{n}" for n in range(100)))
    with open_recording(path) as recording:
        (channel,) = recording.channels
        assert channel.rate_hz is None
        assert channel.number_at(1.0) == 10
        assert channel.stretch(1.0, 2.0).values.tolist() == [10, 11, 12, 13, 14]
    path.write_text("t,a\n1,1\n2,2\n1.5,3\n4,4\n")
    with pytest.raises(TakeError, match="do not ascend"):
        open_recording(path)


def test_a_column_that_was_sampled_more_rarely(tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    rows = [f"{n / 10},{n},{n * 2 if n % 5 == 0 else ''}" for n in range(100)]
    path.write_text('"time, s","a, fast","b"\n' + "\n".join(rows))
    with open_recording(path, Reading(time_column="time, s")) as recording:
        fast, slow = recording.channels
        assert (fast.name, fast.count, slow.count) == ("a, fast", 100, 20)
        assert slow.rate_hz == pytest.approx(2)
        assert slow.stretch().values[3] == 30


def test_a_table_that_may_be_two_things_is_asked_about(tmp_path: Path) -> None:
    path = tmp_path / "a.csv"
    path.write_text("\n".join(f"{n % 90 + 10},{n % 9 + 1}" for n in range(50)))
    with pytest.raises(TakeError, match="more than one way"):
        open_recording(path, Reading(rate_hz=1))
    reading = Reading(rate_hz=1, separator=",", decimal=".")
    with open_recording(path, reading) as recording:
        assert len(recording.channels) == 2
    with open_recording(path, Reading(rate_hz=1, separator=";", decimal=",")) as recording:
        assert recording.channels[0].stretch().values[0] == pytest.approx(10.1)


def refused(path: Path, match: str, reading: Reading | None = None) -> None:
    with pytest.raises(TakeError, match=match) as fault:
        open_recording(path, reading)
    assert str(path) in str(fault.value)


def test_what_is_no_recording_is_refused_with_a_sentence(tmp_path: Path) -> None:
    refused(tmp_path / "none.csv", "no such file")
    refused(tmp_path, "folder")
    for name, data in {
        "empty.csv": b"",
        "words.csv": b"hello\nworld\n",
        "cut.wav": b"RIFF\x00\x00",
        "other.wav": b"RIFF\x04\x00\x00\x00AVI fmt ",
        "loud.wav": b"RIFF\xff\xff\xff\xffWAVEfmt \x10\x00\x00\x00"
        + b"\xff" * 16
        + b"data\xff\xff\xff\xff",
        "cut.npy": b"\x93NUMPY\x01\x00",
        "cut.npz": b"PK\x03\x04rest",
        "cut.h5": b"\x89HDF\r\n\x1a\n" + bytes(100),
        "cut.mat": b"MATLAB 5.0 MAT-file".ljust(128, b"\xff"),
        "half.sigmf-meta": b"{}",
        "what.xyz": b"\x00\x01\x02\x03" * 10,
        "short.raw": b"",
    }.items():
        path = tmp_path / name
        path.write_bytes(data)
        reading = Reading(number="i16", rate_hz=1) if name.endswith(".raw") else None
        refused(path, ".", reading)


def test_a_strangers_arrays_run_no_code_and_fill_no_memory(tmp_path: Path) -> None:
    objects = np.empty(1, dtype=object)
    objects[0] = print
    np.save(tmp_path / "o.npy", objects, allow_pickle=True)
    refused(tmp_path / "o.npy", "cannot be opened")
    bomb = tmp_path / "b.npz"
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
        for number in range(3):
            archive.writestr(f"{number}.npy", bytes(800 << 20))
    refused(bomb, "GB of memory")
    meta = {
        "global": {"core:datatype": "rf32_le", "core:sample_rate": 1, "core:num_channels": 10**9}
    }
    (tmp_path / "m.sigmf-meta").write_text(json.dumps(meta))
    (tmp_path / "m.sigmf-data").write_bytes(bytes(16))
    refused(tmp_path / "m.sigmf-meta", "channels")


def test_a_wav_file_that_was_cut_off_gives_what_is_there(tmp_path: Path) -> None:
    wavfile.write(tmp_path / "a.wav", 1000, np.arange(1000, dtype=np.int16))
    data = (tmp_path / "a.wav").read_bytes()
    (tmp_path / "b.wav").write_bytes(data[:1045])
    with open_recording(tmp_path / "b.wav") as recording:
        assert recording.channels[0].count == 500
        assert any("ends before" in note for note in recording.notes)


def channel_names(recording: Recording) -> list[str]:
    return [channel.name for channel in recording.channels]


def test_records_are_channels_by_their_fields(tmp_path: Path) -> None:
    rows = np.zeros(100, dtype=[("time", "f8"), ("u", "i2"), ("label", "S4")])
    rows["time"], rows["u"] = np.arange(100) * 0.5, np.arange(100)
    np.save(tmp_path / "r.npy", rows)
    with open_recording(tmp_path / "r.npy") as recording:
        assert channel_names(recording) == ["u"]
        assert recording.channels[0].rate_hz == pytest.approx(2)
    with pytest.raises(TakeError, match="no channel"):
        open_recording(tmp_path / "r.npy").channel("v")
