"""``wattigram stream``: what another firmware sends, looked at in the terminal."""

from __future__ import annotations

import csv
import json
import math
import time
from fractions import Fraction
from pathlib import Path
from typing import Any

import click
import numpy as np
from numpy.typing import NDArray

from wattigram.cli.ending import ending_signals
from wattigram.cli.reading_options import DECIMALS, RATE, SEPARATORS, TIME, signal_pairs
from wattigram.core.analysis import StatisticsGatherer
from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.foreign.binary_detection import LEAST_SCORE
from wattigram.core.capture.foreign.byte_source import open_source
from wattigram.core.capture.foreign.listening import (
    first_bytes,
    likely_column,
    likely_columns,
    preview,
)
from wattigram.core.capture.foreign.measured_rate import measure_rate
from wattigram.core.capture.foreign.stream_reader import (
    ForeignStream,
    Format,
    Recognised,
    Rows,
    column_names,
    column_units,
    recognise,
    time_column,
)
from wattigram.core.capture.recording.into_take import bring_in
from wattigram.core.capture.recording.rows_recording import RowsRecording
from wattigram.core.capture.take.disk_space import check_target
from wattigram.core.contract.row_formats import BinaryFormat, TextFormat
from wattigram.core.model.design import RowsSetup, Workspace, open_workspace
from wattigram.core.model.design.edits import SetRows
from wattigram.core.model.design.workspace_files import save_workspace
from wattigram.core.predict.timing import scan_timing

ASKED = 1
MOST_EMPTY = 1 << 16
"""Rows without values that are made at once."""


@click.command("stream")
@click.argument("source")
@click.option(
    "--seconds", type=TIME, help="How long to listen; until it ends, or Ctrl+C, without it."
)
@click.option("--rows", "most_rows", type=click.IntRange(1), help="End after so many rows.")
@click.option(
    "--way",
    type=click.IntRange(1),
    help="Which of several ways to read it, where more than one fits.",
)
@click.option(
    "--separator", type=click.Choice(list(SEPARATORS)), help="Between the columns of text."
)
@click.option("--decimal", type=click.Choice(list(DECIMALS)), help="Decimal mark of text.")
@click.option("--rate", type=RATE, help="Rows a second, where no column is the time.")
@click.option(
    "--measure-rate",
    "listen_s",
    type=click.FloatRange(min=0.5),
    metavar="SECONDS",
    help="Listen for so long first, and tell the rate from when rows come.",
)
@click.option(
    "--csv", "table", type=click.Path(path_type=Path), help="Write all rows as a table here."
)
@click.option(
    "--project", type=click.Path(path_type=Path), help="Design that it is of; with --out."
)
@click.option(
    "--map",
    "pairs",
    multiple=True,
    help="SIGNAL=COLUMN, for each signal; the same name without it.",
)
@click.option(
    "--out", type=click.Path(path_type=Path), help="Write a take here (HDF5), of the project."
)
@click.option(
    "--keep",
    is_flag=True,
    help="Keep in the project how rows are written and which columns are signals; boards are rows:SOURCE then.",
)
@click.option("--force", is_flag=True, help="Replace a take that lies there already.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON for scripts.")
def stream(
    source: str,
    seconds: float | None,
    most_rows: int | None,
    way: int | None,
    separator: str | None,
    decimal: str | None,
    rate: float | None,
    listen_s: float | None,
    table: Path | None,
    project: Path | None,
    pairs: tuple[str, ...],
    out: Path | None,
    keep: bool,
    force: bool,
    as_json: bool,
) -> None:
    """Find out how numbers are written in what a firmware sends, and tell what they are. Exit status 1 where more
    than one way fits.

    SOURCE: serial:DEV@BAUD, tcp:HOST:PORT, - for standard input, or a pipe or a file.
    """
    if (project is None) != (out is None and not keep):
        raise WattigramError(
            "A take is written of a project, and what is kept is kept in one.",
            cure="Give --project, and --out or --keep.",
        )
    workspace = None if project is None else open_workspace(project)
    if out is not None:
        check_target(out, force)
    with ending_signals() as asked, open_source(source) as opened:
        begun = time.monotonic()
        first, ended = first_bytes(opened, asked.is_set)
        found = _narrowed(recognise(first), separator, decimal)
        form = _chosen(found, way, as_json, source)
        measured = None
        if listen_s is not None:
            measured = measure_rate(opened, form, listen_s, lambda _share: asked.is_set())
            rate = measured.rate_hz
        if workspace is not None and project is not None and keep:
            _keep(workspace, project, form, first, pairs, rate)
        columns = _Columns(form, rate, table, None if out is None else RowsRecording(source, form))
        reader = ForeignStream(form)
        rows = reader.feed(first, is_end=ended)
        columns.add(rows)
        others, lost = rows.others, rows.lost
        while not (ended or asked.is_set() or columns.is_full(most_rows)):
            if seconds is not None and time.monotonic() - begun > seconds:
                break
            data = opened.read()
            ended = data is None
            rows = reader.feed(data or b"", is_end=ended)
            others, lost = others + rows.others, lost + rows.lost
            columns.add(rows)
        columns.close()
    if workspace is not None and out is not None:
        notes = columns.bring_in(workspace, pairs, out, force)
        for note in notes:
            click.echo(f"note: {note}", err=True)
    told = columns.told() | {"source": source, "way": form.title, "others": others, "lost": lost}
    if measured is not None:
        told |= {"rate_hz": measured.rate_hz, "rate_sigma_hz": measured.sigma_hz}
        click.echo(
            f"{measured.rate_hz:.6g} rows a second ± {2 * measured.sigma_hz:.2g} (k = 2), {measured.rows} rows in "
            f"{measured.span_s:.4g} s by this computer's clock",
            err=True,
        )
    if as_json:
        click.echo(json.dumps(told, indent=2, ensure_ascii=False))
        return
    _show(told, table)


