"""What firmware does again and again, seen by letting it do so for a while before the run, and then
taken back.

Instructions are counted, and stand for cycles of the processor.
"""

from __future__ import annotations

import copy
import statistics
import time
from collections import deque
from collections.abc import Sequence

import msgspec

from wattigram.core.contract.link import ChannelPointing
from wattigram.core.emulator.machine import Machine
from wattigram.core.emulator.result_delivery import dma_transfers
from wattigram.core.silicon.registers import Observed, SiliconState

CALLS = 48
MARKS = 4
IDLE_ALARMS = 8
SURE = 64
"""Codes that must come again before a ramp is taken to begin anew."""
MOST_STEPS = 1 << 14
LONGEST_S = 1.5


class RampSource(msgspec.Struct, frozen=True):
    """Codes that software gives to a DAC; times in ticks since the start."""

    begin_ticks: int
    step_ticks: int
    codes: tuple[int, ...]
    again: bool


class Trial(msgspec.Struct):
    """What was seen."""

    cycles: dict[str, int] = msgspec.field(default_factory=dict)
    inputs: dict[str, tuple[tuple[int, int], ...]] = msgspec.field(default_factory=dict)
    restarts: dict[str, bool] = msgspec.field(default_factory=dict)
    pointed: dict[str, ChannelPointing] = msgspec.field(default_factory=dict)
    """Of converters that software points: where to in turn, be it once or again and again."""
    ramps: dict[str, RampSource] = msgspec.field(default_factory=dict)

    @property
    def observed(self) -> Observed:
        """For whoever makes a project of it."""
        return Observed(self.cycles, self.inputs, self.restarts)


def try_out(machine: Machine, early_codes: Sequence[tuple[str, int, int]]) -> Trial:
    """Let handlers run on made-up results, then put everything back as it was.

    ``early_codes`` are those that DACs were given while everything was set up: DAC, ticks, code.
    """
    trial = Trial()
    peripherals, cpu = machine.peripherals, machine.cpu
    snapshot = cpu.snapshot()
    state = peripherals.state
    kept = (
        copy.deepcopy(peripherals.converters),
        dict(peripherals.live),
        deque(peripherals.inbox),
        peripherals.alarm_at,
        machine.now,
        copy.deepcopy(machine.uarts),
        list(peripherals.outbox),
    )
    cpu.stops.are_off = True
    try:
        with cpu.counting():
            for name in peripherals.converters:
                if name in state.touched and state.is_on(name) and machine.fault is None:
                    peripherals.state = state.copy()
                    _converter(machine, name, trial)
        if _has_dac(state) and machine.fault is None:
            peripherals.state = state.copy()
            peripherals.alarm_at, machine.now = kept[3], kept[4]
            trial.ramps = _ramps(machine, early_codes)
    finally:
        cpu.stops.are_off = False
        cpu.restore(snapshot)
        peripherals.state = state
        peripherals.converters, peripherals.live, peripherals.inbox = kept[0], kept[1], kept[2]
        peripherals.alarm_at, machine.now, machine.uarts, peripherals.outbox = (
            kept[3],
            kept[4],
            kept[5],
            kept[6],
        )
        machine.activity.clear()
    return trial


def _converter(machine: Machine, name: str, trial: Trial) -> None:
    """Costs of a converter's handler, and where it points the converter."""
    state = machine.peripherals.state
    live = machine.peripherals.converters[name]
    delivery = state.text(name, "delivery", "polling")
    machine.activity.clear()
    if delivery == "dma":
        costs = _marks(machine, name)
    else:
        inputs, starts = [_input(state, name)], []
        costs = []
        for number in range(CALLS):
            live.tally += 1
            live.done = True
            if delivery == "fifo":
                live.fifo = deque([(0, machine.now)] * max(1, state.number(name, "mark", 1)))
                live.tally += len(live.fifo) - 1
            before = machine.cpu.instructions
            if delivery == "polling":
                machine.wake()
                if machine.handled is not None:
                    costs.append(machine.handled)
            elif machine.interrupt(name, then_wake=False):
                costs.append(machine.cpu.instructions - before)
                machine.wake()
            live.fifo.clear()
            inputs.append(_input(machine.peripherals.state, name))
            starts.append(name in machine.activity.started)
            machine.activity.started.clear()
            if number >= 8 and delivery == "fifo":
                break
        # Software that goes from slot to slot starts each but the first, or all where it begins
        # anew.
        period = _period(list(zip(inputs, starts, strict=False)))
        if len(set(inputs)) > 1 or (_by_software(state, name) and 1 < period < len(starts)):
            trial.inputs[name] = tuple(inputs[:period])
        if costs and _by_software(state, name):
            trial.pointed[name] = _in_turn(inputs)
        trial.restarts[name] = all(starts[:period]) if _by_software(state, name) else any(starts)
    if costs:
        trial.cycles[name] = max(1, int(statistics.median_high(costs)))
    live.done = True
    machine.wake()
    if delivery in {"dma", "fifo"} and name in machine.activity.started:
        trial.restarts[name] = True


