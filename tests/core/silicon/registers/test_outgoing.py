"""Routes and outputs as registers have them: what moves, what stands still and why, and what
contradicts itself."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from tests.core.firmware.compiled import built, needs_compiler
from tests.paths import EXAMPLES
from wattigram.core.base.errors import RegisterError
from wattigram.core.board import Run
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import open_take
from wattigram.core.model.design import (
    DacDestination,
    ResultSource,
    Route,
    RouteTimer,
    Workspace,
    open_workspace,
)
from wattigram.core.silicon.deploy import effective_config
from wattigram.core.silicon.registers import (
    DesignMemory,
    Observed,
    as_written,
    decode_writes,
    design_writes,
    differences,
    placed,
    register_map,
    silicon_project,
    surroundings,
)

FOLDER = EXAMPLES
Plain = tuple[int, int, int]


@pytest.fixture(scope="module")
def wheel() -> Workspace:
    return open_workspace(FOLDER / "pedal-to-wheel" / "wheel.wattigram.toml")


@pytest.fixture(scope="module")
def fed() -> Workspace:
    """A DAC that follows a converter's results, with no processor."""
    base = open_workspace(FOLDER / "kiln-ramp")
    route = Route(
        name="Echo",
        source=ResultSource(converter="ADC 1", signal="Heater drive"),
        destination=DacDestination(dac="DAC"),
        channel="DMA 2",
    )
    project = base.project.replaced(
        generators=(),
        tables=(),
        routes=(route,),
        bench=tuple(one for one in base.project.bench if one.pin != "A2"),
        expectations=(),
    )
    return Workspace(project, base.part)


def plain(workspace: Workspace) -> list[Plain]:
    return placed(design_writes(workspace), DesignMemory(workspace).address_of)


def changed(workspace: Workspace, *fields: tuple[str, str, int]) -> list[Plain]:
    """The design's writes, with the codes of some fields otherwise wherever they are written."""
    registers = register_map(workspace.part)
    found = []
    for address, bits, value in plain(workspace):
        at = registers.at(address)
        for owner, name, code in fields:
            for one in at.register.fields if at is not None and at.owner == owner else ():
                if one.sets == name:
                    value = value & ~one.mask | code << one.low
        found.append((address, bits, value))
    return found


def routes_of(workspace: Workspace, writes: Sequence[Plain]) -> tuple[list[str], list[str]]:
    """Channels that move something, and what was noted."""
    state = decode_writes(register_map(workspace.part), writes)
    read_codes: Callable[[int, int, int], tuple[int, ...]] = DesignMemory(workspace).read_codes
    project = silicon_project(state, surroundings(workspace), read_codes, Observed())
    return [route.channel for route in project.routes], list(state.notes)


def test_routes_of_a_sound_design_move(wheel: Workspace) -> None:
    assert routes_of(wheel, plain(wheel)) == (["DMA 2", "DMA 3"], [])


@pytest.mark.parametrize(
    ("field", "stands", "why"),
    [
        (("DMA 2", "on", 0), "DMA 2", ""),
        (
            ("DMA 2", "request", 0),
            "DMA 2",
            "DMA 2 moves nothing: it waits for “none”, and UART 1 feeds it.",
        ),
        (("DMA 2", "count", 0), "DMA 2", "DMA 2 moves nothing: its length is 0."),
        (("DMA 3", "repeat", 0), "DMA 3", "DMA 3 moves nothing: it stops after 1 samples."),
        (("UART 1", "on", 0), "DMA 2", "DMA 2 moves nothing: UART 1 is not enabled."),
        (("UART 2", "on", 0), "DMA 3", "DMA 3 moves nothing: UART 2 is not enabled."),
        (("Timer 1", "pulse", 0), "DMA 2", "DMA 2 moves nothing: Timer 1 gives no pulses."),
        (("Timer 1", "run", 0), "DMA 2", "DMA 2 moves nothing: Timer 1 gives no pulses."),
    ],
    ids=lambda value: " ".join(map(str, value)) if isinstance(value, tuple) else None,
)
def test_a_route_stands_still_for_a_reason(
    field: tuple[str, str, int], stands: str, why: str, wheel: Workspace
) -> None:
    writes = changed(wheel, field)
    moving, notes = routes_of(wheel, writes)
    assert sorted([*moving, stands]) == ["DMA 2", "DMA 3"]
    assert (why in notes) == bool(why)
    assert differences(wheel, writes)
    real = as_written(wheel, writes).project  # expectations on what is gone go with it
    names = {route.name for route in real.routes} | {signal.name for signal in real.signals}
    assert {expectation.signal for expectation in real.expectations} <= names


def test_a_route_waits_for_its_timer(fed: Workspace) -> None:
    route = fed.project.routes[0].replaced(
        request="timer", timer=RouteTimer(timer="Timer 4", period_s=Fraction(1, 1000))
    )
    timed = Workspace(fed.project.replaced(routes=(route,)), fed.part)
    assert routes_of(timed, plain(timed)) == (["DMA 2"], [])
    _moving, notes = routes_of(timed, changed(timed, ("Timer 4", "run", 0)))
    assert notes == ["DMA 2 moves nothing: it waits for Timer 4, which does not run."]


def test_a_dac_that_a_route_feeds_is_enabled_before_it(fed: Workspace) -> None:
    state = decode_writes(register_map(fed.part), plain(fed))
    assert state.is_on("DAC")
    assert state.touched["DAC"] < state.touched["DMA 2"]
    assert routes_of(fed, plain(fed)) == (["DMA 2"], [])
    off = changed(fed, ("DAC", "on", 0))
    assert routes_of(fed, off) == ([], ["DMA 2 moves nothing: DAC is not enabled."])
    assert any("DAC MODE.ON" in difference.text for difference in differences(fed, off))
    waiting = changed(fed, ("DAC", "twice", 1))
    assert routes_of(fed, waiting) == (
        [],
        ["DMA 2 moves nothing: DAC waits for a trigger that never comes."],
    )


@needs_compiler
def test_a_dac_that_a_route_feeds_follows_with_and_without_firmware(
    fed: Workspace, tmp_path: Path
) -> None:
    address = f"image:{built(fed, tmp_path / 'c').elf}"
    record_run(fed, 0.5, tmp_path / "image.h5", board=address, fast=True)
    record_run(fed, 0.5, tmp_path / "design.h5", fast=True)
    with open_take(tmp_path / "image.h5") as image, open_take(tmp_path / "design.h5") as design:
        mine, other = image.output(0), design.output(0)
        assert len(mine.values) > 4000
        assert np.array_equal(mine.values, other.values)
        assert np.array_equal(mine.times_s, other.times_s)


def test_what_contradicts_itself_is_a_sentence(wheel: Workspace) -> None:
    """Two channels that write to the same place: no design can say that, and no board is made of
    it."""
    registers = register_map(wheel.part)
    target = registers.find("DMA 2", "to")
    value = next(value for address, _bits, value in plain(wheel) if address == target.address)
    writes = changed(wheel, ("DMA 3", "to", value))
    with pytest.raises(
        RegisterError, match=r"Registers are set to what no board could do: Routes .* same place"
    ):
        routes_of(wheel, writes)
    with pytest.raises(RegisterError):
        as_written(wheel, writes)
    assert differences(wheel, writes)


def test_the_board_of_a_design_with_a_fed_dac_runs(fed: Workspace) -> None:
    run = Run(effective_config(fed))
    run.advance(run.config.tick_hz // 10)
    assert run.totals()["items.232"] > 1500
