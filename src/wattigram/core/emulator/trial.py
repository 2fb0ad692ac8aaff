"""What firmware does again and again, seen by letting it do so for a while before the run, and then taken back.

Instructions are counted, and stand for cycles of the processor.
"""

from __future__ import annotations

import copy
import statistics
import time
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, field

from wattigram.core.emulator.handing import carriers
from wattigram.core.emulator.machine import Machine
from wattigram.core.registers import Observed, SiliconState

CALLS = 48
MARKS = 4
MOST_STEPS = 1 << 14
LONGEST_S = 1.5

Ramp = tuple[int, tuple[int, ...], bool]


@dataclass
class Trial:
    """What was seen."""

    cycles: dict[str, int] = field(default_factory=dict)
    inputs: dict[str, tuple[tuple[int, int], ...]] = field(default_factory=dict)
    restarts: dict[str, bool] = field(default_factory=dict)
    ramps: dict[str, Ramp] = field(default_factory=dict)

    @property
    def observed(self) -> Observed:
        """For whoever makes a project of it."""
        return Observed(self.cycles, self.inputs, self.restarts)


def try_out(machine: Machine, early_codes: Sequence[tuple[str, int, int]]) -> Trial:
    """Let handlers run on made-up results, then put everything back as it was.

    ``early_codes`` are those that DACs were given while everything was set up: DAC, ticks, code.
    """
    found = Trial()
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
    try:
        with cpu.counting():
            for name in peripherals.converters:
                if name in state.touched and state.is_on(name) and machine.fault is None:
                    peripherals.state = state.copy()
                    _converter(machine, name, found)
        if early_codes and machine.fault is None:
            peripherals.state = state.copy()
            found.ramps = _ramps(machine, early_codes)
    finally:
        cpu.restore(snapshot)
        peripherals.state = state
        peripherals.converters, peripherals.live, peripherals.inbox = kept[0], kept[1], kept[2]
        peripherals.alarm_at, machine.now, machine.uarts, peripherals.outbox = kept[3], kept[4], kept[5], kept[6]
        machine.seen.clear()
    return found


def _converter(machine: Machine, name: str, found: Trial) -> None:
    """Costs of a converter's handler, and where it points the converter."""
    state = machine.peripherals.state
    live = machine.peripherals.converters[name]
    delivery = state.text(name, "delivery", "polling")
    machine.seen.clear()
    if delivery == "dma":
        costs = _marks(machine, name)
    else:
        inputs = [_input(state, name)]
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
                costs.append(machine.cpu.instructions - before)
            elif machine.interrupt(name, then_wake=False):
                costs.append(machine.cpu.instructions - before)
                machine.wake()
            live.fifo.clear()
            inputs.append(_input(machine.peripherals.state, name))
            if number >= 8 and delivery == "fifo":
                break
        if len(set(inputs)) > 1:
            found.inputs[name] = tuple(inputs[: _period(inputs)])
    if costs:
        found.cycles[name] = max(1, int(statistics.median_high(costs)))
    live.done = True
    machine.wake()
    if name in machine.seen.started:
        found.restarts[name] = True


def _marks(machine: Machine, name: str) -> list[int]:
    """Instructions from each mark until the main loop sleeps again."""
    peripherals = machine.peripherals
    carrier, _stamps = carriers(peripherals.state, name)
    costs: list[int] = []
    if carrier is None:
        return costs
    live = peripherals.converters[name]
    for number in range(MARKS):
        what = "full" if number % 2 else "half"
        live.tally += carrier.items - carrier.items // 2 if number % 2 else carrier.items // 2
        peripherals.live[carrier.channel, f"{what}-seen", 0] = 1
        before = machine.cpu.instructions
        if peripherals.state.flag(carrier.channel, what, True) and machine.interrupt(carrier.channel):
            costs.append(machine.cpu.instructions - before)
    return costs[1:]  # the first makes tables that the others find ready


def _input(state: SiliconState, name: str) -> tuple[int, int]:
    """Where the converter points, with its sampling cycles."""
    if state.registers.counted_by(name, "channel") or not state.has(name, "channel"):
        return 0, 0
    return state.number(name, "channel", 0), state.number(name, "sampling", 1)


def _period(sequence: Sequence[object]) -> int:
    """After how many it begins again; its whole length where it never does."""
    for period in range(1, len(sequence) // 2 + 1):
        if all(one == other for one, other in zip(sequence, sequence[period:], strict=False)):
            return period
    return len(sequence)


def _ramps(machine: Machine, early: Sequence[tuple[str, int, int]]) -> dict[str, Ramp]:
    """Codes that software gives to DACs as time goes on."""
    codes: dict[str, list[tuple[int, int]]] = {}
    for owner, at, code in early:
        codes.setdefault(owner, []).append((at, code))
    begun = time.monotonic()
    for _ in range(MOST_STEPS):
        alarm = machine.peripherals.alarm_at
        if alarm is None or time.monotonic() - begun > LONGEST_S or machine.fault is not None:
            break
        machine.seen.clear()
        machine.now = max(machine.now, alarm * machine.setup.clock_divisor)
        machine.alarm()
        for owner, at, code in machine.seen.coded:
            codes.setdefault(owner, []).append((at, code))
    ends = machine.peripherals.alarm_at is None
    found: dict[str, Ramp] = {}
    for owner, given in codes.items():
        if len(given) < 2:
            continue
        values = [code for _at, code in given]
        period = _period(values)
        again = (period < len(values) and not ends) or period < len(values) // 2
        found[owner] = (max(1, given[1][0] - given[0][0]), tuple(values[:period] if again else values), again)
    return found