def _by_software(state: SiliconState, name: str) -> bool:
    """The converter has one slot, and whoever wants others points it there."""
    return (
        next(
            converter for converter in state.registers.part.converters if converter.name == name
        ).sequence
        == "software"
    )


def _marks(machine: Machine, name: str) -> list[int]:
    """Instructions from each mark until the main loop sleeps again."""
    peripherals = machine.peripherals
    carrier, _stamps = dma_transfers(peripherals.state, name)
    costs: list[int] = []
    if carrier is None:
        return costs
    live = peripherals.converters[name]
    for number in range(MARKS):
        what = "full" if number % 2 else "half"
        live.tally += carrier.items - carrier.items // 2 if number % 2 else carrier.items // 2
        peripherals.live[carrier.channel, f"{what}-seen", 0] = 1
        before = machine.cpu.instructions
        if peripherals.is_told(carrier.channel, f"{what}-seen") and machine.interrupt(
            carrier.channel
        ):
            costs.append(machine.cpu.instructions - before)
    return costs[1:]  # the first makes tables that the others find ready


def _input(state: SiliconState, name: str) -> tuple[int, int]:
    """Where the converter points, with its sampling cycles."""
    if state.registers.counted_by(name, "channel") or not state.has(name, "channel"):
        return 0, 0
    return state.number(name, "channel", 0), state.number(name, "sampling", 1)


def _in_turn(inputs: list[tuple[int, int]]) -> ChannelPointing:
    """Where a converter is pointed again and again; the last of a turn comes first, as it was
    before the first call."""
    turn = inputs[1 : 1 + _period(inputs[1:])]
    return (turn[-1], *turn[:-1])


def _period(sequence: Sequence[object]) -> int:
    """After how many it begins again; its whole length where it never does."""
    for period in range(1, len(sequence) // 2 + 1):
        if all(one == other for one, other in zip(sequence, sequence[period:], strict=False)):
            return period
    return len(sequence)


def _has_dac(state: SiliconState) -> bool:
    return any(
        dac.name in state.touched and state.is_on(dac.name) for dac in state.registers.part.dacs
    )


def _ramps(machine: Machine, early: Sequence[tuple[str, int, int]]) -> dict[str, RampSource]:
    """Codes that software gives to DACs as time goes on."""
    codes: dict[str, list[tuple[int, int]]] = {}
    for owner, at, code in early:
        codes.setdefault(owner, []).append((at, code))
    begun = time.monotonic()
    epoch = machine.now
    for number in range(MOST_STEPS):
        alarm = machine.peripherals.alarm_at
        if alarm is None or (number > IDLE_ALARMS and not codes) or machine.fault is not None:
            break
        if time.monotonic() - begun > LONGEST_S or (
            codes and all(_again(given) for given in codes.values())
        ):
            break
        machine.activity.clear()
        machine.now = max(machine.now, alarm * machine.setup.clock_divisor)
        machine.alarm()
        machine.peripherals.take_outbox()
        for owner, at, code in machine.activity.coded:
            codes.setdefault(owner, []).append((at, code))
    ramps: dict[str, RampSource] = {}
    for owner, given in codes.items():
        if len(given) < 2:
            continue
        period = _again(given)
        values = tuple(code for _at, code in given)
        step = max(1, given[-1][0] - given[-2][0])
        begin = max(0, given[0][0] - epoch)
        ramps[owner] = RampSource(begin, step, values[:period] if period else values, bool(period))
    return ramps


def _again(given: Sequence[tuple[int, int]]) -> int:
    """After how many codes they begin anew, as far as the newest show; 0 where they do not."""
    if len(given) < 2 * SURE or given[-1][1] != given[SURE - 1][1]:
        return 0
    if any(one[1] != other[1] for one, other in zip(given[-SURE:], given[:SURE], strict=True)):
        return 0
    values = [code for _at, code in given]
    period = _period(values)
    return period if period < len(values) else len(values) - SURE
