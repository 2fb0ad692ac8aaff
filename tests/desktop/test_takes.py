"""Takes as they are drawn: gaps, knobs, and the way from all samples to one."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from tests.conftest import edited
from wattigram.core.board import Run
from wattigram.core.capture.take import TakeWriter
from wattigram.core.capture.transport import Decoder, SampleRun
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import Workspace, project_text
from wattigram.core.model.design.edits import SetAlignment, SetWiring
from wattigram.core.silicon.deploy import effective_bench, effective_config
from wattigram.desktop.widgets.takes.take_data import TakeData, load_take
from wattigram.desktop.widgets.takes.trace_plot import TracePlot


def make_take(
    workspace: Workspace, path: Path, drop: range = range(0), turned: Workspace | None = None
) -> TakeData:
    """One second of the virtual board; some frames lost, or a knob turned half way."""
    config = effective_config(workspace)
    run = Run(config)
    frames = run.advance(config.tick_hz // 2)
    writer = TakeWriter(path, project_text(workspace.project), workspace.build_id, config.tick_hz)
    if turned is not None:
        run.set_bench(effective_bench(turned))
        writer.add_bench(run.next_tick(), project_text(turned.project))
    frames += run.advance(config.tick_hz) + run.finish()
    kept = b"".join(frame for number, frame in enumerate(frames) if number not in drop)
    for found in Decoder().feed(kept):
        if isinstance(found, SampleRun):
            writer.add_run(found)
    writer.close()
    return load_take(path, lambda _share: None)


def trace_of(data: TakeData, name: str, stage: str = "raw") -> object:
    return next(trace for trace in data.traces if (trace.name, trace.stage) == (name, stage))


def test_traces_are_raw_and_reduced(kiln: Workspace, tmp_path: Path) -> None:
    data = make_take(kiln, tmp_path / "t.h5")
    names = [(trace.name, trace.stage) for trace in data.traces]
    assert ("Upper zone", "raw") in names
    assert ("Upper zone", "filtered") in names
    assert ("Door latch", "filtered") not in names
    assert data.seconds == 1.0
    data.take.close()


@pytest.mark.parametrize("alignment", ["right", "left"])
def test_columns_agree_with_the_samples(kiln: Workspace, tmp_path: Path, alignment: str) -> None:
    data = make_take(edited(kiln, SetAlignment("ADC 1", alignment)), tmp_path / "t.h5")  # type: ignore[arg-type]
    for trace in data.traces:
        times, low, high = trace.columns(0.0, 1.0, 50)
        volts = trace.samples(0, trace.count).volts
        assert low.min() == pytest.approx(volts.min(), abs=1e-9)
        assert high.max() == pytest.approx(volts.max(), abs=1e-9)
        assert np.all(np.diff(times) > 0)
        assert trace.span_v() == pytest.approx((volts.min(), volts.max()))
    trace = data.traces[0]
    times, low, high = trace.columns(0.5, 0.501, 800)
    assert low is high
    assert len(times) == pytest.approx(12, abs=2)
    assert trace.number_at(0.5) == 5000
    assert (trace.number_at(-9.0), trace.number_at(9.0)) == (0, 9999)
    assert len(trace.columns(5.0, 6.0, 100)[0]) == 0
    data.take.close()


def test_the_band_follows_a_knob(cured: Workspace, tmp_path: Path) -> None:
    turned = edited(
        cured,
        SetWiring(Wiring(pin="A6", source_resistance_ohm=500.0, source=DcSource(voltage_v=0.8))),
    )
    data = make_take(cured, tmp_path / "t.h5", turned=turned)
    trace = trace_of(data, "3.3 V rail", "filtered")
    times, low, high = data.band(trace, 0.0, 1.0, 100)  # type: ignore[arg-type]
    assert (low[times < 0.49] < 3.3).all()
    assert (high[times < 0.49] > 3.3).all()
    assert (low[times > 0.51] < 1.6).all()
    assert (high[times > 0.51] > 1.6).all()
    captured = trace.samples(0, trace.count)  # type: ignore[attr-defined]
    late = captured.times_s > 0.52
    assert captured.volts[late] == pytest.approx(1.6, abs=0.01)
    data.take.close()


def test_what_never_came_is_shown_as_missing(
    qtbot: QtBot, cured: Workspace, tmp_path: Path
) -> None:
    whole, holed = tmp_path / "whole.h5", tmp_path / "holed.h5"
    plot = TracePlot()
    qtbot.addWidget(plot)
    plot.resize(800, 400)
    shown = frozenset({("Coil current", "raw")})
    pictures = []
    for path, drop in ((whole, range(0)), (holed, range(100, 160))):
        data = make_take(cured, path, drop)
        plot.show_take(data, shown)
        pictures.append(plot.grab().toImage())
        if drop:
            assert data.take.lost_cycles > 0
            trace = data.traces[0]
            assert sum(last - first for first, last in trace.missing) > 500
            at_s = float(trace.samples(trace.missing[0][0], trace.missing[0][0] + 1).times_s[0])
            plot.set_view(at_s - 0.001, at_s + 0.001)
            assert not plot.grab().isNull()
        data.take.close()
    assert pictures[0] != pictures[1]
    plot.show_take(None, frozenset())


def test_the_view_stays_within_the_take(qtbot: QtBot, kiln: Workspace, tmp_path: Path) -> None:
    data = make_take(kiln, tmp_path / "t.h5")
    plot = TracePlot()
    qtbot.addWidget(plot)
    plot.resize(600, 400)
    plot.show_take(data, frozenset({("Door latch", "raw")}))
    for begin, end in ((-5, 5), (0.9, 1.9), (0.5, 0.5), (-1, -0.5), (3, 4)):
        plot.set_view(begin, end)
        assert 0 <= plot.view[0] < plot.view[1] <= 1.0 + 1e-12
        assert plot.view[1] - plot.view[0] >= 8e-4 - 1e-12
        assert not plot.grab().isNull()
    data.take.close()
    plot.show_take(None, frozenset())
