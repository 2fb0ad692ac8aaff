"""What a session shows of routes and reports: the newest writes at their ends."""

from __future__ import annotations

import numpy as np

from wattigram.core.capture.session.snapshot import OutputPicture
from wattigram.core.capture.session.stream_receiver import Ring
from wattigram.core.contract.link import OUTPUT_STREAM, OVERWRITTEN, TORN
from wattigram.core.model.design import UartDestination, Workspace, program_outputs
from wattigram.core.predict.expected import (
    expected_program_values,
    expected_values,
    setter_of,
)

NEWEST = 2000
EXPECTED_NEWEST = 400


def output_names(workspace: Workspace) -> list[str]:
    """Routes, then what reactions move, as their streams are numbered."""
    project = workspace.project
    moved = program_outputs(project.reactions)
    return [*(route.name for route in project.routes), *(output.title for output in moved)]


def output_pictures(
    workspace: Workspace, rings: dict[int, Ring], tick_hz: int
) -> dict[str, OutputPicture]:
    """The newest writes of each route and report that has sent any."""
    pictures = {}
    routes, moved = len(workspace.project.routes), program_outputs(workspace.project.reactions)
    for number, name in enumerate(output_names(workspace)):
        ring = rings.get(OUTPUT_STREAM + number)
        if ring is None or ring.end - ring.begin < 2:
            continue
        end = ring.end // 2 * 2
        begin = max(-(-ring.begin // 2) * 2, end - 2 * NEWEST)
        pairs = ring.window(begin, end).reshape(-1, 2)
        stamps = pairs[:, 0].astype(np.int64)
        steps = np.mod(np.diff(stamps, prepend=stamps[:1]), 1 << 32)
        times = np.cumsum(steps) / tick_hz
        # The stamps tell 32 bits; what came before the window is known only modulo that.
        times += float(stamps[0]) / tick_hz
        marked = pairs[:, 1].astype(np.int64)
        route = workspace.project.route(name) if number < routes else None
        low = high = np.empty(0)
        if route is not None and not (
            isinstance(route.destination, UartDestination) and route.transfers > 1
        ):
            wanted = expected_values(workspace, route, times[-EXPECTED_NEWEST:])
            if wanted is not None:
                low, high = wanted.low, wanted.high
        elif number >= routes:
            setter = setter_of(workspace, moved[number - routes])
            if setter is not None and moved[number - routes].kind != "pins":
                wanted = expected_program_values(workspace, setter, times[-EXPECTED_NEWEST:])
                if wanted is not None:
                    low, high = wanted.low, wanted.high
        pictures[name] = OutputPicture(
            times,
            marked & (TORN - 1),
            np.asarray((marked & OVERWRITTEN) != 0),
            np.asarray((marked & TORN) != 0),
            low,
            high,
            ring.end // 2,
        )
    return pictures
