"""The public Python interface: what scripts may rely on.

>>> import wattigram as wg
>>> kiln = wg.open_project("studio-kiln.wattigram.toml")
>>> [finding.code for finding in wg.findings(kiln)]
['sampling-too-short']

Everything else of the package may change from one version to the next. Nothing here knows the window.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from wattigram.core.advise.findings import find_all
from wattigram.core.advise.findings.finding import Finding
from wattigram.core.base.errors import WattigramError
from wattigram.core.model.design import Workspace, edits, open_workspace, save_project
from wattigram.core.model.design.edits import Edit, apply_edit

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from wattigram.core.capture.recording import Recording, Written
    from wattigram.core.capture.recording.into_take import Brought
    from wattigram.core.capture.session import RunOutcome
    from wattigram.core.capture.take import Take
    from wattigram.core.firmware import WrittenFiles
    from wattigram.core.judge import Proof
    from wattigram.core.judge.measured import Measured, Place

__all__ = [
    "Edit",
    "Finding",
    "WattigramError",
    "Workspace",
    "build_firmware",
    "edited",
    "edits",
    "export",
    "findings",
    "frame",
    "import_recording",
    "measure",
    "open_project",
    "open_recording",
    "open_take",
    "places",
    "prove",
    "run",
    "samples",
    "save",
    "write_firmware",
]


def open_project(path: str | Path) -> Workspace:
    """A project with its part; a folder stands for the one project in it.

    Raises
    ------
    WattigramError
        When it cannot be read: says what, where and what to do.
    """
    return open_workspace(Path(path))


def edited(workspace: Workspace, *changes: Edit) -> Workspace:
    """The workspace after some edits, which are values of :mod:`wattigram.api.edits`.

    Raises
    ------
    WattigramError
        When the outcome would be no valid project; nothing was changed then.
    """
    for change in changes:
        workspace = apply_edit(workspace, change)
    return workspace


def save(workspace: Workspace, path: str | Path) -> None:
    """Write the project; comments and order of the file that it came from stay."""
    save_project(workspace.project, Path(path))


def findings(workspace: Workspace) -> tuple[Finding, ...]:
    """What is wrong or doubtful in a design, the most severe first."""
    return find_all(workspace)


def write_firmware(workspace: Workspace, folder: str | Path) -> WrittenFiles:
    """Write the design's C files; own code in the folder is kept.

    Raises
    ------
    WattigramError
        When the design has no firmware, or the folder cannot be written.
    """
    from wattigram.core import firmware

    return firmware.write_firmware(workspace, Path(folder))


def build_firmware(
    workspace: Workspace,
    folder: str | Path,
    *,
    compiler: str = "",
    on_line: Callable[[str], None] = lambda line: None,
) -> Path:
    """Write the design's C files and build them; returns the image, which ``image:PATH`` runs on the virtual board.

    Raises
    ------
    WattigramError
        When there is no compiler, or the C does not build: says the first error with its file and line.
    """
    from wattigram.core.firmware import build

    write_firmware(workspace, folder)
    found = build.find_compiler(compiler)
    if found is None:
        raise WattigramError("There is no compiler.", cure=build.WHAT_TO_INSTALL)
    result = build.build_firmware(Path(folder), workspace.part, found, on_line)
    if result.elf is None:
        first = next((one for one in result.diagnostics if one.is_error), None)
        reason = (
            f"{first.file}:{first.line}: {first.text}"
            if first is not None
            else result.output[-200:]
        )
        raise WattigramError(
            f"The firmware was not built: {reason}.",
            where=str(folder),
            cure="Mend the C and build again.",
        )
    return result.elf


def run(
    workspace: Workspace,
    seconds: float,
    out: str | Path,
    *,
    board: str = "virtual",
    seed: int = 1,
    image: str | Path | None = None,
    overwrite: bool = False,
    start_at: str | None = None,
    before_s: float = 0.0,
    end_at: str | None = None,
    for_s: float | None = None,
    samples: int | None = None,
    split_s: float | None = None,
    times: int | None = 1,
    progress: Callable[[float], None] | None = None,
) -> RunOutcome:
    """Run a board for some seconds of its own time and write the take; or takes that begin and end by themselves.

    Parameters
    ----------
    board : "virtual", or a port such as ``serial:/dev/ttyACM0@115200``, ``tcp:host:port``, ``image:file.elf`` or
        ``rows:source``
    seed : of the virtual board's noise; equal seeds give equal takes
    image : ELF behind a debugger's port
    start_at, end_at : an event or a level, such as "Upper zone: too hot begins" or "Coil current > 2.1 V"
    before_s, for_s : time before ``start_at`` that is recorded too; how long from it on
    samples : of each signal of the first converter, after which a take ends
    split_s : after so long it goes on in another file
    times : how often a recording is begun, None for each time; all are in ``takes`` of the outcome
    progress : told how far it is, from 0 to 1

    Raises
    ------
    WattigramError
        When the board does not answer, a take cannot be written, or what is waited for is nothing of the design.
    ValueError
        When times and counts contradict each other.
    """
    from wattigram.core.capture.session import record_run
    from wattigram.core.capture.session.conditions import parse_condition
    from wattigram.core.capture.session.recording_plan import RecordingPlan

    asked = (start_at, end_at, for_s, samples, split_s) != (None,) * 5 or before_s or times != 1
    plan = None
    if asked:
        plan = RecordingPlan(
            starts=parse_condition(workspace, start_at) if start_at is not None else None,
            before_s=before_s,
            ends=parse_condition(workspace, end_at) if end_at is not None else None,
            for_s=for_s,
            samples=samples,
            split_s=split_s,
            times=times,
        )
    return record_run(
        workspace,
        seconds,
        Path(out),
        board=board,
        fast=board == "virtual",
        seed=seed,
        elf=Path(image) if image is not None else None,
        overwrite=overwrite,
        plan=plan,
        progress=progress,
    )


def open_take(path: str | Path) -> Take:
    """A recorded take; to be closed, or used in a ``with`` statement.

    Raises
    ------
    WattigramError
        When it is none, or damaged.
    """
    from wattigram.core.capture.take import open_take as opened

    return opened(Path(path))


def prove(
    workspace: Workspace, take: Take, progress: Callable[[float], None] | None = None
) -> Proof:
    """Judge the project's expectations on a take."""
    from wattigram.core.judge import prove as proved

    return proved(workspace, take, progress)


