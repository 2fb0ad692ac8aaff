"""A generator as it really plays: instants of its updates, levels, settling."""

from __future__ import annotations

import math
from fractions import Fraction
from functools import cached_property

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.shapes import PiecewiseWaveform, zero_order_hold
from wattigram.core.model.design.outputs import (
    ChainFollow,
    ConstantLevel,
    Generator,
    GeneratorFollow,
    Playback,
    SoftwareRamp,
    WaveTable,
)
from wattigram.core.model.design.trigger import TimerTrigger
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.model.part import Dac
from wattigram.core.predict.clocks import TimerSetting, timer_setting
from wattigram.core.predict.waveform.table import (
    codes_of,
    dac_lsb_v,
    levels_of,
    output_range_v,
    table_codes,
)

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
START_STEP_CYCLES = 2000
"""Bus clocks that the program takes to get to each generator that nothing else starts."""


class DacPlayback(msgspec.Struct, frozen=True, dict=True):
    """What a generator puts out.

    Attributes
    ----------
    codes : (n,) int64, in the order in which they reach the output, one lap
    levels_v : (n,) float64, what an ideal DAC makes of them
    wanted_v : (points,) float64, as designed
    clipped : int
        Points whose level is not what was wanted.
    asked_s, update_s : Fraction
        Between triggers, and between codes that reach the output.
    skipped : int
        Of so many codes one reaches the output: the DAC takes no more.
    late_s : Fraction
        From the trigger to the output, where the transfer itself sets it.
    lap_s : Fraction
        Once through the table as it is really played.
    wave_hz : Fraction
        Turns per second; 0 for a level.
    dma_s : Fraction
        The shortest time in which DMA brings a point.
    """

    codes: IntArray
    levels_v: FloatArray
    wanted_v: FloatArray
    clipped: int
    asked_s: Fraction
    update_s: Fraction
    skipped: int
    begin_s: Fraction
    late_s: Fraction
    lap_s: Fraction
    wave_hz: Fraction
    repeat: bool
    lsb_v: float
    before_v: float
    tau_s: float
    slew_v_s: float
    settling_s: Fraction
    dma_s: Fraction = Fraction(0)
    timer: TimerSetting | None = None
    table: WaveTable | None = None

    @property
    def error(self) -> Fraction:
        """Share by which the wave is too fast: its timer's error, and whatever slows it down."""
        return (
            self.timer.wanted_s * len(self.wanted_v) / self.lap_s - 1
            if self.timer is not None
            else Fraction(0)
        )

    @property
    def meant(self) -> PiecewiseWaveform:
        """The voltage that was meant: what the table says at the rate that was wanted, settled
        where there is time."""
        every_s = self.timer.wanted_s if self.timer is not None else self.update_s
        settles = every_s >= self.settling_s
        return zero_order_hold(
            self.wanted_v,
            float(every_s),
            tau_s=self.tau_s if settles else 0.0,
            slew_v_s=self.slew_v_s if settles else 0.0,
            repeat=self.repeat,
            begin_s=float(self.begin_s),
            before_v=self.before_v,
        )

    @cached_property
    def course(self) -> PiecewiseWaveform:
        """The voltage at the pin, settling and slew included."""
        return zero_order_hold(
            self.levels_v,
            float(self.update_s),
            tau_s=self.tau_s,
            slew_v_s=self.slew_v_s,
            repeat=self.repeat,
            begin_s=float(self.begin_s + self.late_s),
            before_v=self.before_v,
        )

    @property
    def period_s(self) -> Fraction | None:
        """Of what reaches the pin, exactly; None where it does not repeat."""
        return len(self.codes) * self.update_s if self.repeat and len(self.codes) > 1 else None


def settling_tau_s(dac: Dac, full_v: float, buffered: bool) -> float:
    """Time constant with which a full step is within half a count after the part's settling time,
    slewing included.

    Without a slew limit t = τ · (N + 1) · ln 2; with one the step is straight until what is left is
    slew · τ.
    """
    total_s, counts = float(dac.settles_s(buffered)), (dac.bits + 1) * math.log(2)
    slew_v_s = dac.slews_v_s(buffered)
    if not slew_v_s or full_v <= slew_v_s * total_s / counts:
        return total_s / counts

    def taken_s(tau_s: float) -> float:
        left_v = slew_v_s * tau_s
        return full_v / slew_v_s - tau_s + tau_s * max(0.0, math.log(left_v / full_v) + counts)

    low_s, high_s = 0.0, total_s / counts
    for _halving in range(60):
        middle_s = (low_s + high_s) / 2
        if middle_s and taken_s(middle_s) > total_s:
            high_s = middle_s
        else:
            low_s = middle_s
    return max(low_s, total_s / counts / 50)


def dac_playback(workspace: Workspace, generator: Generator) -> DacPlayback:
    """What a generator plays, worked out once for each design.

    Raises
    ------
    QuantityError
        When a table's expression has no finite value somewhere.
    """
    if not any(generator is own for own in workspace.project.generators):
        return _playing(workspace, generator)
    return workspace.known.answer(
        (dac_playback, generator.name), lambda: _playing(workspace, generator)
    )


def _playing(workspace: Workspace, generator: Generator) -> DacPlayback:
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    match generator.output:
        case ConstantLevel(voltage_v=volts):
            return _written(
                workspace, generator, dac, np.array([volts]), Fraction(1), False, Fraction(0)
            )
        case SoftwareRamp() as ramp:
            ticks = max(1, round(ramp.dwell_s * workspace.bus_clock_hz))
            dwell_s = ticks / workspace.bus_clock_hz
            return _written(
                workspace,
                generator,
                dac,
                _ramp(ramp),
                dwell_s,
                ramp.at_end != "hold",
                _own_start(workspace, generator),
            )
        case Playback() as output:
            return _played(workspace, generator, output, dac)