def _keep(
    workspace: Workspace,
    path: Path,
    form: Format,
    data: bytes,
    pairs: tuple[str, ...],
    rate_hz: float | None,
) -> None:
    """Have the project say how rows are written, and which columns are which signals."""
    seen = preview(data, form)
    columns = likely_columns(workspace, seen)
    for signal, name in signal_pairs(pairs).items():
        if name not in seen.names:
            raise WattigramError(
                f"There is no column “{name}”.", cure=f"There are: {', '.join(seen.names)}."
            )
        columns[signal] = likely_column(workspace, seen, seen.names.index(name))
    setup = RowsSetup(
        text=form if isinstance(form, TextFormat) else None,
        binary=form if isinstance(form, BinaryFormat) else None,
        rate_hz=None if rate_hz is None else Fraction(rate_hz).limit_denominator(10**6),
    )
    project = SetRows(setup, columns).apply(workspace.project)
    file = path if path.is_file() else next(iter(sorted(path.glob("*.wattigram.toml"))))
    save_workspace(workspace.with_project(project), file)
    told = ", ".join(f"{column.name} → {name} ({column.reads})" for name, column in columns.items())
    click.echo(f"kept: {told or 'no column is a signal yet; say it with --map'}", err=True)


def _narrowed(found: Recognised, separator: str | None, decimal: str | None) -> Recognised:
    """Only ways that agree with what was said."""
    if separator is None and decimal is None:
        return found
    kept = tuple(
        one
        for one in found.ways
        if isinstance(one.format, TextFormat)
        and (separator is None or one.format.separator == SEPARATORS[separator])
        and (decimal is None or one.format.decimal == DECIMALS[decimal])
    )
    return Recognised(kept, bool(kept))


def _chosen(found: Recognised, way: int | None, as_json: bool, source: str) -> Format:
    """The way that is meant; where nobody can know, the ways are told and the command ends."""
    if not found.ways or (found.kind == "binary" and found.ways[0].score < LEAST_SCORE):
        raise WattigramError(
            "No numbers were found in what came.",
            where=source,
            cure="Is the baud right? A wrong one makes noise of everything.",
        )
    if way is not None:
        if way > len(found.ways):
            raise WattigramError(f"There are {len(found.ways)} ways.", cure="Choose one of them.")
        return found.ways[way - 1].format
    if found.is_clear:
        return found.ways[0].format
    ways = [{"way": one.format.title, "score": round(one.score, 3)} for one in found.ways[:4]]
    if as_json:
        click.echo(json.dumps({"source": source, "ways": ways}, indent=2, ensure_ascii=False))
    else:
        click.echo(f"{source}: more than one way to read it fits. Choose one with --way:")
        for number, one in enumerate(ways, start=1):
            click.echo(f"  {number}  {one['way']} (score {one['score']})")
    raise click.exceptions.Exit(ASKED)


