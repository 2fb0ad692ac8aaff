"""From volts to what is in memory, and from there to what a DAC makes of it."""

from __future__ import annotations

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.shapes import shape_volts
from wattigram.core.model.design.outputs import Generator, Playback, WaveTable
from wattigram.core.model.design.route import DacDestination, TableSource
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.model.part import Dac

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
_ITEM_MASK = 0xFFFF


class TableCodes(msgspec.Struct, frozen=True):
    """A table as it lies in memory.

    Attributes
    ----------
    wanted_v : (points,) float64, volts as designed
    codes : (points,) int64, what the DAC's register keeps of each item
    levels_v : (points,) float64, volts that an ideal DAC makes of them, within what its output can
    reach
    clipped : (points,) bool, where that is not what was wanted
    lsb_v : float
    """

    wanted_v: FloatArray
    codes: IntArray
    levels_v: FloatArray
    clipped: NDArray[np.bool_]
    lsb_v: float


def dac_lsb_v(workspace: Workspace, dac: Dac) -> float:
    """One count of a DAC: reference / 2^N, or / (2^N − 1) where the part says so."""
    steps = (1 << dac.bits) - (1 if dac.full_scale == "2^N-1" else 0)
    return workspace.full_scale_v(dac) / steps


def output_range_v(workspace: Workspace, dac: Dac, buffered: bool) -> tuple[float, float]:
    """What the output reaches: the buffer keeps away from either rail."""
    highest_v = workspace.full_scale_v(dac)
    if not buffered:
        return 0.0, highest_v
    return dac.buffer_margin_v, min(highest_v, workspace.supply_v - dac.buffer_margin_v)


def codes_of(workspace: Workspace, dac: Dac, volts: FloatArray) -> IntArray:
    """clip(round-half-up(V / LSB)) of each voltage.

    ``volts`` and the result are (n,).
    """
    lsb_v = dac_lsb_v(workspace, dac)
    return np.clip(np.floor(volts / lsb_v + 0.5), 0, (1 << dac.bits) - 1).astype(np.int64)


def levels_of(workspace: Workspace, dac: Dac, codes: IntArray, buffered: bool) -> FloatArray:
    """Volts that an ideal DAC makes of codes, as far as its output goes.

    ``codes`` and the result are (n,).
    """
    low_v, high_v = output_range_v(workspace, dac, buffered)
    return np.clip(codes * dac_lsb_v(workspace, dac), low_v, high_v)


def table_player(workspace: Workspace, table: WaveTable) -> Generator | None:
    """The first generator that plays a table."""
    for generator in workspace.project.generators:
        if isinstance(generator.output, Playback) and generator.output.table == table.name:
            return generator
    return None


def table_dac(workspace: Workspace, table: WaveTable) -> Dac | None:
    """The DAC that a table's codes are for: of the generator that plays it, else of a route that
    carries it to one, else the part's first.
    """
    player = table_player(workspace, table)
    if player is not None:
        return workspace.part.dac(player.dac)
    for route in workspace.project.routes:
        source, to = route.source, route.destination
        carries = isinstance(source, TableSource) and source.table == table.name
        if carries and isinstance(to, DacDestination):
            return workspace.part.dac(to.dac)
    return next(iter(workspace.part.dacs), None)


def codes_in_memory(workspace: Workspace, table: WaveTable) -> IntArray:
    """Codes as the table holds them, (n_points,) int64; none where the part has no DAC."""
    dac, player = table_dac(workspace, table), table_player(workspace, table)
    if dac is None:
        return np.empty(0, dtype=np.int64)
    return table_codes(workspace, table, dac, player.buffered if player is not None else True).codes


def table_volts(table: WaveTable) -> FloatArray:
    """Voltage wanted at each point, (points,) float64; raises :class:`QuantityError` for a hopeless
    expression."""
    return shape_volts(
        table.shape, table.points, table.periods, table.amplitude_v, table.offset_v, table.phase
    )


def table_codes(
    workspace: Workspace, table: WaveTable, dac: Dac, buffered: bool = True
) -> TableCodes:
    """A table for a DAC, the mistakes of its making included."""
    lsb_v = dac_lsb_v(workspace, dac)
    wanted_v = table_volts(table)
    highest = (1 << dac.bits) - 1
    if table.holds == "millivolts":
        items = np.floor(wanted_v * 1000 + 0.5).astype(np.int64) & _ITEM_MASK
        codes = items & highest
    elif table.overflow == "wrap":
        codes = np.floor(wanted_v / lsb_v + 0.5).astype(np.int64) & highest
    else:
        codes = codes_of(workspace, dac, wanted_v)
    levels_v = levels_of(workspace, dac, codes, buffered)
    clipped = np.abs(levels_v - wanted_v) > 0.75 * lsb_v
    return TableCodes(wanted_v, codes, levels_v, clipped, lsb_v)
