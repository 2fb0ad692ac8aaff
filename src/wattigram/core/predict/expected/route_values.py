"""What should come out at the end of a route."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import EffectiveSerial
from wattigram.core.contract.serial_bytes import serial_codes
from wattigram.core.model.design import (
    ReceivedSource,
    ResultSource,
    Route,
    TableSource,
    aligned_shift,
    chain_scale,
)
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.expected.stream import band_half_width_v, expected_settled_at
from wattigram.core.predict.pins import serial_source
from wattigram.core.predict.timing import route_timing
from wattigram.core.predict.waveform import codes_in_memory, table_dac

FloatArray = NDArray[np.float64]
_LOOKS_BACK = 9


@dataclass(frozen=True)
class ExpectedValues:
    """Lowest and highest value that may have taken effect at each of given instants, (n,) float64
    each."""

    low: FloatArray
    high: FloatArray
    full: float
    """What the largest value is."""


def carried_mask(workspace: Workspace, route: Route) -> int:
    """Bits of a value that are meant to get through."""
    return (1 << route_timing(workspace, route).value_bits) - 1


def expected_values(
    workspace: Workspace, route: Route, times_s: FloatArray
) -> ExpectedValues | None:
    """Values of the source as they should be when they take effect; None where nobody can say.

    A value may be as old as the time between two of the source's, and the route's own latency.
    """
    timing = route_timing(workspace, route)
    rates = [float(rate) for rate in (timing.source_hz, timing.sink_hz) if rate]
    pieces = route.transfers
    age_s = timing.latency_s + sum(pieces / rate for rate in rates)
    back = np.linspace(0.0, age_s, _LOOKS_BACK)
    match route.source:
        case ResultSource(converter=converter, signal=name):
            chain = workspace.project.chain(converter)
            assert chain is not None
            names = {slot.signal for slot in chain.slots}
            name = name if name is not None else next(iter(names)) if len(names) == 1 else None
            if name is None or workspace.project.signal(name).negative is not None:
                return None
            signal = workspace.project.signal(name)
            scale = chain_scale(workspace, chain)
            up = 2.0 ** aligned_shift(chain.alignment, chain.buffer.element_bits, chain.bits)
            count = up * float(signal.scaling) / scale.lsb_v
            half = (band_half_width_v(workspace, chain, name, reduced=False)) * count + up
            looks = np.stack(
                [
                    expected_settled_at(workspace, name, np.maximum(times_s - one, 0.0))
                    for one in back
                ]
            )
            highest = scale.highest_code * up
            low, high = looks.min(axis=0) * count - half, looks.max(axis=0) * count + half
            return ExpectedValues(np.clip(low, 0, highest), np.clip(high, 0, highest), highest)
        case ReceivedSource(uart=uart):
            source = serial_source(workspace, uart)
            if source is None:
                return None
            serial = EffectiveSerial(
                byte_ticks=10 / source.baud,
                every_ticks=float(source.interval_s),
                bits=source.bits,
                bytes_each=2 if source.bytes_each == 2 else 1,
                low_first=True,
                from_share=source.from_level,
                to_share=source.to_level,
                period_ticks=float(source.period_s),
            )
            every_s = float(source.interval_s)
            numbers = [
                np.floor(np.maximum(times_s - one, 0.0) / every_s).astype(np.int64) for one in back
            ]
            codes = np.stack([serial_codes(serial, number) for number in numbers])
            return ExpectedValues(
                codes.min(axis=0) * 1.0, codes.max(axis=0) * 1.0, float((1 << source.bits) - 1)
            )
        case TableSource(table=name):
            table = workspace.project.table(name)
            if table is None or route.timer is None or table_dac(workspace, table) is None:
                return None
            codes = codes_in_memory(workspace, table)
            rate_hz = float(timing.source_hz)
            numbers = [
                np.floor(np.maximum(times_s - one, 0.0) * rate_hz + 1e-9).astype(np.int64)
                for one in back
            ]
            looks = codes[np.stack(numbers) % len(codes)]
            return ExpectedValues(
                looks.min(axis=0) * 1.0, looks.max(axis=0) * 1.0, float(codes.max(initial=1))
            )
