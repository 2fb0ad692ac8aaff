"""A table is made for the DAC that it ends in, also where a part's DACs differ."""

from __future__ import annotations

import pytest

from tests.conftest import edited
from wattigram.core.contract.shapes import SineShape
from wattigram.core.model.design import (
    DacDestination,
    Generator,
    Playback,
    Route,
    RouteTimer,
    TableSource,
    TimerTrigger,
    WaveTable,
    Workspace,
)
from wattigram.core.model.design.edits import SetGenerator, SetRoute, SetTable
from wattigram.core.predict.waveform import (
    codes_in_memory,
    table_codes,
    table_dac,
    table_player,
)
from wattigram.core.silicon.registers import DesignMemory, Symbol

SINE = WaveTable(name="Sine", points=32, amplitude_v=1.0, offset_v=1.6, shape=SineShape())


@pytest.fixture
def two(kiln: Workspace) -> Workspace:
    """The kiln on a part whose second DAC has eight bits only."""
    first, *rest = kiln.part.dacs
    second = (rest[0] if rest else first).replaced(bits=8)
    second = second if rest else second.replaced(name="DAC B", pin="B15")
    part = kiln.part.unchecked(dacs=(first, second))
    return edited(Workspace(kiln.project, part), SetTable("Sine", SINE))


def carried(two: Workspace) -> Workspace:
    route = Route(
        name="Wave",
        source=TableSource(table="Sine"),
        destination=DacDestination(dac=two.part.dacs[1].name),
        channel="DMA 4",
        request="timer",
        timer=RouteTimer(timer="Timer 3", period_s="100 us"),
    )
    return edited(two, SetRoute("Wave", route))


def test_a_table_that_nobody_plays_is_for_the_first(two: Workspace) -> None:
    assert table_dac(two, SINE) is two.part.dacs[0]
    assert table_player(two, SINE) is None


def test_a_table_that_a_route_carries_is_for_the_routes_dac(two: Workspace) -> None:
    workspace = carried(two)
    codes = codes_in_memory(workspace, SINE)
    assert table_dac(workspace, SINE) is two.part.dacs[1]
    assert codes.max() < 256
    assert codes.tolist() == table_codes(workspace, SINE, two.part.dacs[1]).codes.tolist()
    memory = DesignMemory(workspace)
    assert memory.read_codes(memory.address_of(Symbol("table", "Sine")), 32, 16) == tuple(
        codes.tolist()
    )


def test_a_table_that_is_played_is_for_its_players_dac(two: Workspace) -> None:
    output = Playback(
        table="Sine",
        update_trigger=TimerTrigger(timer="Timer 3", period_s="100 us"),
        channel="DMA 4",
    )
    workspace = edited(
        two, SetGenerator("Out", Generator(name="Out", dac=two.part.dacs[1].name, output=output))
    )
    assert table_dac(workspace, SINE) is two.part.dacs[1]
    assert codes_in_memory(workspace, SINE).max() < 256
