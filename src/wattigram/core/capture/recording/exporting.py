"""Recordings as files that other programs read: which formats there are, and what of a recording is wanted."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib import import_module
from pathlib import Path

import msgspec

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.recording.channel import Channel, Recording

Progress = Callable[[float], None]


class Choice(msgspec.Struct, frozen=True):
    """What is written: channels by their names, all where nothing is said, and a stretch in seconds."""

    names: tuple[str, ...] = ()
    begin_s: float | None = None
    end_s: float | None = None

    def channels(self, recording: Recording) -> tuple[Channel, ...]:
        """Those that are wanted.

        Raises
        ------
        TakeError
            Where one is not there, or none has samples in the stretch.
        """
        chosen = (
            tuple(recording.channel(name) for name in self.names)
            if self.names
            else recording.channels
        )
        if not any(end > begin for begin, end in map(self.numbers, chosen)):
            raise TakeError(
                "Nothing was recorded of what is wanted.",
                where=recording.title,
                cure="Choose other channels, or another stretch.",
            )
        return chosen

    def numbers(self, channel: Channel) -> tuple[int, int]:
        """Numbers of a channel's samples that are wanted."""
        return channel.numbers(self.begin_s, self.end_s)


class Written(msgspec.Struct, frozen=True):
    """What was written: rows, or samples of each channel, and what the format could not hold, in sentences."""

    rows: int
    notes: tuple[str, ...] = ()


class ExportFormat(msgspec.Struct, frozen=True):
    """A kind of file.

    Attributes
    ----------
    name, suffix : by which it is asked for, and its file's ending
    title, help : as it is called where one saves, and what it holds
    home : module and function that write it
    """

    name: str
    suffix: str
    title: str
    help: str
    home: str


EXPORT_FORMATS = (
    ExportFormat("csv", ".csv", "Table, a row a sample", "Write a table here, one row a sample.", "export_tables:write_long"),
    ExportFormat(
        "wide", ".csv", "Table, a column a channel", "Write a table here, one row an instant and one column a channel.",
        "export_tables:write_wide",
    ),
    ExportFormat("npz", ".npz", "NumPy arrays", "Write NumPy arrays here: values, instants and codes.", "export_arrays:write_npz"),
    ExportFormat("wav", ".wav", "WAV", "Write a WAV file of 32-bit floats here.", "export_waves:write_wav"),
    ExportFormat("mat", ".mat", "MAT", "Write a MAT file here.", "export_arrays:write_mat"),
    ExportFormat("sigmf", ".sigmf-meta", "SigMF", "Write a SigMF recording here, two files.", "export_waves:write_sigmf"),
    ExportFormat(
        "vcd", ".vcd", "Value changes (VCD)", "Write value changes here: channels, outputs, pins and events.",
        "export_changes:write_vcd",
    ),
)  # fmt: skip


def export_format(path: Path) -> ExportFormat:
    """The format that a file's ending says; the first table where it says none."""
    suffix = path.suffix.lower()
    return next((kind for kind in EXPORT_FORMATS if kind.suffix == suffix), EXPORT_FORMATS[0])


def export_recording(
    recording: Recording,
    path: Path,
    kind: ExportFormat | None = None,
    choice: Choice | None = None,
    progress: Progress | None = None,
) -> Written:
    """Write what is wanted of a recording; the file has its name only once it is whole.

    Raises
    ------
    TakeError
        Where the format cannot hold it, or the file cannot be written.
    """
    kind = kind or export_format(path)
    module, name = kind.home.split(":")
    write: Callable[[Recording, Path, Choice, Progress], Written] = getattr(
        import_module(f"wattigram.core.capture.recording.{module}"), name
    )
    try:
        return write(recording, path, choice or Choice(), progress or (lambda share: None))
    except OSError as fault:
        raise TakeError(
            f"The file cannot be written: {fault.strerror or fault}.",
            where=str(path),
            cure="Choose another place, or make room there.",
        ) from fault


@contextmanager
def new_file(path: Path) -> Iterator[Path]:
    """A file beside ``path`` that takes its name when all is well, and goes otherwise."""
    new = path.with_name(f".{path.name}.{os.getpid()}.new")
    try:
        yield new
        new.replace(path)
    finally:
        with contextlib.suppress(OSError):
            new.unlink()


class Share:
    """Tells how far something is, from how many samples are done."""

    def __init__(self, progress: Progress, total: int) -> None:
        self._progress, self._total, self._done = progress, max(1, total), 0

    def add(self, samples: int) -> None:
        """So many more."""
        self._done += samples
        self._progress(min(1.0, self._done / self._total))


def common_rate(channels: tuple[Channel, ...], choice: Choice, title: str) -> float:
    """The one rate of channels that a format without instants can hold.

    Raises
    ------
    TakeError
        Where samples are not even, or rates differ.
    """
    for channel in channels:
        if channel.rate_hz is None:
            raise TakeError(
                f"{title} has no instants, and “{channel.name}” is not evenly sampled.",
                cure="Choose other channels, or a format with instants: a table, NumPy, MAT.",
            )
    rates = {round(channel.rate_hz or 0.0, 9) for channel in channels}
    counts = {end - begin for begin, end in map(choice.numbers, channels)}
    if len(rates) > 1 or max(counts) - min(counts) > 1:
        raise TakeError(
            f"{title} has one rate for all channels, and these have {len(rates)} rates or begin and end apart.",
            cure="Choose channels of one rate.",
        )
    return channels[0].rate_hz or 0.0
