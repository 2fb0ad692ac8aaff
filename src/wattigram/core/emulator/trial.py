"""What firmware does again and again, seen by letting it do so for a while before the run, and then
taken back.

Instructions are counted, and stand for cycles of the processor.
"""

from __future__ import annotations

import copy
import statistics
from collections import deque
from collections.abc import Sequence

import msgspec

from wattigram.core.contract.link import ChannelPointing
from wattigram.core.emulator.machine import Machine
from wattigram.core.emulator.pointing import pointing_of
from wattigram.core.emulator.result_delivery import dma_transfers
from wattigram.core.silicon.registers import Observed, SiliconState
from wattigram.core.silicon.registers.equivalents import delivery_of

CALLS = 48
MOST_POLLS = 1 << 14
"""Results that a main loop is given until it has filled a half twice."""
USUAL = 8
"""Results of which the one that takes least tells what one takes that fills no half."""
LONGER = 1.05
"""So much longer takes at least one that does."""
GAPS = 9
MARKS = 4
ANY_PASS = 1 << 16
"""More results than a pass can have."""
REACTION = "react_"
"""Begins the names of functions that do what a reaction does."""
PROGRAM = "wg_program.c"
"""Where they are; what own code calls so is its own."""


class Trial(msgspec.Struct):
    """What was seen."""

    cycles: dict[str, int] = msgspec.field(default_factory=dict)
    """Of each converter's ISR, or of what polls it."""
    main_cycles: dict[str, int] = msgspec.field(default_factory=dict)
    """Of the main loop for each half that is full."""
    round_cycles: dict[str, int] = msgspec.field(default_factory=dict)
    """Of a round of the main loop in which it looks for results in vain, where it does."""
    start_cycles: dict[str, int] = msgspec.field(default_factory=dict)
    """From where it finds results until it has started what comes next, where it does."""
    gap_cycles: dict[str, int] = msgspec.field(default_factory=dict)
    """Of one that finds results lost, and sends the one that came before."""
    reactions: dict[str, int] = msgspec.field(default_factory=dict)
    """Of each reaction, by its name in C."""
    inputs: dict[str, tuple[tuple[int, float], ...]] = msgspec.field(default_factory=dict)
    restarts: dict[str, bool] = msgspec.field(default_factory=dict)
    pointed: dict[str, ChannelPointing] = msgspec.field(default_factory=dict)
    """Of converters that software points: where to in turn, be it once or again and again."""

    @property
    def of_converters(self) -> tuple[tuple[str, dict[str, int]], ...]:
        """What was counted of each converter, with what a board calls it."""
        return (
            ("handler", self.cycles),
            ("main", self.main_cycles),
            ("round", self.round_cycles),
            ("start", self.start_cycles),
            ("gap", self.gap_cycles),
        )

    @property
    def observed(self) -> Observed:
        """For whoever makes a project of it."""
        return Observed(self.cycles, self.inputs, self.restarts)


def try_out(machine: Machine) -> Trial:
    """Let handlers run on made-up results, then put everything back as it was."""
    trial = Trial()
    peripherals, cpu = machine.peripherals, machine.cpu
    stood = machine.state()
    state = peripherals.state
    kept = (
        copy.deepcopy(peripherals.converters),
        dict(peripherals.live),
        deque(peripherals.inbox),
        peripherals.system_alarm_at,
        copy.deepcopy(machine.uarts),
        list(peripherals.outbox),
    )
    core, mailbox = copy.copy(peripherals.core), peripherals.mailbox
    said = bytes(mailbox.said) if mailbox is not None else b""
    cpu.stops.are_off = True
    try:
        for name in peripherals.converters:
            if name in state.touched and state.is_on(name) and machine.fault is None:
                peripherals.state = state.copy()
                _converter(machine, name, trial)
        _reactions(machine, state, trial)
    finally:
        cpu.stops.are_off = False
        machine.come_back(stood)
        peripherals.state = state
        peripherals.converters, peripherals.live, peripherals.inbox = kept[0], kept[1], kept[2]
        peripherals.system_alarm_at, machine.uarts, peripherals.outbox = kept[3:]
        peripherals.core = core
        if mailbox is not None:
            mailbox.said[:] = said
        machine.activity.clear()
        machine.late.clear()
        peripherals.changed.clear()
    return trial


def _reactions(machine: Machine, state: SiliconState, trial: Trial) -> None:
    """Instructions of each reaction, with what it knows after the made-up results; what it does is taken back."""
    for symbol, (address, _size) in machine.image.symbols.items():
        is_one = symbol.startswith(REACTION) and machine.image.source_at(address).startswith(
            PROGRAM
        )
        if is_one and machine.fault is None:
            machine.peripherals.state = state.copy()
            count = machine.call(address, 1)
            if count is not None:
                trial.reactions[symbol.removeprefix(REACTION)] = count


