"""``wattigram take``: what is in a recording, what it measures, and taking it in and out."""

from __future__ import annotations

import json
from itertools import islice
from pathlib import Path
from typing import Any

import click

from wattigram.cli.progress import Progress
from wattigram.cli.reading_options import RATE, TIME, reading_of, reading_options, signal_pairs
from wattigram.core.analysis import Moments
from wattigram.core.analysis.spectra import WINDOWS
from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.recording import (
    EXPORT_FORMATS,
    Choice,
    Recording,
    export_recording,
    open_recording,
)
from wattigram.core.capture.recording.from_take import TakeRecording
from wattigram.core.capture.take.repair import repair_take
from wattigram.core.judge.measured import (
    KINDS,
    PLACES,
    Measured,
    Place,
    Sought,
    Wanted,
    measure,
    places_between,
)


@click.group()
def app() -> None:
    """Look into takes and recordings of other tools, measure, import and export them."""


@app.command("info")
@click.argument("take", type=click.Path(path_type=Path))
@reading_options
def info(take: Path, **said: Any) -> None:
    """Say what a take, or a recording of another tool, holds.

    TAKE: Take (HDF5), or a recording.
    """
    with open_recording(take, reading_of(said)) as recording:
        if isinstance(recording, TakeRecording):
            _take_info(take, recording)
        else:
            _recording_info(recording)


def _recording_info(recording: Recording) -> None:
    click.echo(f"{recording.title}: {recording.format}, {recording.seconds:.6g} s")
    for channel in recording.channels:
        moments, missing = Moments(), 0
        for block in channel.blocks():
            moments.add(block.values[block.valid])
            missing += len(block) - int(block.valid.sum())
        rate = "instants of its own" if channel.rate_hz is None else f"{channel.rate_hz:.9g} Hz"
        lost = f", {missing} missing" if missing else ""
        unit = f" {channel.unit}" if channel.unit else ""
        click.echo(
            f"  {channel.name}: {channel.count} samples, {rate}{lost}, mean {moments.mean:.6g}{unit}"
        )
    for note in recording.notes:
        click.echo(f"  {note}")


def _take_info(path: Path, recording: TakeRecording) -> None:
    opened = recording.take
    state = "complete" if opened.complete else "not finished: it ends at the last flush"
    click.echo(
        f"{path}: {opened.board or 'unknown board'}, build {opened.build_id}, {opened.started}, {state}"
    )
    since = f" from {opened.begins_s:.4f} s of the run on" if opened.begins_ticks else ""
    click.echo(
        f"  {opened.span_s:.4f} s{since}, {opened.samples} samples, {opened.lost_cycles} scans "
        f"lost, {len(opened.events)} events"
    )
    for signal in opened.workspace.project.signals:
        if opened.workspace.project.chain_of(signal.name) is None:
            click.echo(f"  {signal.name}: not converted")
            continue
        raw, reduced = Moments(), 0
        for block in opened.blocks(signal.name):
            raw.add(block.volts[block.valid])
        for block in opened.blocks(signal.name, reduced=True):
            reduced += block.count
        extra = f", {reduced} filtered" if signal.later_filter is not None else ""
        mean = f", mean {raw.mean:.4f} V" if raw.count else ""
        click.echo(f"  {signal.name}: {raw.count} samples{extra}{mean}")
    for gap in opened.gaps:
        click.echo(f"  gap: stream {gap['stream']}, {gap['count']} samples from {gap['first']}")


@app.command("repair")
@click.argument("take", type=click.Path(path_type=Path))
@click.option(
    "--out",
    "out",
    type=click.Path(path_type=Path),
    help="New take; beside the old one where it is not given.",
)
def repair(take: Path, out: Path | None) -> None:
    """Make a sound take of a damaged one; the damaged file stays as it is. Exit status 1 when
    something was missing.

    TAKE: Take (HDF5) that was damaged.
    """
    target = out or take.with_name(f"{take.stem} repaired.h5")
    mended = repair_take(take, target)
    for line in mended:
        click.echo(f"  {line}")
    click.echo(
        f"{target}: "
        + ("written from what could be read." if mended else "written; nothing was damaged.")
    )
    raise click.exceptions.Exit(1 if mended else 0)


