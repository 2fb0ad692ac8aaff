"""What the sampling capacitor of a converter holds, conversion by conversion, with the capacitors
at the pins.

The board's own solution of the circuit: it steps the nodes of the network, and knows nothing of how
the expected
stream is worked out. A pin is a source behind a resistance, with a capacitor to ground or without;
the sampling
capacitor lies between the pin and ground, across a pair, or there is one on each side of it.
"""

from __future__ import annotations

import math
from functools import lru_cache

import msgspec
import numpy as np
from numpy.typing import NDArray

from wattigram.core.contract.board_config import EffectiveConverter, EffectiveSlot, PinDrive

FloatArray = NDArray[np.float64]
Float32Array = NDArray[np.float32]
NEGLIGIBLE_CARRY = 1e-9
NEGLIGIBLE_CHARGE = 1e-7
"""Of a full scale; what a pin's capacitor is off by and no code shows."""
LONGEST_MEMORY_SCANS = 1 << 15
SMALLEST_OHM = 1e-3


def exponential(matrix: FloatArray) -> FloatArray:
    """exp of a small square matrix by scaling and squaring, with a Taylor series of the scaled one.

    Networks have time constants of pico- and of milliseconds side by side, so that the scale is
    that of the fastest.

    ``matrix`` and the result are (n, n) float64.
    """
    norm = float(np.abs(matrix).sum(axis=1).max())
    halvings = max(0, math.ceil(math.log2(norm)) + 3) if norm > 0 else 0
    small = matrix / 2.0**halvings
    total = term = np.eye(len(matrix))
    for number in range(1, 16):
        term = term @ small / number
        total = total + term
    for _ in range(halvings):
        total = total @ total
    return np.asarray(total)


class Node(msgspec.Struct, frozen=True):
    """A pin as a sampling capacitor meets it."""

    pin: str
    ohm: float
    farads: float

    @property
    def moves(self) -> bool:
        """It has a capacitor and a resistance before it, so that taking charge from it moves it."""
        return self.farads > 0 and self.ohm > 0


def sampled(
    nodes: tuple[Node, ...], sampling_s: float, switch_ohm: float, sample_f: float
) -> FloatArray:
    """What becomes of the nodes' and the sampling capacitor's deviations over one sampling, (n + 1,
    n + 1).

    Kirchhoff's current law at each moving node, in the order of ``nodes``, and at the sampling
    capacitor last.
    """
    moving = [node for node in nodes if node.moves]
    through = max(SMALLEST_OHM, switch_ohm + sum(node.ohm for node in nodes if not node.moves))
    size = len(moving) + 1
    rates = np.zeros((size, size))
    sign = {node.pin: 1.0 if node is nodes[0] else -1.0 for node in moving}
    # The current through the switch: (Σ ± v of the moving nodes − u) / R
    current = np.array([*(sign[node.pin] for node in moving), -1.0]) / through
    for row, node in enumerate(moving):
        rates[row] = -sign[node.pin] * current / node.farads
        rates[row, row] -= 1 / (node.ohm * node.farads)
    rates[-1] = current / sample_f
    return exponential(rates * sampling_s)


@lru_cache(maxsize=4096)  # most of a converter that tracks come evenly all the same
def _sampled_for(
    nodes: tuple[Node, ...], length_s: float, switch_ohm: float, sample_f: float
) -> FloatArray:
    return sampled(nodes, length_s, switch_ohm, sample_f)


class Conversion(msgspec.Struct, frozen=True):
    """One conversion of a scan on one sampling capacitor; times in seconds from the scan's
    start."""

    column: int
    """Its place among all conversions of the scan."""
    nodes: tuple[Node, ...]
    begin_s: float
    end_s: float
    step: FloatArray

    @property
    def moving(self) -> tuple[Node, ...]:
        """Nodes with a state of their own."""
        return tuple(node for node in self.nodes if node.moves)