class _Columns:
    """Statistics of each column, and the table that is written."""

    def __init__(
        self, form: Format, rate_hz: float | None, table: Path | None, kept: RowsRecording | None
    ) -> None:
        self._kept = kept
        self._names, self._units = column_names(form), column_units(form)
        self._time = time_column(form)
        self._rate_hz = rate_hz
        self._gatherers = [StatisticsGatherer() for _ in self._names]
        self._newest: list[float] = [math.nan] * len(self._names)
        self._instants: tuple[float, float] | None = None
        self.rows = self.missing = 0
        self._stream = None
        if table is not None:
            try:
                self._stream = table.open("w", newline="", encoding="utf-8")
            except OSError as fault:
                raise WattigramError(
                    f"The table cannot be written: {fault.strerror}.",
                    where=str(table),
                    cure="Choose another place.",
                ) from fault
            self._writer = csv.writer(self._stream)
            own = [] if self._time is not None or rate_hz is None else ["time (s)"]
            titles = [
                f"{name} ({unit})" if unit else name
                for name, unit in zip(self._names, self._units, strict=True)
            ]
            self._writer.writerow([*own, *titles])

    def is_full(self, most: int | None) -> bool:
        """So many rows have come."""
        return most is not None and self.rows >= most

    def add(self, rows: Rows) -> None:
        """Take in rows; those that a counter says are missing have their places, and no values."""
        for lost, values in rows.stretches:
            while lost:
                empty = min(lost, MOST_EMPTY)
                self._add(np.full((empty, len(self._names)), np.nan))
                lost -= empty
                self.missing += empty
            self._add(values)

    def _add(self, values: NDArray[np.float64]) -> None:
        if not len(values):
            return
        numbers = self.rows + np.arange(len(values), dtype=np.float64)
        even_s = numbers / (self._rate_hz or 1.0)
        times_s = even_s if self._time is None else values[:, self._time]
        for place, gatherer in enumerate(self._gatherers):
            came = ~np.isnan(values[:, place])
            gatherer.add(values[came, place], times_s[came])
            if came.any():
                self._newest[place] = float(values[came, place][-1])
        first = self._instants[0] if self._instants is not None else float(times_s[0])
        self._instants = first, float(times_s[-1])
        if self._stream is not None:
            own = [[f"{at:.9f}"] for at in times_s.tolist()]
            if self._time is not None or self._rate_hz is None:
                own = [[] for _ in own]
            self._writer.writerows(
                [*time, *("" if value != value else f"{value:.9g}" for value in row)]
                for time, row in zip(own, values.tolist(), strict=True)
            )
        if self._kept is not None:
            self._kept.add(values)
        self.rows += len(values)

    def bring_in(
        self, workspace: Workspace, pairs: tuple[str, ...], out: Path, force: bool
    ) -> tuple[str, ...]:
        """Write a take of all rows; by the design's own rate where no other is known."""
        assert self._kept is not None
        rate_hz = self._rate_hz
        notes: tuple[str, ...] = ()
        if rate_hz is None and self._time is None and workspace.project.chains:
            rate_hz = float(scan_timing(workspace, workspace.project.chains[0]).cycle_rate_hz)
            notes = (f"Rows are taken to come at the design's own rate, {rate_hz:.6g} Hz.",)
        recording = self._kept.finish(rate_hz)
        channels = signal_pairs(pairs) or {
            signal.name: signal.name
            for signal in workspace.project.signals
            if signal.name in {channel.name for channel in recording.channels}
        }
        return notes + bring_in(recording, workspace, channels, out, overwrite=force).notes

    def close(self) -> None:
        """End the table."""
        if self._stream is not None:
            self._stream.close()

    def told(self) -> dict[str, Any]:
        """For scripts."""
        rate_hz = self._rate_hz
        if self._time is not None and self._instants is not None and self.rows > 1:
            span = self._instants[1] - self._instants[0]
            rate_hz = (self.rows - 1) / span if span > 0 else None
        columns = []
        for place, gatherer in enumerate(self._gatherers):
            found = gatherer.result
            if place == self._time or found is None:
                continue
            columns.append(
                {
                    "name": self._names[place],
                    "unit": self._units[place],
                    "count": found.count,
                    "newest": self._newest[place],
                    "minimum": found.low,
                    "mean": found.mean.value,
                    "mean_uncertainty_k2": 2 * found.mean.sigma,
                    "maximum": found.high,
                    "std": found.std.value,
                }
            )
        return {"rows": self.rows - self.missing, "rate_hz": rate_hz, "columns": columns}


def _show(told: dict[str, Any], table: Path | None) -> None:
    rate = "" if told["rate_hz"] is None else f", {told['rate_hz']:.6g} rows a second"
    click.echo(f"{told['source']}: {told['way']}")
    extra = f", {told['others']} lines or bytes that say something else" if told["others"] else ""
    lost = f", {told['lost']} frames lost" if told["lost"] else ""
    click.echo(f"  {told['rows']} rows{rate}{extra}{lost}")
    if told["rate_hz"] is None:
        click.echo(
            "  No column is the time and nobody said the rate, so that nothing is known of when."
        )
    width = max((len(one["name"]) for one in told["columns"]), default=0)
    for one in told["columns"]:
        unit = f" {one['unit']}" if one["unit"] else ""
        click.echo(
            f"  {one['name']:<{width}}  newest {one['newest']:.6g}{unit}, from {one['minimum']:.6g} to "
            f"{one['maximum']:.6g}, mean {one['mean']:.6g} ± {one['mean_uncertainty_k2']:.2g}, σ {one['std']:.4g}"
        )
    if table is not None:
        click.echo(f"  all rows are in {table}")
