"""When a reaction comes, counted from the instant at which the value that causes it was held."""

from __future__ import annotations

from fractions import Fraction

import msgspec

from wattigram.core.model.design import (
    ByteReceived,
    BytesAction,
    Chain,
    ComparatorSwitched,
    DutyAction,
    InputChanged,
    LowPassFilter,
    PairTripped,
    PeriodAction,
    PeriodElapsed,
    Reaction,
    ResultsFetched,
    RunStarted,
    TextAction,
    TextValue,
    ThresholdCrossed,
    Workspace,
    output_of,
    signal_scale,
    text_pieces,
)
from wattigram.core.predict.clocks import uart_timing
from wattigram.core.predict.pins import pwm_timing
from wattigram.core.predict.program.scaled_values import volts_per_code
from wattigram.core.predict.timing import buffer_timing, other_end, scan_timing, slot_order

LONGEST_VALUES = {"V": 14, "mV": 14, "code": 11, "hex": 10}
"""Characters that a value takes at most, by its form."""


class ReactionTiming(msgspec.Struct, frozen=True):
    """Times of a reaction, in seconds; the program's own clocks as far as they are stated.

    Attributes
    ----------
    least_s, most_s : Fraction
        From the held instant of the value that causes it until the program acts: for the newest and
        the oldest value that is fetched together with others.
    filter_s : Fraction
        By how much the value is behind the pin because of its filter.
    load_s : Fraction
        Until a register that was written takes effect, at most.
    wire_s : Fraction
        Of the longest text or bytes on the wire.
    work_s : Fraction
        Its own clocks, which ``least_s`` and ``most_s`` hold; 0 where they are not stated.
    others_s : Fraction
        Of all other reactions, which may come before it; ``most_s`` holds them.
    busy : Fraction or None
        Share of the processor's time that it takes; None where its clocks or its rate are unknown.
    """

    least_s: Fraction
    most_s: Fraction
    filter_s: Fraction = Fraction(0)
    load_s: Fraction = Fraction(0)
    wire_s: Fraction = Fraction(0)
    work_s: Fraction = Fraction(0)
    others_s: Fraction = Fraction(0)
    busy: Fraction | None = None

    @property
    def latest_s(self) -> Fraction:
        """From the held value to the effect, at most."""
        return self.most_s + self.load_s


def reaction_timing(workspace: Workspace, reaction: Reaction) -> ReactionTiming:
    """Times of a reaction; those of a period or of the start count from when it is due."""
    least_s, most_s, filter_s = _noticed(workspace, reaction)
    clock_hz = workspace.bus_clock_hz
    work_s = (reaction.cycles or 0) / clock_hz
    others_s = sum(one.cycles or 0 for one in workspace.project.reactions) / clock_hz - work_s
    rate_hz = reaction_rate_hz(workspace, reaction)
    return ReactionTiming(
        least_s + work_s,
        most_s + work_s + others_s,
        filter_s,
        _load_s(workspace, reaction),
        wire_s(workspace, reaction),
        work_s,
        others_s,
        None if reaction.cycles is None or rate_hz is None else work_s * rate_hz,
    )


def reaction_rate_hz(workspace: Workspace, reaction: Reaction) -> Fraction | None:
    """How often it comes; None where that depends on what is measured."""
    match reaction.when:
        case PeriodElapsed(period_s=period_s):
            return 1 / period_s
        case ResultsFetched(converter=converter, mark=mark):
            chain = workspace.project.chain(converter)
            assert chain is not None
            if mark != "each" and chain.readout.ends_as_meant:
                return Fraction(0)  # once
            return 1 / buffer_timing(workspace, chain).half_s / (1 if mark == "each" else 2)
        case ByteReceived(uart=uart, byte=None):
            other = other_end(workspace, uart)
            return other.words_hz if other is not None else Fraction(0)
        case RunStarted():
            return Fraction(0)
        case _:
            return None


def _noticed(workspace: Workspace, reaction: Reaction) -> tuple[Fraction, Fraction, Fraction]:
    project, nothing = workspace.project, Fraction(0)
    match reaction.when:
        case ThresholdCrossed(signal=name, threshold=number):
            window = project.signal(name).thresholds[number - 1]
            by_hardware = window.done_in == "hardware"
            is_filtered = window.input == "filtered"
        case PairTripped(signal=name):
            by_hardware, is_filtered = False, True
        case ComparatorSwitched(comparator=comparator_name):
            unit = workspace.part.comparator(comparator_name)
            assert unit is not None
            return nothing, Fraction(unit.response_s), nothing
        case InputChanged(look_period_s=every_s):
            return nothing, every_s, nothing
        case ResultsFetched(converter=converter):
            chain = project.chain(converter)
            assert chain is not None
            waits = [
                fetch_wait_s(workspace, chain, signal.name) for signal in project.signals_of(chain)
            ]
            return min(wait[0] for wait in waits), max(wait[1] for wait in waits), nothing
        case _:
            return nothing, nothing, nothing
    chain_of = project.chain_of(name)
    if chain_of is None:
        return nothing, nothing, nothing
    least_s, most_s = fetch_wait_s(workspace, chain_of, name)
    if by_hardware:
        least_s = most_s = _conversion_s(workspace, chain_of, name)
    behind_s = filter_delay_s(workspace, chain_of, name) if is_filtered else nothing
    return least_s, most_s, behind_s


