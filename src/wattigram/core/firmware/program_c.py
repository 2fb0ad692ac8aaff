"""C of reactions: one function each, with the numbers that it was designed for beside it."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import Any

import msgspec

from wattigram.core.base.errors import FirmwareError
from wattigram.core.base.quantity import format_rounded, format_si, format_volts
from wattigram.core.contract.board_config import (
    ACTED_UPON,
    EffectiveOutput,
    EffectivePiece,
    EffectiveReaction,
    EffectiveReading,
)
from wattigram.core.firmware.c_names import c_comment, c_identifier, c_identifiers, c_string
from wattigram.core.firmware.register_c import c_register, field_code_c, field_value_c, read_c
from wattigram.core.firmware.tables import ChainTable, Tables
from wattigram.core.model.design import (
    CallAction,
    ConverterAction,
    EndAction,
    PinAction,
    PointAction,
    Polling,
    Reaction,
    ScaledAction,
    SoftwareTrigger,
    output_of,
)
from wattigram.core.model.part import Port
from wattigram.core.predict.program import longest_bytes, reaction_timing, sent_bytes
from wattigram.core.silicon.deploy.program_config import SETTINGS
from wattigram.core.silicon.registers import RegisterMap, register_map

FEWEST_TEXT_BYTES = 16


class ReactionC(msgspec.Struct, frozen=True):
    """The function of a reaction."""

    name: str
    title: str
    facts: tuple[str, ...]
    body: tuple[str, ...]
    takes_condition: bool


class InputC(msgspec.Struct, frozen=True):
    """A port pin that the program looks at: the number of its events, and C for its port's levels."""

    number: int
    pin: str
    levels: str
    ticks: int


def _unless_full(chain: ChainTable) -> str:
    """C of a condition: a single run goes on; "" where there is none."""
    return f"!wg_chain_is_full({chain.number}u)" if chain.halts else ""


def _trigger_calls(chain: ChainTable) -> list[str]:
    """Start a chain once, and wait for what comes of it where it is polled for so long only."""
    calls = [f"wg_control_trigger({chain.number}u)"]
    readout = chain.chain.readout
    if isinstance(readout, Polling) and readout.timeout_s is not None:
        calls.append(f"wg_chain_expect({chain.number}u, {len(chain.end_ticks)}u)")
    return calls