def sides(converter: EffectiveConverter, slot: EffectiveSlot) -> tuple[tuple[str, ...], ...]:
    """Pins of each sampling capacitor of a slot: the positive side first."""
    if slot.negative is None:
        return ((slot.pin,),)
    return ((slot.pin,), (slot.negative,)) if converter.each_side else ((slot.pin, slot.negative),)


def conversions(
    converter: EffectiveConverter, pins: dict[str, PinDrive], tick_hz: int, side: int
) -> tuple[Conversion, ...]:
    """Conversions of a scan that use one sampling capacitor: 0 the positive or only one, 1 the
    negative one."""
    inputs = []
    column = 0
    ended_s = _end_of_cycle_s(converter, tick_hz) - converter.cycle_ticks / tick_hz
    known: dict[tuple[tuple[Node, ...], float], FloatArray] = {}
    for slot in converter.slots:
        mine = sides(converter, slot)
        for number in range(slot.repeats):
            held_s = (slot.held_ticks + number * slot.each_ticks) / tick_hz
            length_s = slot.sampling_ticks / tick_hz
            if converter.tracks:
                length_s = max(length_s, held_s - ended_s)
                ended_s = held_s + (slot.each_ticks - slot.sampling_ticks) / tick_hz
            if side < len(mine):
                nodes = tuple(Node(pin, pins[pin].ohm, pins[pin].capacitor_f) for pin in mine[side])
                key = nodes, length_s
                if key not in known:
                    known[key] = sampled(
                        nodes, length_s, converter.switch_ohm, converter.sampling_f
                    )
                inputs.append(Conversion(column, nodes, held_s - length_s, held_s, known[key]))
            column += 1
    return tuple(inputs)


def _end_of_cycle_s(converter: EffectiveConverter, tick_hz: int) -> float:
    """When the last conversion of a cycle has ended."""
    last = converter.slots[-1]
    return (last.held_ticks + last.repeats * last.each_ticks - last.sampling_ticks) / tick_hz


class Recurrence:
    """y[i] = b[i] + a[i] · y[i − 1], with a that repeats, over float32 arrays by doubling the
    distance."""

    def __init__(self, carry: FloatArray, rows: int, negligible: float = NEGLIGIBLE_CARRY) -> None:
        self._tiles = [np.tile(power, rows) for power in _powers(carry, negligible)]
        self.reach = (1 << len(self._tiles)) - 1
        """Values before one that still show in it."""

    @property
    def is_idle(self) -> bool:
        """Nothing is carried over."""
        return not self._tiles

    def run(self, values: Float32Array, other: Float32Array) -> None:
        """Solve in place; ``other`` is scratch of the same length."""
        distance = 1
        for tile in self._tiles:
            if distance >= len(values):
                break
            term = other[: len(values) - distance]
            np.multiply(values[:-distance], tile[distance : len(values)], out=term)
            values[distance:] += term
            distance *= 2


def _powers(carry: FloatArray, negligible: float) -> list[Float32Array]:
    """Products of 1, 2, 4 … carries ending at each place, until they no longer matter."""
    powers: list[Float32Array] = []
    product = carry
    distance = 1
    while np.abs(product).max(initial=0.0) > negligible and distance <= LONGEST_MEMORY_SCANS:
        # Tiny factors are cut off: products that leave float32's normal range are ten times slower.
        powers.append(np.where(np.abs(product) > negligible, product, 0.0).astype(np.float32))
        product = product * np.roll(np.resize(product, len(carry)), distance)
        distance *= 2
    return powers


class _Capacitor(msgspec.Struct):
    """One external capacitor: the conversions of its pin in a scan, in order."""

    columns: list[int]
    push: FloatArray
    """From what is missing at each conversion to the deviation at the next one's beginning"""
    pull: FloatArray
    """From the deviation at each conversion's beginning to what the sampling capacitor holds"""
    recurrence: Recurrence
    strongest: float
    """Largest share that is kept from one sampling to the next"""
    pin: str
    cross: list[tuple[str, float]]
    """For each conversion the other pin of a pair that has a capacitor too, and its share; "" and 0
    where none has"""


