"""Reactions of a design as the integers that the program works with."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

from wattigram.core.contract.board_config import (
    EffectiveOutput,
    EffectivePiece,
    EffectivePort,
    EffectiveReaction,
    EffectiveReading,
    EffectiveScale,
)
from wattigram.core.contract.link import OUTPUT_STREAM
from wattigram.core.model.design import (
    BarAction,
    ByteReceived,
    BytesAction,
    Chain,
    ComparatorSwitched,
    ConverterAction,
    EndAction,
    InputChanged,
    PairTripped,
    PeriodElapsed,
    PinAction,
    PointAction,
    ProgramOutput,
    Reaction,
    ResultsFetched,
    ScaledAction,
    TextAction,
    TextValue,
    ThresholdCrossed,
    Watch,
    Workspace,
    changes_of,
    output_of,
    program_outputs,
    start_levels,
    tap_index,
    text_pieces,
)
from wattigram.core.model.design.reaction import Input
from wattigram.core.predict.clocks import uart_timing
from wattigram.core.predict.pins import pwm_pin
from wattigram.core.predict.program import longest_bytes, scaled_ends, volts_per_code
from wattigram.core.predict.timing import slot_order
from wattigram.core.silicon.registers import register_map

LEAST_ROOM, WAITING_TEXTS = 64, 2
"""Bytes that the program keeps for a serial port at least, and how many of its longest texts."""
FINEST_SHIFT = 24
SETTINGS = {"duty": "compare", "pulse-period": "period", "dac": "data"}
"""Of a peripheral, by what is moved."""
TENTHS_A_VOLT = 10_000


def effective_ports(workspace: Workspace) -> tuple[EffectivePort, ...]:
    """One for each pin that the program sets."""
    return tuple(
        EffectivePort(pin=pin, high_v=workspace.supply_v, is_high=is_high)
        for pin, is_high in start_levels(workspace.project.reactions).items()
    )


def effective_outputs(workspace: Workspace) -> tuple[EffectiveOutput, ...]:
    """One for each thing that reactions move, in their order; streams follow those of routes."""
    first = OUTPUT_STREAM + len(workspace.project.routes)
    return tuple(
        _output(workspace, output, first + number)
        for number, output in enumerate(program_outputs(workspace.project.reactions))
    )


def _output(workspace: Workspace, output: ProgramOutput, stream: int) -> EffectiveOutput:
    project, name = workspace.project, output.names[0]
    match output.kind:
        case "pins":
            return EffectiveOutput(kind="pins", name="", stream=stream, pins=output.names)
        case "uart":
            uart = project.uart(name)
            assert uart is not None
            byte_ticks = float(
                uart_timing(workspace, uart).byte_s * workspace.bus_clock_hz.numerator
            )
            return EffectiveOutput(
                kind="uart",
                name=name,
                stream=stream,
                byte_ticks=byte_ticks,
                word_bits=uart.data_bits,
                room_bytes=_room(workspace, name),
            )
        case "input":
            chain = project.chain_of(name)
            assert chain is not None
            pin = project.signal(name).pin
            return EffectiveOutput(
                kind="input",
                name=chain.converter,
                stream=stream,
                places=_places_in_order(workspace, chain, name),
                level=_channel(workspace, chain, pin),
            )
        case "dac":
            dac = workspace.part.dac(name)
            assert dac is not None
            return EffectiveOutput(
                kind="dac", name=name, stream=stream, pins=(dac.pin,), modulo=1 << dac.bits
            )
        case kind:
            pwm = project.pwm_output(name)
            assert pwm is not None
            pin, setting = pwm_pin(workspace, pwm), SETTINGS[kind]
            registers, timer = register_map(workspace.part), workspace.part.timer(pwm.timer)
            assert timer is not None
            bits = timer.counter_bits
            if registers.has(pwm.timer, setting):
                bits = registers.find(pwm.timer, setting).field.width
            return EffectiveOutput(
                kind=kind, name=pwm.timer, stream=stream, pins=(pin,), modulo=1 << bits
            )


def _room(workspace: Workspace, uart: str) -> int:
    """Bytes that may wait for a serial port, a power of two."""
    longest = max(
        longest_bytes(reaction)
        for reaction in workspace.project.reactions
        if output_of(reaction) == ProgramOutput("uart", (uart,))
    )
    return 1 << (max(LEAST_ROOM, WAITING_TEXTS * longest) - 1).bit_length()


def effective_reactions(workspace: Workspace) -> tuple[EffectiveReaction, ...]:
    """One for each reaction, in their order."""
    outputs = program_outputs(workspace.project.reactions)
    return tuple(
        _reaction(workspace, reaction, outputs) for reaction in workspace.project.reactions
    )


def _reaction(
    workspace: Workspace, reaction: Reaction, outputs: tuple[ProgramOutput, ...]
) -> EffectiveReaction:
    output = output_of(reaction)
    readings = [
        EffectiveReading(tap=tap, on_reduced=_is_reduced(workspace, signal, stream))
        for signal, stream in reaction.readings
        if (tap := tap_index(workspace.project, signal)) is not None
    ]
    is_read = len(readings) == len(reaction.readings)
    made = EffectiveReaction(
        **_cause(workspace, reaction),
        # What reads a signal that nothing converts never has a value, and does nothing.
        output=outputs.index(output) if output is not None and is_read else None,
        readings=tuple(readings),
        busy_ticks=(reaction.cycles or 0) * workspace.bus_clock_hz.denominator,
    )
    match reaction.do:
        case PinAction(level=level):
            return made.unchecked(action=level)
        case EndAction():
            return made.unchecked(action="end")
        case ConverterAction(converter=converter, action=action):
            chain = workspace.project.chain(converter)
            assert chain is not None
            number = workspace.project.chains.index(chain)
            return made.unchecked(action=action, acts_on=number)
        case PointAction(signal=signal, pin=pin):
            chain = workspace.project.chain_of(signal)
            assert chain is not None
            return made.unchecked(
                action="point",
                acts_on=workspace.project.chains.index(chain),
                pin=pin,
                channel=_channel(workspace, chain, pin),
            )
        case TextAction(text=text):
            places = {reading: number for number, reading in enumerate(reaction.readings)}
            pieces = tuple(
                EffectivePiece(plain=piece)
                if isinstance(piece, str)
                else _text_piece(workspace, piece, places[piece.signal, piece.input])
                for piece in text_pieces(text)
            )
            return made.unchecked(action="sends", pieces=pieces if is_read else ())
        case BytesAction() as sent:
            places = {reading: number for number, reading in enumerate(reaction.readings)}
            pieces = tuple(
                _byte_piece(workspace, sent, signal, places[signal, sent.input])
                for signal in sent.signals
            )
            return made.unchecked(action="sends", pieces=pieces if is_read else ())
        case BarAction() as bar:
            return made.unchecked(
                action="scaled", scale=fixed_point(workspace, bar), is_bar=bar.shows == "bar"
            )
        case action if output is not None:
            return made.unchecked(action="scaled", scale=fixed_point(workspace, action))  # type: ignore[arg-type]
        case _:
            return made


def _places_in_order(workspace: Workspace, chain: Chain, signal: str) -> tuple[int, ...]:
    """Places of a signal among the slots as the converter takes them."""
    mine = chain.places_of(signal)
    return tuple(
        number for number, place in enumerate(slot_order(workspace, chain)) if place in mine
    )


def _channel(workspace: Workspace, chain: Chain, pin: str) -> int:
    channel = workspace.converter(chain).channel(pin, None)
    assert channel is not None
    return channel


def _is_reduced(workspace: Workspace, signal: str, stream: Input) -> bool:
    return stream == "filtered" and workspace.project.signal(signal).later_filter is not None


def _cause(workspace: Workspace, reaction: Reaction) -> dict[str, object]:
    project = workspace.project
    match reaction.when:
        case ThresholdCrossed(signal=signal, threshold=number, change=change):
            return _watched(workspace, Watch("window", signal, number - 1), change)
        case PairTripped(signal=signal, change=change):
            return _watched(workspace, Watch("twin", signal), change)
        case ComparatorSwitched(comparator=name) as when:
            comparator = project.comparator(name)
            assert comparator is not None
            watch = Watch("comparator", comparator.signal, comparator=name)
            return _watched(workspace, watch, changes_of(when))
        case InputChanged(pin=pin, look_period_s=every_s) as when:
            return _watched(
                workspace, Watch("input", "", pin=pin, look_period_s=every_s), changes_of(when)
            )
        case ByteReceived(uart=uart, byte=byte):
            return _watched(workspace, Watch("byte", "", uart=uart, byte=byte), "enters")
        case ResultsFetched(converter=converter, mark=mark):
            chain = project.chain(converter)
            assert chain is not None
            return {"on": "results", "converter": project.chains.index(chain), "mark": mark}
        case PeriodElapsed() as when:
            return {"on": "period", "period_ticks": period_ticks(workspace, when)}
        case _:
            return {"on": "start"}


def _watched(workspace: Workspace, watch: Watch, change: str) -> dict[str, object]:
    """Events of a watch; of one that there is not, never."""
    watches = workspace.watches
    number = watches.index(watch) if watch in watches else len(watches)
    return {"on": "watch", "watch": number, "change": change}


def period_ticks(workspace: Workspace, when: PeriodElapsed) -> int:
    """A period in whole ticks, as the program counts it."""
    return max(1, round(when.period_s * workspace.bus_clock_hz.numerator))


def _text_piece(workspace: Workspace, piece: TextValue, reading: int) -> EffectivePiece:
    count_v = volts_per_code(workspace, piece.signal, piece.input)
    ratio = Fraction(count_v * TENTHS_A_VOLT).limit_denominator(1 << 24)
    return EffectivePiece(
        reading=reading, form=piece.form, factor=ratio.numerator, divisor=ratio.denominator
    )


def _byte_piece(
    workspace: Workspace, sent: BytesAction, signal: str, reading: int
) -> EffectivePiece:
    chain = workspace.project.chain_of(signal)
    bits = chain.bits if chain is not None else 8
    if sent.bits == 16:
        low_first = sent.endianness == "little-endian"
        return EffectivePiece(reading=reading, form="word", low_first=low_first)
    return EffectivePiece(reading=reading, form="byte", shift=max(0, bits - 8))


def fixed_point(workspace: Workspace, action: ScaledAction) -> EffectiveScale | None:
    """A scale in integers, as fine as 64 bits allow; None for a signal that nothing converts."""
    ends = scaled_ends(workspace, action)
    if ends is None:
        return None
    slope = (ends.to_out - ends.from_out) / (ends.to_code - ends.from_code)
    at_zero = ends.from_out - ends.from_code * slope
    shift = next(
        (
            shift
            for shift in range(FINEST_SHIFT, 0, -1)
            if abs(slope) * 2**shift < 1 << 30 and abs(at_zero) * 2**shift < 1 << 60
        ),
        0,
    )
    half = 1 << shift - 1 if shift else 0
    return EffectiveScale(
        factor=round(slope * 2**shift),
        offset=round(at_zero * 2**shift) + half,
        shift=shift,
        low=min(ends.from_out, ends.to_out),
        high=max(ends.from_out, ends.to_out),
    )


def written_dacs(workspace: Workspace) -> Iterator[str]:
    """DACs that reactions write to."""
    for output in program_outputs(workspace.project.reactions):
        if output.kind == "dac":
            yield output.names[0]