@app.command("analyse")
@click.argument("take", type=click.Path(path_type=Path))
@click.argument("what", type=click.Choice([kind.name for kind in KINDS]))
@click.option(
    "--signal", "signals", multiple=True, help="Signal or channel; twice where two are compared."
)
@click.option("--from", "begin_s", type=TIME, help="Where the stretch begins.")
@click.option("--to", "end_s", type=TIME, help="Where it ends.")
@click.option("--window", type=click.Choice(list(WINDOWS)), default="hann", help="Of a spectrum.")
@click.option(
    "--segment", type=click.IntRange(16, 1 << 24), help="Samples in a segment of a spectrum."
)
@click.option(
    "--stimulus", type=click.Choice(["sine", "ramp"]), help="What was put in, for INL and DNL."
)
@click.option("--level", type=float, help="Level that is crossed, for intervals.")
@click.option("--falling", is_flag=True, help="Count falling crossings.")
@click.option("--period", type=TIME, help="Period that a stream is folded at.")
@click.option("--frequency", type=RATE, help="Frequency of gain and phase.")
@click.option(
    "--band",
    type=click.FloatRange(0, 1, min_open=True),
    default=0.01,
    help="Share of a step within which it is settled.",
)
@click.option("--curves", is_flag=True, help="With JSON, also what a plot shows.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON for scripts.")
@reading_options
def analyse(
    take: Path,
    what: str,
    signals: tuple[str, ...],
    begin_s: float | None,
    end_s: float | None,
    window: Any,
    segment: int | None,
    stimulus: str | None,
    level: float | None,
    falling: bool,
    period: float | None,
    frequency: float | None,
    band: float,
    curves: bool,
    as_json: bool,
    **said: Any,
) -> None:
    """Measure a stretch of a take, or of a recording of another tool.

    TAKE: Take (HDF5), or a recording. WHAT: what is measured.
    """
    kind = next(kind for kind in KINDS if kind.name == what)
    with open_recording(take, reading_of(said)) as recording:
        names = signals or tuple(
            channel.name
            for channel in recording.channels
            if what != "histogram" or channel.lsb is not None
        )
        if kind.channels > 1 or len(names) == 1:
            sets = [names[: kind.channels] if not signals else names]
        else:
            sets = [(name,) for name in names]
        progress = Progress("Measuring")
        told = [
            measure(
                recording,
                Wanted(
                    what,
                    one,
                    begin_s,
                    end_s,
                    window=window,
                    segment=segment,
                    stimulus=stimulus or "",
                    level=level,
                    rising=not falling,
                    period_s=period,
                    frequency_hz=frequency,
                    band=band,
                ),
                progress,
            )
            for one in sets
        ]
        progress.done()
    if as_json:
        click.echo(
            json.dumps([one.data(curves=curves) for one in told], indent=2, ensure_ascii=False)
        )
        return
    for one in told:
        _show(one)


def _show(measured: Measured) -> None:
    missing = f", {measured.missing} missing" if measured.missing else ""
    click.echo(
        f"{' → '.join(measured.channels)}: {measured.samples} samples{missing}, "
        f"{measured.begin_s:.6g} s to {measured.end_s:.6g} s"
    )
    width = max(len(figure.title) for figure in measured.figures)
    for figure in measured.figures:
        due = f"   predicted {figure.predicted_text}" if figure.predicted is not None else ""
        note = f"   ({figure.note})" if figure.note else ""
        click.echo(f"  {figure.title:<{width}}  {figure.text}{due}{note}")
    for note in measured.notes:
        click.echo(f"  {note}")