def _converter(machine: Machine, name: str, trial: Trial) -> None:
    """Costs of a converter's handler, and where it points the converter."""
    state = machine.peripherals.state
    live = machine.peripherals.converters[name]
    delivery = delivery_of(state, name)
    machine.activity.clear()
    if delivery == "dma":
        costs, later = _marks(machine, name)
        if later:
            trial.main_cycles[name] = int(statistics.median_high(later))
    else:
        inputs, starts = [pointing_of(state, name)], []
        costs, until_start = [], []
        for number in range(CALLS):
            live.tally += 1
            live.done = live.scan_done = True
            if delivery == "fifo":
                live.fifo = deque([(0, machine.now)] * max(1, state.number(name, "mark", 1)))
                live.tally += len(live.fifo) - 1
            before = machine.cpu.instructions
            if delivery == "polling":
                _go_on(machine)
                if machine.handled is not None:
                    costs.append(machine.handled)
                if machine.until_start is not None:
                    until_start.append(machine.until_start)
            elif machine.interrupt(name):
                machine.run_handler()
                costs.append(machine.cpu.instructions - before)
                _go_on(machine)
            live.fifo.clear()
            inputs.append(pointing_of(machine.peripherals.state, name))
            starts.append(_was_started(machine, name))
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
        if delivery == "polling" and costs:
            if machine.rounds.empty is not None:
                trial.round_cycles[name] = machine.rounds.empty
            rounds = _PolledRounds(machine, name)
            half = rounds.half()
            if half is not None:
                trial.main_cycles[name] = half
                trial.gap_cycles[name] = rounds.gap()
        if until_start:
            trial.start_cycles[name] = int(statistics.median_high(until_start))
    if costs:
        trial.cycles[name] = max(1, int(statistics.median_high(costs)))
    live.done = True
    live.tally += ANY_PASS
    _go_on(machine)
    if delivery in {"dma", "fifo"} and _was_started(machine, name):
        trial.restarts[name] = True
        empty, more = machine.rounds.empty, machine.rounds.more
        if empty is not None and more is not None:
            trial.round_cycles[name], trial.start_cycles[name] = empty, more


class _PolledRounds:
    """What a main loop takes for results until it rests, while no time passes: nothing that comes every so often
    is taken for it."""

    def __init__(self, machine: Machine, name: str) -> None:
        self._machine, self._live = machine, machine.peripherals.converters[name]
        self._at = machine.free_at
        self._usual = min(self._take(1) for _ in range(USUAL))

    def _take(self, results: int) -> int:
        """Instructions for so many results, of which it finds the newest."""
        machine, live = self._machine, self._live
        machine.free_at = self._at
        live.tally += results
        live.done = live.scan_done = True
        before = machine.cpu.instructions
        _go_on(machine)
        return machine.cpu.instructions - before

    def half(self) -> int | None:
        """Instructions more where a half is full; None where no two such halves are seen."""
        longer: list[int] = []
        for _ in range(MOST_POLLS):
            if len(longer) > 1 or self._machine.fault is not None:
                break
            taken = self._take(1)
            if taken > self._usual * LONGER:
                longer.append(taken)
        return statistics.median_low(longer) - self._usual if len(longer) > 1 else None

    def gap(self) -> int:
        """Instructions more where a result is lost, and one came since the last that was."""
        return max(0, statistics.median_low(self._take(2) for _ in range(GAPS)) - self._usual)


def _go_on(machine: Machine) -> None:
    """Let the main loop find what is there, until it rests."""
    machine.wake()
    machine.run(None)


def _was_started(machine: Machine, name: str) -> bool:
    return any(owner == name for owner, _at, _where in machine.activity.started)


def _by_software(state: SiliconState, name: str) -> bool:
    """The converter has one slot, and whoever wants others points it there."""
    return (
        next(
            converter for converter in state.registers.part.converters if converter.name == name
        ).sequence
        == "software"
    )


def _marks(machine: Machine, name: str) -> tuple[list[int], list[int]]:
    """Instructions of the ISR at each mark, and of the main loop from then until it sleeps again."""
    peripherals = machine.peripherals
    carrier, _stamps = dma_transfers(peripherals.state, name)
    costs: list[int] = []
    later: list[int] = []
    if carrier is None:
        return costs, later
    live = peripherals.converters[name]
    for number in range(MARKS):
        what = "full" if number % 2 else "half"
        live.tally += carrier.items - carrier.items // 2 if number % 2 else carrier.items // 2
        peripherals.live[carrier.channel, f"{what}-seen", 0] = 1
        before = machine.cpu.instructions
        if peripherals.is_told(carrier.channel, f"{what}-seen") and machine.interrupt(
            carrier.channel
        ):
            machine.run_handler()
            after = machine.cpu.instructions
            costs.append(after - before)
            _go_on(machine)
            more = machine.rounds.more  # a main loop that never sleeps has its rounds anyway
            later.append(machine.cpu.instructions - after if more is None else more)
    return costs[1:], later[1:]  # the first makes tables that the others find ready


def _in_turn(inputs: list[tuple[int, float]]) -> ChannelPointing:
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