class ScanSettling:
    """Settles the sampling capacitor of one side over whole scans, one after the other, evenly
    spaced.

    Voltages are in any one unit for all conversions: they are carried from slot to slot.
    """

    def __init__(self, inputs: tuple[Conversion, ...], period_s: float, rows: int) -> None:
        self._columns = [conversion.column for conversion in inputs]
        carry = np.array([conversion.step[-1, -1] for conversion in inputs])
        self._carry = carry
        self._main = Recurrence(carry, rows)
        self._take = np.tile((1 - carry).astype(np.float32), rows)
        loaded = [_capacitor(pin, inputs, period_s, rows) for pin in _loaded(inputs)]
        self._capacitors = [capacitor for capacitor in loaded if capacitor is not None]
        self._turns = self._count_turns()
        count = max(1, len(inputs))
        reaches = [-(-self._main.reach // count)]
        reaches += [
            -(-capacitor.recurrence.reach // len(capacitor.columns)) + 1
            for capacitor in self._capacitors
        ]
        self.memory_scans = min(LONGEST_MEMORY_SCANS, max(reaches) * (1 + (self._turns > 1)))

    def _count_turns(self) -> int:
        """How often the two kinds of capacitors have to be told of each other until no code shows
        the rest; 0 for not at all."""
        gains = [
            float(
                np.abs(capacitor.push).max()
                * np.abs(capacitor.pull).max()
                / max(1e-6, 1 - capacitor.strongest)
            )
            for capacitor in self._capacitors
        ]
        followed = [
            float(self._carry[(column + 1) % len(self._carry)])
            for capacitor in self._capacitors
            for column in capacitor.columns
        ]
        crossed = any(share for capacitor in self._capacitors for _pin, share in capacitor.cross)
        if not gains:
            return 0
        strongest = max(gains)
        # What a reading is put right by reaches others through the slot after it, or a capacitor
        # that is charged from it.
        if not crossed and strongest * max(strongest, *followed) < NEGLIGIBLE_CHARGE:
            return 0
        gain = min(0.9, sum(gains))
        return min(60, max(1, math.ceil(math.log(NEGLIGIBLE_CHARGE) / math.log(max(gain, 1e-9)))))

    @property
    def is_idle(self) -> bool:
        """Every reading is its own voltage."""
        return self._main.is_idle and not self._capacitors

    def settle(self, volts: Float32Array, other: Float32Array) -> None:
        """Replace voltages by what is held.

        Parameters
        ----------
        volts : (scans · conversions,) float32, in place; the capacitor is empty before the first
        other : scratch of at least the same length
        """
        if self.is_idle:
            return
        count = len(self._columns)
        if not self._capacitors:
            volts *= self._take[: len(volts)]
            self._main.run(volts, other)
            return
        rows = volts.reshape(-1, count)
        if not self._turns:
            self._settle_apart(volts, rows, other)
            return
        wanted = volts.copy()
        base = wanted * self._take[: len(volts)]
        rows = wanted.reshape(-1, count)
        np.copyto(volts, base)
        self._main.run(volts, other)
        off: dict[str, Float32Array] = {}
        for _ in range(self._turns):
            pushed = np.zeros_like(rows)
            held = volts.reshape(-1, count)
            before, off = off, {}
            for capacitor in self._capacitors:
                mine = off[capacitor.pin] = self._deviation(
                    capacitor, held, rows[:, capacitor.columns], before
                )
                for place, column in enumerate(capacitor.columns):
                    pushed[:, column] += mine[:, place] * np.float32(capacitor.pull[place])
            np.add(base, pushed.ravel(), out=volts)
            self._main.run(volts, other)

    def _settle_apart(self, volts: Float32Array, rows: Float32Array, other: Float32Array) -> None:
        """Where what a pin is off by shows in its own readings only: they are put right at the
        end."""
        wanted = {
            capacitor.pin: rows[:, capacitor.columns].copy() for capacitor in self._capacitors
        }
        volts *= self._take[: len(volts)]
        self._main.run(volts, other)
        moved = {
            capacitor.pin: self._deviation(capacitor, rows, wanted[capacitor.pin], {})
            for capacitor in self._capacitors
        }
        for capacitor in self._capacitors:
            for place, column in enumerate(capacitor.columns):
                rows[:, column] += moved[capacitor.pin][:, place] * np.float32(
                    capacitor.pull[place]
                )

    def _deviation(
        self,
        capacitor: _Capacitor,
        held: Float32Array,
        wanted: Float32Array,
        before: dict[str, Float32Array],
    ) -> Float32Array:
        """What a pin is off by at the beginning of each of its samplings, (scans, conversions of
        the pin).

        ``held`` is of all conversions, ``wanted`` of the pin's own alone.
        """
        scans = len(held)
        missing = np.empty((scans, len(capacitor.columns)), dtype=np.float32)
        for place, column in enumerate(capacitor.columns):
            if column:
                missing[:, place] = held[:, column - 1]
            else:
                missing[0, place] = 0.0
                missing[1:, place] = held[:-1, -1]
            missing[:, place] -= wanted[:, place]
            missing[:, place] *= np.float32(capacitor.push[place])
            pin, share = capacitor.cross[place]
            if share and pin in before:
                other = next(known for known in self._capacitors if known.pin == pin)
                missing[:, place] += before[pin][:, other.columns.index(column)] * np.float32(share)
        flat = missing.ravel()
        moved = np.empty_like(flat)
        moved[0], moved[1:] = 0.0, flat[:-1]  # what one sampling leaves is there at the next
        capacitor.recurrence.run(moved, np.empty_like(moved))
        return moved.reshape(scans, -1)


def _loaded(inputs: tuple[Conversion, ...]) -> list[str]:
    return list(dict.fromkeys(node.pin for conversion in inputs for node in conversion.moving))


def _capacitor(
    pin: str, inputs: tuple[Conversion, ...], period_s: float, rows: int
) -> _Capacitor | None:
    """The external capacitor of a pin; None where no code could ever show it."""
    mine = [
        (place, conversion)
        for place, conversion in enumerate(inputs)
        if any(node.pin == pin for node in conversion.moving)
    ]
    keeps, pushes, pulls, cross = [], [], [], []
    for number, (_place, conversion) in enumerate(mine):
        state = [node.pin for node in conversion.moving].index(pin)
        node = conversion.moving[state]
        following = mine[(number + 1) % len(mine)][1]
        begin_s = following.begin_s + (period_s if number + 1 == len(mine) else 0.0)
        fall = math.exp(-max(0.0, begin_s - conversion.end_s) / (node.ohm * node.farads))
        keeps.append(fall * conversion.step[state, state])
        pushes.append(fall * conversion.step[state, -1])
        pulls.append(conversion.step[-1, state])
        others = [
            (place, node.pin) for place, node in enumerate(conversion.moving) if node.pin != pin
        ]
        cross.append(
            (others[0][1], fall * float(conversion.step[state, others[0][0]]))
            if others
            else ("", 0.0)
        )
    strength = max(abs(push) for push in pushes) * max(abs(pull) for pull in pulls)
    if strength < NEGLIGIBLE_CHARGE * 1e-2:
        return None
    # keeps[i] leads from sampling i to sampling i + 1, so that it stands at the later one.
    carry = np.roll(np.array(keeps), 1)
    recurrence = Recurrence(carry, rows, min(0.5, NEGLIGIBLE_CHARGE / strength))
    return _Capacitor(
        [place for place, _one in mine],
        np.array(pushes),
        np.array(pulls),
        recurrence,
        float(np.abs(carry).max()),
        pin,
        cross,
    )


class SequenceSettling:
    """Settles the sampling capacitor of one side over conversions that come at any instants; keeps
    what it holds."""

    def __init__(
        self, converter: EffectiveConverter, pins: dict[str, PinDrive], tick_hz: int, side: int
    ) -> None:
        self._held = 0.0
        self._off: dict[str, float] = {}
        self._end_s: dict[str, float] = {}
        self._side = side
        self.rewire(converter, pins, tick_hz)

    def rewire(
        self, converter: EffectiveConverter, pins: dict[str, PinDrive], tick_hz: int
    ) -> None:
        """Other sources; what the capacitors hold stays."""
        self._slots: dict[int, tuple[tuple[Node, ...], float, FloatArray]] = {}
        self._switch = converter.switch_ohm, converter.sampling_f
        for place, slot in enumerate(converter.slots):
            mine = sides(converter, slot)
            if self._side < len(mine):
                nodes = tuple(
                    Node(pin, pins[pin].ohm, pins[pin].capacitor_f) for pin in mine[self._side]
                )
                length_s = slot.sampling_ticks / tick_hz
                self._slots[place] = (
                    nodes,
                    length_s,
                    sampled(nodes, length_s, converter.switch_ohm, converter.sampling_f),
                )
        self._moves = any(
            node.moves for nodes, _length, _step in self._slots.values() for node in nodes
        )
        count = max(self._slots, default=-1) + 1
        self._carry = np.array(
            [
                self._slots[place][2][-1, -1] if place in self._slots else 0.0
                for place in range(count)
            ]
        )

    def standing(self) -> tuple[float, dict[str, float], dict[str, float]]:
        """What the capacitors hold, to come back to."""
        return self._held, dict(self._off), dict(self._end_s)

    def stand_again(self, standing: tuple[float, dict[str, float], dict[str, float]]) -> None:
        """Hold that again."""
        self._held, self._off, self._end_s = standing[0], dict(standing[1]), dict(standing[2])

    def settle(
        self,
        volts: FloatArray,
        places: NDArray[np.int64],
        held_s: FloatArray,
        lengths_s: FloatArray | None = None,
    ) -> FloatArray:
        """What is held at the end of each sampling.

        Parameters
        ----------
        volts : (n,) float64, at the sampling instants
        places : (n,) int64, the slot of each conversion; all of them use this capacitor
        held_s : (n,) float64, sampling instants in order
        lengths_s : (n,) float64, for how long the capacitor was at the input before; None where it is
        the slot's sampling time

        Returns
        -------
        (n,) float64, volts
        """
        if not len(volts):
            return volts
        if self._moves or lengths_s is not None:
            return self._step_by_step(volts, places, held_s, lengths_s)
        carry = self._carry[places]
        if not carry.any():
            self._held = float(volts[-1])
            return volts
        held = volts * (1 - carry)
        held[0] += self._held * carry[0]
        product = carry.copy()
        distance = 1
        while distance < len(held) and product[distance:].max(initial=0.0) > 1e-12:
            held[distance:] += product[distance:] * held[:-distance].copy()
            product[distance:] *= product[:-distance].copy()
            distance *= 2
        self._held = float(held[-1])
        return np.asarray(held)

    def _step_by_step(
        self,
        volts: FloatArray,
        places: NDArray[np.int64],
        held_s: FloatArray,
        lengths_s: FloatArray | None,
    ) -> FloatArray:
        """Each conversion with the state that the one before left: instants are uneven, and so are
        the shares."""
        deviation_v = np.empty(len(volts))
        held = self._held
        for number, (wanted, place, at_s) in enumerate(
            zip(volts.tolist(), places.tolist(), held_s.tolist(), strict=True)
        ):
            nodes, length_s, step = self._slots[place]
            if lengths_s is not None:
                length_s = float(lengths_s[number])
                step = _sampled_for(nodes, length_s, *self._switch)
            state = [self._rested(node, at_s - length_s) for node in nodes if node.moves]
            after = step @ np.array([*state, held - wanted])
            for row, node in enumerate(node for node in nodes if node.moves):
                self._off[node.pin] = float(after[row])
                self._end_s[node.pin] = at_s
            held = wanted + float(after[-1])
            deviation_v[number] = held
        self._held = held
        return deviation_v

    def _rested(self, node: Node, at_s: float) -> float:
        """What a pin is still off by when its next sampling begins."""
        off = self._off.get(node.pin, 0.0)
        return (
            off * math.exp(-max(0.0, at_s - self._end_s[node.pin]) / (node.ohm * node.farads))
            if off
            else 0.0
        )