@app.command("find")
@click.argument("take", type=click.Path(path_type=Path))
@click.argument("what", type=click.Choice(list(PLACES)))
@click.option(
    "--signal", "signals", multiple=True, help="Signal or channel; each that can be without it."
)
@click.option("--from", "begin_s", type=TIME, help="Where the stretch begins.")
@click.option("--to", "end_s", type=TIME, help="Where it ends.")
@click.option("--level", type=float, help="In the channel's unit, for level.")
@click.option(
    "--most", type=click.IntRange(min=1), default=1000, help="So many places of a signal at most."
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON for scripts.")
@reading_options
def find(
    take: Path,
    what: str,
    signals: tuple[str, ...],
    begin_s: float | None,
    end_s: float | None,
    level: float | None,
    most: int,
    as_json: bool,
    **said: Any,
) -> None:
    """List the places where a recording is not as expected, or where something happens. Exit status 1 when there is none.

    TAKE: Take (HDF5), or a recording. WHAT: what is looked for.
    """
    told: list[tuple[str, Place]] = []
    left: list[WattigramError] = []
    with open_recording(take, reading_of(said)) as recording:
        names = signals or tuple(channel.name for channel in recording.channels)
        for name in names:
            try:
                found = places_between(recording, Sought(what, name, level), begin_s, end_s)
                places = list(islice(found, most))
            except WattigramError as fault:
                left.append(fault)
                continue
            # Events are the signal's, whichever of its channels they are looked for in.
            known = {one for _name, one in told}
            told += [(name, place) for place in places if place not in known]
    if left and (signals or len(left) == len(names)):
        raise left[0]
    for why in left:
        click.echo(str(why), err=True)
    if as_json:
        rows = [
            {"signal": name, "begin_s": one.begin_s, "end_s": one.end_s, "text": one.title}
            for name, one in told
        ]
        click.echo(json.dumps(rows, indent=2, ensure_ascii=False))
    else:
        for name, one in told:
            click.echo(f"{one.begin_s:.9g} s  {name}: {one.title}")
        if not told:
            click.echo(f"Nothing was found: {PLACES[what].title}.")
    raise click.exceptions.Exit(0 if told else 1)


@app.command("import")
@click.argument("recording", type=click.Path(path_type=Path))
@click.option(
    "--project",
    type=click.Path(path_type=Path),
    required=True,
    help="Design that the recording is of.",
)
@click.option(
    "--map",
    "pairs",
    multiple=True,
    help="SIGNAL=CHANNEL, for each signal; the same name without it.",
)
@click.option("--out", type=click.Path(path_type=Path), required=True, help="Take to write (HDF5).")
@click.option("--force", is_flag=True, help="Replace a take that lies there already.")
@reading_options
def bring(
    recording: Path,
    project: Path,
    pairs: tuple[str, ...],
    out: Path,
    force: bool,
    **said: Any,
) -> None:
    """Make a take of a recording of another tool, to be proved like any other.

    RECORDING: Table, WAV, NumPy, MAT, HDF5, SigMF or raw file.
    """
    from wattigram.core.capture.recording.into_take import bring_in  # late: only this needs it
    from wattigram.core.model.design import open_workspace

    workspace = open_workspace(project)
    with open_recording(recording, reading_of(said)) as opened:
        channels = signal_pairs(pairs)
        if not channels:
            known = {channel.name for channel in opened.channels}
            channels = {
                signal.name: signal.name
                for signal in workspace.project.signals
                if signal.name in known
            }
        progress = Progress("Bringing in")
        brought = bring_in(opened, workspace, channels, out, overwrite=force, progress=progress)
        progress.done()
        notes = (*opened.notes, *brought.notes)
    click.echo(f"{out}: {brought.scans} scans")
    for note in notes:
        click.echo(f"  {note}")


def _export_options(command: Any) -> Any:
    for kind in reversed(EXPORT_FORMATS):
        option = click.option(
            f"--{kind.name}", kind.name, type=click.Path(path_type=Path), help=kind.help
        )
        command = option(command)
    return command


@app.command("export")
@click.argument("take", type=click.Path(path_type=Path))
@_export_options
@click.option(
    "--signal", "signals", multiple=True, help="Signal or channel to write; all without it."
)
@click.option("--from", "begin_s", type=TIME, help="Where the stretch begins.")
@click.option("--to", "end_s", type=TIME, help="Where it ends.")
@reading_options
def export(
    take: Path,
    signals: tuple[str, ...],
    begin_s: float | None,
    end_s: float | None,
    **said: Any,
) -> None:
    """Write a recording for other programs.

    TAKE: Take (HDF5), or a recording.
    """
    wanted = [(kind, said[kind.name]) for kind in EXPORT_FORMATS if said[kind.name] is not None]
    if not wanted:
        known = " or ".join(f"--{kind.name} FILE" for kind in EXPORT_FORMATS)
        raise WattigramError("Nothing says what to write.", cure=f"Give {known}.")
    choice = Choice(signals, begin_s, end_s)
    with open_recording(take, reading_of(said)) as recording:
        for kind, path in wanted:
            progress = Progress("Exporting")
            written = export_recording(recording, path, kind, choice, progress)
            progress.done()
            click.echo(f"{path}: {written.rows} rows")
            for note in written.notes:
                click.echo(f"  {note}")
