"""The lane of outputs under one cycle: updates of DACs as strokes, pulses as blocks."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter

from wattigram.core.model.design import Playback, Workspace
from wattigram.core.predict.pins import pwm_timing
from wattigram.core.predict.waveform import dac_playback
from wattigram.desktop.theme import signal_color

MOST_DRAWN = 600


def has_outputs(workspace: Workspace) -> bool:
    """There is something to be drawn."""
    project = workspace.project
    return bool(project.pwm) or any(
        isinstance(generator.output, Playback) for generator in project.generators
    )


def paint_outputs(
    painter: QPainter, lane: QRectF, workspace: Workspace, begin_s: float, span_s: float
) -> None:
    """Draw what changes in a stretch of time, each output in its own strip."""
    project = workspace.project
    players = [
        generator for generator in project.generators if isinstance(generator.output, Playback)
    ]
    strips = len(players) + len(project.pwm)
    height = (lane.height() - 6) / max(1, strips)
    first = len(project.signals)

    def x_of(seconds: float) -> float:
        return lane.left() + (seconds - begin_s) / span_s * lane.width()

    for number, generator in enumerate(players):
        made = dac_playback(workspace, generator)
        strip = QRectF(lane.left(), lane.top() + 3 + number * height, lane.width(), height - 1)
        shade = signal_color(first + project.generators.index(generator))
        update_s, start_s = float(made.update_s), float(made.begin_s + made.late_s)
        low = max(0, math.ceil((begin_s - start_s) / update_s))
        high = math.floor((begin_s + span_s - start_s) / update_s)
        if high - low > MOST_DRAWN:
            painter.fillRect(strip, signal_color(first + project.generators.index(generator), 90))
            continue
        for update in range(low, high + 1):
            painter.fillRect(
                QRectF(x_of(start_s + update * update_s) - 1, strip.top(), 2, strip.height()), shade
            )
    for number, pwm in enumerate(project.pwm, start=len(players)):
        timing = pwm_timing(workspace, pwm)
        strip = QRectF(lane.left(), lane.top() + 3 + number * height, lane.width(), height - 1)
        shade = signal_color(first + len(project.generators) + project.pwm.index(pwm), 150)
        period_s, duty = float(timing.period_s), float(timing.duty)
        low, high = math.floor(begin_s / period_s), math.ceil((begin_s + span_s) / period_s)
        if high - low > MOST_DRAWN:
            painter.fillRect(
                strip, signal_color(first + len(project.generators) + project.pwm.index(pwm), 60)
            )
            continue
        for period in range(low, high):
            left, right = x_of(period * period_s), x_of((period + duty) * period_s)
            bar = QRectF(left, strip.top(), right - left, strip.height()).intersected(strip)
            painter.fillRect(bar, shade)