class ProgramWriter:
    """Writes what reactions do with the registers of the part."""

    def __init__(self, tables: Tables) -> None:
        self.tables = tables
        self.workspace = tables.workspace
        self.registers: RegisterMap = register_map(self.workspace.part)
        self._config = tables.config

    def context(self) -> dict[str, Any]:
        """What the templates know of reactions, ports and serial ports."""
        return {
            "reactions": self.reactions,
            "scales": any(reaction.scale is not None for reaction in self._config.reactions),
            "starts": [self.names[place] for place, _one in self._on("start")],
            "periods": [*self._started(), *self._looking(), *self._acting()],
            "inputs": self.inputs,
            "results": list(self._results().items()),
            "by_mark": any(reaction.mark != "each" for _place, reaction in self._on("results")),
            "events": list(self._events().items()),
            "serial": self.serial,
            "acted_upon": ACTED_UPON,
            "acts": [
                "true" if number in self._events() else "false"
                for number in range(len(self._config.watches))
            ],
            "longest_text": max(
                [
                    FEWEST_TEXT_BYTES,
                    *(longest_bytes(reaction) for reaction in self.workspace.project.reactions),
                ]
            ),
            "ports": [self._port(port) for port in self.workspace.part.ports if self._has(port)],
            "call_hooks": [
                (reaction.do.function, c_comment(reaction.name))
                for reaction in self.workspace.project.reactions
                if isinstance(reaction.do, CallAction)
            ],
        }

    def _has(self, port: Port) -> bool:
        return self.registers.has(port.name, "output")

    @cached_property
    def names(self) -> tuple[str, ...]:
        """C names of reactions."""
        known = c_identifiers(reaction.name for reaction in self.workspace.project.reactions)
        return tuple(
            f"react_{known[reaction.name]}" for reaction in self.workspace.project.reactions
        )

    @cached_property
    def reactions(self) -> tuple[ReactionC, ...]:
        """One function for each that does something."""
        return tuple(
            ReactionC(
                self.names[place],
                c_comment(reaction.name),
                tuple(c_comment(fact) for fact in self._facts(reaction, effective)),
                tuple(self._body(reaction, effective)),
                effective.on == "watch" and effective.action.startswith("follows"),
            )
            for place, (reaction, effective) in enumerate(
                zip(self.workspace.project.reactions, self._config.reactions, strict=True)
            )
            if self._acts(place)
        )

    def _acts(self, place: int) -> bool:
        """One whose signals nothing converts does nothing."""
        reaction = self.workspace.project.reactions[place]
        return self._config.reactions[place].output is not None or isinstance(
            reaction.do, (CallAction, ConverterAction, EndAction)
        )

    def _on(self, what: str) -> list[tuple[int, EffectiveReaction]]:
        return [
            (place, reaction)
            for place, reaction in enumerate(self._config.reactions)
            if reaction.on == what and self._acts(place)
        ]

    def _started(self) -> Iterator[dict[str, Any]]:
        """Chains that the main loop starts, or reads, every so often."""
        for chain in self.tables.chains:
            if chain.chain.read_period_s is not None:
                ticks = max(1, round(chain.chain.read_period_s * self._config.tick_hz))
                yield {"ticks": ticks, "only": "", "calls": [f"wg_read_newest({chain.number}u)"]}
            trigger = chain.chain.trigger
            if isinstance(trigger, SoftwareTrigger) and trigger.period_s is not None:
                ticks = max(1, round(trigger.period_s * self._config.tick_hz))
                yield {
                    "ticks": ticks,
                    "only": _unless_full(chain),
                    "calls": _trigger_calls(chain),
                }

    @cached_property
    def inputs(self) -> tuple[InputC, ...]:
        """Port pins that the main loop looks at every so often.

        Raises :class:`FirmwareError` where no register shows their levels.
        """
        looks = []
        for number, watch in enumerate(self.workspace.watches):
            if watch.kind != "input":
                continue
            port = self.workspace.part.port_of(watch.pin)
            if port is None or not self.registers.has(port.name, "input"):
                raise FirmwareError(
                    f"{self.workspace.part.name} has no input register for pin {watch.pin}.",
                    cure="Describe that of its port in the part file, or choose another pin.",
                )
            ticks = max(1, round(watch.look_period_s * self._config.tick_hz))
            looks.append(InputC(number, watch.pin, f"{self._put(watch.pin)}_levels()", ticks))
        return tuple(looks)

    def _looking(self) -> Iterator[dict[str, Any]]:
        for look in self.inputs:
            yield {"ticks": look.ticks, "only": "", "calls": [f"look_at_{look.number}()"]}

    def _acting(self) -> Iterator[dict[str, Any]]:
        for place, reaction in self._on("period"):
            yield {"ticks": reaction.period_ticks, "only": "", "calls": [f"{self.names[place]}()"]}

    def _results(self) -> dict[int, list[str]]:
        """Statements by the chain whose results they wait for."""
        called: dict[int, list[str]] = {}
        for place, reaction in self._on("results"):
            call = f"{self.names[place]}();"
            only = {"half": "!is_full", "full": "is_full"}.get(reaction.mark)
            lines = [f"if ({only}) {{", f"    {call}", "}"] if only else [call]
            called.setdefault(reaction.converter, []).extend(lines)
        return called

    def _events(self) -> dict[int, list[str]]:
        """Statements by the number of an event."""
        called: dict[int, list[str]] = {}
        for place, reaction in self._on("watch"):
            argument = "holds" if reaction.action.startswith("follows") else ""
            call = f"{self.names[place]}({argument});"
            condition = {"enters": "holds", "leaves": "!holds"}.get(reaction.change)
            lines = [f"if ({condition}) {{", f"    {call}", "}"] if condition else [call]
            called.setdefault(reaction.watch, []).extend(lines)
        return called

    # --- bodies

    def _facts(self, reaction: Reaction, effective: EffectiveReaction) -> Iterator[str]:
        """For whoever reads the C: the numbers that it was designed for."""
        tick_s = 1 / self._config.tick_hz
        timing = reaction_timing(self.workspace, reaction)
        if effective.on in {"watch", "results"}:
            late = f", and up to {format_si(timing.load_s, 's', 3)} until it takes effect"
            yield (
                f"At most {format_si(timing.most_s, 's', 3)} after the value was held"
                f"{late if timing.load_s else ''}{'' if timing.work_s else ', besides what the program takes'}."
            )
        if reaction.cycles is not None:
            yield f"Designed for {reaction.cycles} clocks of the processor."
        if effective.on == "period":
            yield f"Every {format_rounded(effective.period_ticks * tick_s, 's')}."
        do = reaction.do
        scale = effective.scale
        if scale is not None and hasattr(do, "from_v"):
            scaled: ScaledAction = do  # type: ignore[assignment]
            yield (
                f"{scaled.signal}, {format_volts(scaled.from_v)} to {format_volts(scaled.to_v)}, "
                f"becomes {self._ends(scaled)}; the register has {scale.low} to {scale.high}."
            )
        if effective.action == "sends" and effective.output is not None:
            output = self._config.outputs[effective.output]
            longest = sent_bytes(self.workspace, reaction)
            yield (
                f"Up to {longest} bytes, {format_si(longest * output.byte_ticks * tick_s, 's', 3)} "
                "on the wire; left out where they find no room."
            )

    def _ends(self, do: ScaledAction) -> str:
        match do.kind:
            case "duty":
                return f"{format_si(do.low, '%')} to {format_si(do.high, '%')}"
            case "pulse-period":
                return f"{format_si(do.low_s, 's')} to {format_si(do.high_s, 's')}"
            case "dac":
                return f"{format_volts(do.low_v)} to {format_volts(do.high_v)}"
            case _:
                return f"{len(do.pins)} pins"

    def _body(self, reaction: Reaction, effective: EffectiveReaction) -> Iterator[str]:
        do = reaction.do
        if isinstance(do, CallAction):
            yield f"{do.function}();"
        elif isinstance(do, EndAction):
            yield "wg_run_end();"
        elif isinstance(do, ConverterAction):
            yield from self._control(do, effective.acts_on)
        elif isinstance(do, PinAction):
            yield from self._pin(do, effective)
        elif isinstance(do, PointAction):
            yield from self._point(do, effective)
        elif effective.action == "sends":
            yield from self._send(effective)
        else:
            yield from self._scaled(reaction, effective)

    def _control(self, do: ConverterAction, number: int) -> Iterator[str]:
        chain = self.tables.chains[number]
        if do.action == "rearm":
            yield f"wg_control_rearm({number}u);"
            return
        trigger = chain.chain.trigger
        if not (isinstance(trigger, SoftwareTrigger) and trigger.asked):
            yield f"wg_control_{'halt' if do.action == 'stop' else 'resume'}({number}u);"
            return
        only = _unless_full(chain)
        if only:
            yield f"if ({only}) {{"
        for call in _trigger_calls(chain):
            yield f"{'    ' if only else ''}{call};"
        if only:
            yield "}"

    def _pin(self, do: PinAction, effective: EffectiveReaction) -> Iterator[str]:
        put, macro = self._put(do.pin), f"WG_PIN_{do.pin}"
        high, low = f"{put}_put({macro}, 0u);", f"{put}_put(0u, {macro});"
        match effective.action:
            case "high":
                yield high
            case "low":
                yield low
            case "toggle":
                yield f"{put}_flip({macro});"
            case action:
                first, second = (high, low) if action == "follows" else (low, high)
                yield from ("if (holds) {", f"    {first}", "} else {", f"    {second}", "}")

    def _point(self, do: PointAction, effective: EffectiveReaction) -> Iterator[str]:
        """The channel of each of the signal's slots, or the one bit of a converter that lists them."""
        assert effective.output is not None
        output = self._config.outputs[effective.output]
        name, note = output.name, f" /* {c_comment(f'{do.signal} at {do.pin}')} */"
        if self.registers.has(name, "listed"):
            only = frozenset({effective.channel})
            yield field_code_c(self.registers, name, "listed", only) + note
            return
        for place in output.places:
            yield field_code_c(self.registers, name, "channel", effective.channel, place) + note

    def _put(self, pin: str) -> str:
        """Beginning of the name of the functions of a pin's port.

        Raises :class:`FirmwareError` where its registers are not known.
        """
        port = self.workspace.part.port_of(pin)
        if port is None or not self._has(port):
            raise FirmwareError(
                f"{self.workspace.part.name} has no registers for pin {pin}.",
                cure="Describe those of its port in the part file, or choose another pin.",
            )
        return f"wg_{c_identifier(port.name)}"

    def _scaled(self, reaction: Reaction, effective: EffectiveReaction) -> Iterator[str]:
        scale = effective.scale
        assert scale is not None
        assert effective.output is not None
        output = self._config.outputs[effective.output]
        yield "int32_t value;"
        yield f"if (!{self._newest(effective.readings[0], 'value')}) {{"
        yield "    return;"
        yield "}"
        yield (
            f"const uint32_t number = scaled(value, {scale.factor}, {scale.offset}, {scale.shift}u, "
            f"{scale.low}u, {scale.high}u);"
        )
        if output.kind == "pins":
            yield f"const uint32_t shown = {'(1u << number) - 1u' if effective.is_bar else 'number'};"
            yield from self._show(output)
        else:
            yield self._write(output, reaction)

    def _show(self, output: EffectiveOutput) -> Iterator[str]:
        """Bits of ``shown`` on pins, those of one port together."""
        by_port: dict[str, list[tuple[int, str]]] = {}
        for bit, pin in enumerate(output.pins):
            by_port.setdefault(self._put(pin), []).append((bit, pin))
        for number, (put, pins) in enumerate(by_port.items()):
            name = f"raise_{number}"
            yield f"uint32_t {name} = 0u;"
            for bit, pin in pins:
                yield f"{name} |= (shown & {1 << bit}u) != 0u ? WG_PIN_{pin} : 0u;"
            every = " | ".join(f"WG_PIN_{pin}" for _bit, pin in pins)
            yield f"{put}_put({name}, ({every}) & ~{name});"

    def _write(self, output: EffectiveOutput, reaction: Reaction) -> str:
        where = output_of(reaction)
        assert where is not None
        setting = SETTINGS[output.kind]
        return f"{field_value_c(self.registers, output.name, setting, 'number')} /* {c_comment(where.title)} */"

    def _newest(self, reading: EffectiveReading, name: str) -> str:
        """C that reads the newest value, and says whether there is one."""
        reduced = "true" if reading.on_reduced else "false"
        return f"wg_filter_newest({reading.tap}u, {reduced}, &{name})"

    def _send(self, effective: EffectiveReaction) -> Iterator[str]:
        assert effective.output is not None
        output = self._config.outputs[effective.output]
        for number, reading in enumerate(effective.readings):
            yield f"int32_t value_{number};"
            yield f"if (!{self._newest(reading, f'value_{number}')}) {{"
            yield "    return;"
            yield "}"
        yield "wg_text text = {.count = 0u};"
        for piece in effective.pieces:
            yield from self._piece(piece)
        yield f"(void)wg_serial_send({self._serial_number(output)}u, &text);"

    def _piece(self, piece: EffectivePiece) -> Iterator[str]:
        value = f"value_{piece.reading}"
        if piece.reading is None:
            yield f"wg_text_put(&text, {c_string(piece.plain)});"
            return
        match piece.form:
            case "byte":
                lowest = f"{value} > 0 ? (uint32_t){value} : 0u"
                yield f"wg_text_put_byte(&text, (uint8_t)(({lowest}) >> {piece.shift}));"
            case "word":
                low = f"wg_text_put_byte(&text, (uint8_t)(uint32_t){value});"
                high = f"wg_text_put_byte(&text, (uint8_t)((uint32_t){value} >> 8));"
                yield from (low, high) if piece.low_first else (high, low)
            case "code":
                yield f"wg_text_put_number(&text, {value});"
            case "hex":
                yield f"wg_text_put_hex(&text, (uint32_t){value});"
            case form:
                units = f"wg_text_scaled({value}, {piece.factor}, {piece.divisor})"
                places = 4 if form == "V" else 1
                yield f"wg_text_put_decimal(&text, {units}, {places}u);"

    # --- ports

    @cached_property
    def serial(self) -> tuple[dict[str, Any], ...]:
        """Serial ports that the program sends by, in the order of their numbers."""
        return tuple(
            {
                "name": c_comment(output.name),
                "lower": c_identifier(output.name),
                "room": output.room_bytes,
                "byte_ticks": max(1, int(output.byte_ticks)),
            }
            for output in self._serial_outputs
        )

    @cached_property
    def _serial_outputs(self) -> tuple[EffectiveOutput, ...]:
        return tuple(output for output in self._config.outputs if output.kind == "uart")

    def _serial_number(self, output: EffectiveOutput) -> int:
        return self._serial_outputs.index(output)

    @cached_property
    def uarts(self) -> tuple[tuple[str, str, str], ...]:
        """UART, C that says whether it has room, and its register for a byte."""
        rows = []
        for output in self._serial_outputs:
            sent = self.registers.at(self.registers.find(output.name, "sent").address)
            assert sent is not None
            rows.append(
                (output.name, read_c(self.registers, output.name, "room"), c_register(sent))
            )
        return tuple(rows)

    def _port(self, port: Port) -> dict[str, Any]:
        """A port with what its registers can do by themselves."""
        registers, name = self.registers, port.name

        def put(setting: str, value: str) -> str:
            return field_value_c(registers, name, setting, value)

        levels = read_c(registers, name, "output")
        held = ("const uint32_t before = wg_port_hold();", "wg_port_release(before);")
        if registers.has(name, "set") and registers.has(name, "clear"):
            setting = [put("set", "raise"), put("clear", "lower")]
        else:
            setting = [held[0], put("output", f"({levels} & ~lower) | raise"), held[1]]
        flip = [held[0], put("output", f"{levels} ^ pins"), held[1]]
        if registers.has(name, "toggle"):
            flip = [put("toggle", "pins")]
        return {
            "name": c_identifier(name),
            "title": c_comment(name),
            "put": setting,
            "flip": flip,
            "input": read_c(registers, name, "input") if registers.has(name, "input") else "",
            "pins": [(pin, bit) for pin, bit in port.bits.items()],
        }