def open_recording(path: str | Path, **reading: Any) -> Recording:
    """A take, or a recording of another tool: CSV, WAV, NumPy, MAT, HDF5, SigMF or raw numbers; to be closed, or
    used in a ``with`` statement.

    ``reading`` says what the file does not: ``rate_hz``, ``unit``, ``scale``, ``separator`` and what else
    :class:`wattigram.core.capture.recording.Reading` has.

    Raises
    ------
    WattigramError
        When it is none, or something must be said that was not.
    """
    from wattigram.core.capture.recording import Reading
    from wattigram.core.capture.recording import open_recording as opened

    try:
        said = Reading(**reading)
    except (TypeError, ValueError) as fault:
        raise WattigramError(
            f"The recording cannot be read so: {fault}.", where=str(path)
        ) from fault
    return opened(Path(path), said)


def samples(
    source: Take | Recording, signal: str, begin_s: float | None = None, end_s: float | None = None
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Instants in seconds and values, (n,) float64 both, of a stretch of a signal; NaN for what never came.

    Raises
    ------
    WattigramError
        When there is no such signal, or the stretch holds more than 16 million samples.
    """
    import numpy as np

    block = _recording(source).channel(signal).stretch(begin_s, end_s)
    return block.times_s, np.where(block.valid, block.values, np.nan)


def frame(
    source: Take | Recording,
    signals: tuple[str, ...] = (),
    begin_s: float | None = None,
    end_s: float | None = None,
) -> Any:
    """A pandas ``DataFrame``: one column a signal over seconds, NaN where one was not sampled; pandas must be
    there.

    Raises
    ------
    WattigramError
        Without pandas, and as :func:`samples`.
    """
    try:
        import pandas
    except ImportError as fault:
        raise WattigramError(
            "There is no pandas here.", cure="Install it: pip install pandas."
        ) from fault
    recording = _recording(source)
    names = signals or tuple(channel.name for channel in recording.channels)
    columns = {}
    for name in names:
        times_s, values = samples(source, name, begin_s, end_s)
        columns[name] = pandas.Series(values, index=times_s)
    table = pandas.DataFrame(columns)
    table.index.name = "time_s"
    return table


def measure(
    source: Take | Recording,
    kind: str,
    *signals: str,
    begin_s: float | None = None,
    end_s: float | None = None,
    progress: Callable[[float], None] | None = None,
    **options: Any,
) -> Measured:
    """What is measured of a stretch, each figure with its uncertainty, and with what the design predicts where it is a
    take.

    Parameters
    ----------
    kind : ``statistics``, ``expected``, ``sine``, ``spectrum``, ``histogram``, ``intervals``, ``folded``, ``step``; of two signals
        ``gain``, ``response``, ``against``, ``lag``
    progress : is told how much was read, 0 to 1, and may raise to end it
    options : of :class:`wattigram.core.judge.measured.Wanted`, such as ``window``, ``stimulus``, ``level``

    Raises
    ------
    WattigramError
        When there is not enough to measure, or no such signal.
    """
    from wattigram.core.judge.measured import Wanted
    from wattigram.core.judge.measured import measure as measured

    try:
        wanted = Wanted(kind, signals, begin_s, end_s, **options)
    except TypeError as fault:
        raise WattigramError(f"That is no way to measure: {fault}.") from fault
    return measured(_recording(source), wanted, progress)


def places(
    source: Take | Recording,
    what: str,
    signal: str,
    *,
    level: float | None = None,
    begin_s: float | None = None,
    end_s: float | None = None,
) -> Iterator[Place]:
    """Where a stream is not as expected, or something happens in it, one place after the other, each with
    ``begin_s``, ``end_s`` and ``title``.

    Parameters
    ----------
    what : ``unexpected``, ``missing``, ``event``, ``jump`` or ``level``
    level : of ``level``, in the channel's unit

    Raises
    ------
    WattigramError
        When it cannot be looked for there.
    """
    from wattigram.core.judge.measured import Sought, places_between

    return places_between(_recording(source), Sought(what, signal, level), begin_s, end_s)


def import_recording(
    recording: Recording,
    workspace: Workspace,
    signals: dict[str, str],
    out: str | Path,
    *,
    overwrite: bool = False,
    progress: Callable[[float], None] | None = None,
) -> Brought:
    """Make a take of a recording of another tool; ``signals`` names the channel of each signal.

    Raises
    ------
    WattigramError
        When signals and channels do not fit, or the take cannot be written.
    """
    from wattigram.core.capture.recording.into_take import bring_in

    return bring_in(
        recording, workspace, signals, Path(out), overwrite=overwrite, progress=progress
    )


def export(
    source: Take | Recording,
    path: str | Path,
    kind: str = "",
    *,
    signals: tuple[str, ...] = (),
    begin_s: float | None = None,
    end_s: float | None = None,
    progress: Callable[[float], None] | None = None,
) -> Written:
    """Write a recording for other programs: ``csv``, ``wide``, ``npz``, ``wav``, ``mat``, ``sigmf`` or ``vcd``, by
    its ending where nothing is said.

    Raises
    ------
    WattigramError
        When the format cannot hold it, or the file cannot be written.
    """
    from wattigram.core.capture.recording import EXPORT_FORMATS, Choice, export_recording

    formats = {one.name: one for one in EXPORT_FORMATS}
    if kind and kind not in formats:
        raise WattigramError(f"“{kind}” is no format.", cure=f"Choose one of {', '.join(formats)}.")
    choice = Choice(signals, begin_s, end_s)
    return export_recording(_recording(source), Path(path), formats.get(kind), choice, progress)


def _recording(source: Take | Recording) -> Recording:
    """A take as a recording; whoever opened it closes it."""
    from wattigram.core.capture.recording import recording_of_take
    from wattigram.core.capture.take import Take

    return recording_of_take(source) if isinstance(source, Take) else source