def _conversion_s(workspace: Workspace, chain: Chain, signal: str) -> Fraction:
    cycle = scan_timing(workspace, chain)
    return max(
        cycle.slots[place].end_s - cycle.slots[place].held_s for place in chain.places_of(signal)
    )


def fetch_wait_s(workspace: Workspace, chain: Chain, signal: str) -> tuple[Fraction, Fraction]:
    """From the held instant of a signal's value until the program has it: of the newest and of the
    oldest value that come together.

    However results leave the converter, the program looks at them when a half of the buffer is full;
    where it reads the newest, that is up to a scan old.
    """
    cycle = scan_timing(workspace, chain)
    if chain.read_period_s is not None:
        converted_s = _conversion_s(workspace, chain, signal)
        return converted_s, converted_s + cycle.cycle_s
    order = slot_order(workspace, chain)
    slots = [cycle.slots[place] for place in order]
    mine = {order.index(place) for place in chain.places_of(signal)}
    count, waits = len(slots), []
    for first, length in _units(chain, count):
        last = first + length - 1
        end_s = last // count * cycle.cycle_s + slots[last % count].end_s
        inside = [number for number in range(first, last + 1) if number % count in mine]
        for number in (inside[:1] + inside[-1:]) if inside else ():
            held_s = number // count * cycle.cycle_s + slots[number % count].held_s
            waits.append(end_s - held_s)
    if not waits:
        return Fraction(0), Fraction(0)
    return min(waits), max(waits)


def _units(chain: Chain, slots: int) -> list[tuple[int, int]]:
    """First item and length of the halves of the buffer, for each slot that one may begin with."""
    half = chain.buffer.samples // 2
    lengths = (half, chain.buffer.samples - half)
    units, first = [], 0
    for number in range(len(lengths) * slots):
        length = lengths[number % len(lengths)]
        units.append((first % slots, length))
        first += length
    return units


def filter_delay_s(workspace: Workspace, chain: Chain, signal: str) -> Fraction:
    """By how much a filter's value is behind the pin: half the span of a mean, the time constant of
    a low-pass."""
    known = workspace.project.signal(signal)
    stage = known.filter
    if stage is None:
        return Fraction(0)
    cycle = scan_timing(workspace, chain)
    places = chain.places_of(signal)
    each_s = cycle.handed_s / len(places)
    if known.slot_filter is not None:
        slot = cycle.slots[places[0]]
        return (slot.repeats - 1) * slot.each_s / 2
    if isinstance(stage, LowPassFilter):
        return stage.count * each_s
    return Fraction(stage.count - 1, 2) * each_s


def _load_s(workspace: Workspace, reaction: Reaction) -> Fraction:
    """Until a timer's register takes effect, at most: a whole period where it has a second one."""
    if not isinstance(reaction.do, (DutyAction, PeriodAction)):
        return Fraction(0)
    pwm = workspace.project.pwm_output(reaction.do.pwm)
    assert pwm is not None
    if not pwm.preload:
        return Fraction(0)
    if isinstance(reaction.do, PeriodAction):
        return max(reaction.do.low_s, reaction.do.high_s)
    return pwm_timing(workspace, pwm).period_s


def longest_bytes(reaction: Reaction) -> int:
    """Bytes for which there must be room, whatever a value may be."""
    return sum(
        len(piece.encode()) if isinstance(piece, str) else LONGEST_VALUES[piece.form]
        for piece in _pieces(reaction)
    ) + _plain_bytes(reaction)


def sent_bytes(workspace: Workspace, reaction: Reaction) -> int:
    """Bytes that a reaction sends at most, with values from end to end of their converters."""
    return sum(
        len(piece.encode()) if isinstance(piece, str) else _longest_value(workspace, piece)
        for piece in _pieces(reaction)
    ) + _plain_bytes(reaction)


def _pieces(reaction: Reaction) -> tuple[str | TextValue, ...]:
    return tuple(text_pieces(reaction.do.text)) if isinstance(reaction.do, TextAction) else ()


def _plain_bytes(reaction: Reaction) -> int:
    do = reaction.do
    return len(do.signals) * do.bits // 8 if isinstance(do, BytesAction) else 0


def _longest_value(workspace: Workspace, piece: TextValue) -> int:
    """Characters of a value at either end of its converter."""
    chain = workspace.project.chain_of(piece.signal)
    if chain is None:
        return 0
    scale = signal_scale(workspace, chain, piece.signal)
    count_v = volts_per_code(workspace, piece.signal, piece.input)
    scaling = float(workspace.project.signal(piece.signal).scaling)
    ends_v = [code * scale.lsb_v / scaling for code in (scale.lowest_code, scale.highest_code)]
    match piece.form:
        case "V":
            return max(len(f"{volts:.4f}") for volts in ends_v)
        case "mV":
            return max(len(f"{volts * 1000:.1f}") for volts in ends_v)
        case "code":
            return max(len(str(round(volts / count_v))) for volts in ends_v)
        case _:
            codes = [round(volts / count_v) & 0xFFFFFFFF for volts in ends_v]
            return max(len(f"0x{code:X}") for code in codes)


def wire_s(workspace: Workspace, reaction: Reaction) -> Fraction:
    """Time of what a reaction sends on the wire, at most; 0 where it sends nothing."""
    output = output_of(reaction)
    if output is None or output.kind != "uart":
        return Fraction(0)
    uart = workspace.project.uart(output.names[0])
    assert uart is not None
    return sent_bytes(workspace, reaction) * uart_timing(workspace, uart).byte_s