def _ramp(ramp: SoftwareRamp) -> FloatArray:
    """Voltages of the steps, the last one exactly at the end."""
    span = ramp.to_v - ramp.from_v
    count = max(1, math.ceil(abs(span) / ramp.step_v - 1e-9))
    up = ramp.from_v + math.copysign(ramp.step_v, span) * np.arange(count + 1)
    up[-1] = ramp.to_v
    return np.asarray(
        np.concatenate((up, up[-2:0:-1])) if ramp.at_end == "reverse" else up, dtype=np.float64
    )


def _written(
    workspace: Workspace,
    generator: Generator,
    dac: Dac,
    volts: FloatArray,
    update_s: Fraction,
    repeat: bool,
    begin_s: Fraction,
) -> DacPlayback:
    codes = codes_of(workspace, dac, volts)
    levels = levels_of(workspace, dac, codes, generator.buffered)
    lsb_v = dac_lsb_v(workspace, dac)
    steady = len(volts) == 1
    lap_s = len(codes) * update_s
    return DacPlayback(
        codes,
        levels,
        volts,
        int(np.sum(np.abs(levels - volts) > 0.75 * lsb_v)),
        update_s,
        update_s,
        1,
        begin_s,
        Fraction(0),
        lap_s,
        1 / lap_s if repeat else Fraction(0),
        repeat,
        lsb_v,
        float(levels[0]) if steady else output_range_v(workspace, dac, generator.buffered)[0],
        settling_tau_s(dac, workspace.full_scale_v(dac), generator.buffered),
        dac.slews_v_s(generator.buffered),
        dac.settles_s(generator.buffered),
    )


def update_timer(workspace: Workspace, output: Playback) -> TimerTrigger | None:
    """The timer behind a playback, its own or that of what it follows; None where there is none."""
    match output.update_trigger:
        case TimerTrigger() as timer:
            return timer
        case GeneratorFollow(follows=name):
            leader = workspace.project.generator(name)
            return (
                update_timer(workspace, leader.output)
                if leader and isinstance(leader.output, Playback)
                else None
            )
        case ChainFollow(follows=name):
            chain = workspace.project.chain(name)
            own = workspace.project.own_trigger(chain) if chain is not None else None
            return own if isinstance(own, TimerTrigger) else None


def dma_share(workspace: Workspace) -> Fraction:
    """Bus clocks that all playing by DMA wants, as a share of those there are."""
    total = Fraction(0)
    for generator in workspace.project.generators:
        if (
            isinstance(generator.output, Playback)
            and (timer := update_timer(workspace, generator.output)) is not None
        ):
            rate_hz = 1 / timer_setting(workspace, timer).period_s
            total += (
                rate_hz
                * _transfer_cycles(workspace, generator.output.channel)
                / workspace.bus_clock_hz
            )
    return total


def _transfer_cycles(workspace: Workspace, channel: str) -> int:
    dma = workspace.part.dma_channel(channel)
    assert dma is not None
    return dma.transfer_cycles


def _own_start(workspace: Workspace, generator: Generator) -> Fraction:
    """When the program has got as far as this generator."""
    place = workspace.project.generators.index(generator) + 1
    return place * START_STEP_CYCLES / workspace.bus_clock_hz


def start_s(workspace: Workspace, generator: Generator) -> Fraction:
    """When a generator's first trigger is served: with a chain's first, or when the program gets
    there."""
    output = generator.output
    if not isinstance(output, Playback):
        return _own_start(workspace, generator)
    if isinstance(output.update_trigger, ChainFollow) or output.starts_with is not None:
        return Fraction(0)
    if isinstance(output.update_trigger, GeneratorFollow):
        leader = workspace.project.generator(output.update_trigger.follows)
        assert leader is not None
        return start_s(workspace, leader)
    return _own_start(workspace, generator)


def _played(workspace: Workspace, generator: Generator, output: Playback, dac: Dac) -> DacPlayback:
    table = workspace.project.table(output.table)
    timer = update_timer(workspace, output)
    assert table is not None
    made = table_codes(workspace, table, dac, generator.buffered)
    setting = timer_setting(workspace, timer) if timer is not None else None
    asked_s = setting.period_s if setting is not None else Fraction(1)
    transfer_s = _transfer_cycles(workspace, output.channel) / workspace.bus_clock_hz
    crowd = max(Fraction(1), dma_share(workspace))
    brought_s = max(asked_s * crowd, transfer_s)
    shortest_s = 1 / dac.update_rate_high_hz
    skipped = max(1, math.ceil(shortest_s / brought_s))
    count = table.points
    laps = skipped // math.gcd(skipped, count) if output.repeat else 1
    order = (output.start_index + np.arange(0, count * laps, skipped)) % count
    lap_s = count * brought_s
    rank = [generator.name for generator in workspace.project.generators].index(generator.name) + 1
    return DacPlayback(
        made.codes[order],
        made.levels_v[order],
        np.roll(made.wanted_v, -output.start_index),
        int(made.clipped.sum()),
        asked_s,
        brought_s * skipped,
        skipped,
        start_s(workspace, generator),
        Fraction(0) if generator.double_buffered else rank * transfer_s,
        lap_s,
        table.periods / lap_s,
        output.repeat,
        made.lsb_v,
        output_range_v(workspace, dac, generator.buffered)[0],
        settling_tau_s(dac, workspace.full_scale_v(dac), generator.buffered),
        dac.slews_v_s(generator.buffered),
        dac.settles_s(generator.buffered),
        transfer_s * crowd,
        setting,
        table,
    )
