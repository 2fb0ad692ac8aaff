"""The files of a design's firmware."""

from __future__ import annotations

from fractions import Fraction
from functools import cached_property, lru_cache
from importlib import resources
from typing import TYPE_CHECKING, Any

import msgspec

from wattigram.core.base.errors import FirmwareError
from wattigram.core.base.quantity import format_rounded
from wattigram.core.firmware.c_names import c_comment, c_string
from wattigram.core.firmware.compiler_flags import C_FLAGS, ELF, LINK_FLAGS, target_flags
from wattigram.core.firmware.controls import controls
from wattigram.core.firmware.handlers import HandlerWriter
from wattigram.core.firmware.hooks import Hook, event_hooks, isr_hooks, item_hooks
from wattigram.core.firmware.port import has_system_registers, port_context
from wattigram.core.firmware.port_link import free_uart_lines
from wattigram.core.firmware.program_c import ProgramWriter
from wattigram.core.firmware.registers_header import block_context
from wattigram.core.firmware.setup_c import setup_context
from wattigram.core.firmware.tables import ChainTable, Tables, check_firmware
from wattigram.core.model.design import TimerTrigger, Workspace
from wattigram.core.predict.clocks import timer_setting
from wattigram.core.predict.timing import scan_timing, slot_order
from wattigram.core.silicon.registers import Symbol, Write, c_name, design_writes, register_map

if TYPE_CHECKING:
    import jinja2

MADE_BY = "Made by Wattigram from a design; changes made here are lost."
ROW = 12
EVENTS_KEPT, FEWEST_EVENTS = 64, 16
"""Places for events that wait to be sent: in a design with windows, twins or comparators, and in
one without."""
LEAST_STACK_BYTES, MOST_STACK_BYTES = 1536, 8192
"""Our own calls take up to 1100 bytes with an interrupt on top; the rest is for the engineer's
hooks."""
GENERATED = (
    "Makefile",
    "wg_control.c",
    "wg_design.c",
    "wg_design.h",
    "wg_isr.c",
    "wg_hooks.c",
    "wg_hooks.h",
    "wg_memory.ld",
    "wg_pins.h",
    "wg_program.c",
    "wg_registers.h",
    "wg_setup.c",
    "wg_start.c",
    "wg_vectors.h",
)
ONCE = ("own.c", "port.c")


class FirmwareFiles(msgspec.Struct, frozen=True):
    """Text of each file by its name: those written again each time, and those made once."""

    generated: dict[str, str] = msgspec.field(default_factory=dict)
    once: dict[str, str] = msgspec.field(default_factory=dict)


def firmware_files(workspace: Workspace, link: str = "") -> FirmwareFiles:
    """All files of a design's firmware; ``link`` is what its port begins with, see
    :func:`~wattigram.core.firmware.port.port_context`.

    Raises
    ------
    FirmwareError, RegisterError
        When the part's registers or the design do not allow it.
    """
    check_firmware(workspace)
    context = _Context(workspace, link).template_context()
    environment = _environment()
    folder = resources.files(__package__)
    generated = {
        item.name: item.read_text(encoding="utf-8")
        for item in sorted((folder / "c").iterdir(), key=lambda one: one.name)
        if item.name.endswith((".c", ".h"))
    }
    generated |= {
        name: environment.get_template(f"{name}.j2").render(context) for name in GENERATED
    }
    once = {name: environment.get_template(f"{name}.j2").render(context) for name in ONCE}
    return FirmwareFiles(dict(sorted(generated.items())), once)


def tables_header(workspace: Workspace) -> str:
    """Constants and tables alone, as one header, for another driver layer; the part needs no
    registers for it.

    Raises :class:`FirmwareError` for a project without a chain.
    """
    if not workspace.project.chains:
        raise FirmwareError(
            "The project has no chain, so there are no tables.", cure="Put a signal into a slot."
        )
    return _environment().get_template("wg_tables.h.j2").render(_Context(workspace).constants())


@lru_cache(maxsize=1)
def _environment() -> jinja2.Environment:
    import jinja2

    environment = jinja2.Environment(
        loader=jinja2.PackageLoader("wattigram.core.firmware", "templates"),
        undefined=jinja2.StrictUndefined,
        keep_trailing_newline=True,
        autoescape=False,
    )
    environment.filters["comment"] = c_comment
    return environment


class _Context:
    def __init__(self, workspace: Workspace, link: str = "") -> None:
        self.workspace = workspace
        self._link = link
        self.tables = Tables(workspace)
        self.registers = register_map(workspace.part)
        self.writer = HandlerWriter(self.tables)
        self.program = ProgramWriter(self.tables)

    @cached_property
    def writes(self) -> tuple[Write, ...]:
        """The ordered register writes."""
        return design_writes(self.workspace)

    def symbol(self, symbol: Symbol) -> str:
        """C name of something in memory."""
        if symbol.kind == "table":
            return f"wg_wave_{self.tables.table_names[symbol.name]}"
        name = self.tables.chain_names[symbol.name]
        is_fresh = any(chain.name == name and chain.fresh_items for chain in self.tables.chains)
        if is_fresh:
            return f"wg_fresh_{name}" if symbol.kind == "buffer" else f"wg_fresh_stamps_{name}"
        return f"wg_{symbol.kind}_{name}"

    def template_context(self) -> dict[str, Any]:
        """What templates know."""
        return {
            **self.constants(),
            **self._interrupts(),
            **self._setup(),
            **self._program(),
            **self.program.context(),
            **self._hooks(),
            **self._memory(),
            **self._build(),
            **port_context(self.workspace, self.tables.config.tick_hz, self._link),
        }

    def _interrupts(self) -> dict[str, Any]:
        """ISRs, polls and the vectors that lead to them."""
        writer = self.writer
        lines = {handler.line: handler.name for handler in writer.handlers}
        alarm_line = self.registers.line(self._system)
        if alarm_line is not None and self.registers.has(self._system, "alarm"):
            lines[alarm_line] = "wg_port_alarm"
        has_system = has_system_registers(self.registers)
        port_isrs = free_uart_lines(self.workspace.part, self.registers, set(lines))
        lines |= port_isrs
        vectors = [lines.get(line, "unexpected") for line in range(max(lines, default=0) + 1)]
        bodies = [*(handler.body for handler in writer.handlers), *writer.polls]
        bodies += [lines for _number, _converter, _name, lines in writer.reads]
        return {
            "handlers": writer.handlers,
            "needs_whole": any("wg_whole(" in line for body in bodies for line in body),
            "waits": writer.waits,
            "places": writer.places,
            "pointings": writer.pointings,
            "polls": writer.polls,
            "reads": writer.reads,
            "exit_code": writer.exit_code,
            "tick_vector": "unexpected" if has_system else "wg_port_alarm",
            "lines": len(vectors),
            "vectors": vectors,
            "port_isrs": tuple(port_isrs.values()),
        }

    def _setup(self) -> dict[str, Any]:
        """Registers, what is written to them, and what stops it."""
        steps = setup_context(self.registers, self.writes, self.symbol)
        return {
            "blocks": [block_context(block) for block in self.workspace.part.blocks],
            "steps": steps,
            "setup_waits": any(write["wait"] for step in steps for write in step["writes"]),
            "disable_code": self.writer.disable_code(
                {write.at.owner for write in self.writes if write.at is not None}
            ),
        }

    def _program(self) -> dict[str, Any]:
        """What the main loop does with values, and to peripherals."""
        tables, writer = self.tables, self.writer
        return {
            "board_c": c_string(tables.config.board),
            "ticks_a_count": self.workspace.bus_clock_hz.denominator,
            "never_sleeps": writer.never_sleeps,
            "taps": [self._tap(number) for number in range(len(tables.taps))],
            "ramps": [
                {
                    "title": c_comment(ramp.name),
                    "count": len(ramp.codes),
                    "rows": rows(ramp.codes),
                    "begin_ticks": ramp.begin_ticks,
                    "dwell_ticks": ramp.dwell_ticks,
                    "again": _bool(ramp.again),
                }
                for ramp in tables.ramps
            ],
            "dac_writes": writer.dac_writes,
            "uarts": self.program.uarts,
            "controls": controls(tables),
        }

    def _hooks(self) -> dict[str, Any]:
        items = item_hooks(self.tables)
        return {
            "item_hooks": items,
            "event_hooks": event_hooks(self.tables),
            "isr_hooks": isr_hooks(self.tables),
            "hooks_by_chain": _by_chain(items),
        }

    def _memory(self) -> dict[str, Any]:
        memory = self.workspace.part.memory
        assert memory is not None
        eighth = memory.data_bytes // 8 // 8 * 8
        return {
            "code_begin": f"{memory.code_begin:#010x}",
            "code_bytes": memory.code_bytes,
            "data_begin": f"{memory.data_begin:#010x}",
            "data_bytes": memory.data_bytes,
            "stack_bytes": min(MOST_STACK_BYTES, max(LEAST_STACK_BYTES, eighth)),
        }

    def _build(self) -> dict[str, Any]:
        return {
            "flags": " ".join(C_FLAGS),
            "target_flags": " ".join(target_flags(self.workspace.part.processor.core)),
            "link_flags": " ".join(LINK_FLAGS),
            "elf": ELF,
        }

    def constants(self) -> dict[str, Any]:
        """What follows from the design alone."""
        workspace, tables, part = self.workspace, self.tables, self.workspace.part
        return {
            "made_by": MADE_BY,
            "project": c_comment(workspace.project.name),
            "part_name": c_comment(part.name),
            "mark": workspace.build_id,
            "tick_hz": tables.config.tick_hz,
            "timers": self._timers(),
            "chains": [self._chain(chain) for chain in tables.chains],
            "waves": [
                {
                    "name": tables.table_names[name],
                    "title": c_comment(name),
                    "count": len(codes),
                    "rows": rows(codes),
                }
                for name, codes in tables.waves.items()
            ],
            "events_kept": EVENTS_KEPT if self.workspace.watches else FEWEST_EVENTS,
            "watches": [self._watch(number) for number in range(len(tables.watches))],
        }

    def _timers(self) -> list[dict[str, Any]]:
        """Timers that start conversions, each once."""
        timers: dict[str, dict[str, Any]] = {}
        for chain in self.workspace.project.chains:
            if isinstance(chain.trigger, TimerTrigger):
                setting = timer_setting(self.workspace, chain.trigger)
                rate = format_rounded(
                    1 / setting.period_s,
                    "Hz",
                    9,
                )
                title = f"{chain.trigger.timer}: {setting.prescaler} × {setting.period_counts} clocks, {rate}"
                timers[chain.trigger.timer] = {
                    "title": c_comment(title),
                    "upper": c_name(chain.trigger.timer),
                    "prescaler": setting.prescaler,
                    "period": setting.period_counts,
                }
        return list(timers.values())

    @property
    def _system(self) -> str:
        return self.registers.system

    def _chain(self, chain: ChainTable) -> dict[str, Any]:
        slots = len(chain.end_ticks)
        tick_s = Fraction(1, self.tables.config.tick_hz)
        bits = max(chain.store_bits, chain.item_bits)
        order = [self.workspace.project.signal(slot.signal).name for slot in chain.chain.slots]
        facts = [
            f"A cycle of {format_rounded(chain.cycle_ticks * tick_s, 's')}, {slots} "
            f"slot{'s' if slots > 1 else ''}: {', '.join(order)}.",
            f"A loop of {chain.loop_items} items of {chain.store_bits} bits; a half is full every "
            f"{format_rounded(chain.half_s, 's')}."
            if not chain.fresh_items
            else f"DMA keeps {chain.fresh_items} items of {chain.store_bits} bits fresh; the program "
            f"reads the newest every {format_rounded(chain.half_s, 's')}.",
        ]
        return {
            "number": chain.number,
            "name": chain.name,
            "upper": c_name(chain.chain.converter),
            "converter": c_comment(chain.chain.converter),
            "facts": [c_comment(fact) for fact in facts],
            "inputs": self._inputs(chain),
            "slots": slots,
            "slot_names": c_comment(", ".join(order)),
            "loop_items": chain.loop_items,
            "cycle_ticks": chain.cycle_ticks,
            "loop_type": f"uint{bits}_t",
            "loop_count": chain.loop_bytes * 8 // bits,
            "stamped": chain.stamped,
            "fresh_items": chain.fresh_items,
            "fresh_stamps": chain.fresh_items and not self._is_even(chain),
            "store_bytes": chain.store_bits // 8,
            "item_bytes": chain.item_bits // 8,
            "by_dma": _bool(chain.by_dma),
            "is_single_run": _bool(chain.halts or self.workspace.project.is_rearmed(chain.chain)),
            "swap": _bool(chain.swap),
            "end_ticks": ", ".join(f"{ticks}u" for ticks in chain.end_ticks),
            "held_ticks": ", ".join(f"{ticks}u" for ticks in chain.held_ticks),
            "lifts": ", ".join(map(str, chain.lifts)) if len(set(chain.lifts)) > 1 else "",
            "taps": ", ".join("WG_NO_FILTER" if tap is None else f"{tap}u" for tap in chain.taps),
        }

    def _is_even(self, chain: ChainTable) -> bool:
        return scan_timing(self.workspace, chain.chain).is_even

    def _inputs(self, chain: ChainTable) -> list[tuple[int, int, float, str]]:
        """Place, channel, sampling cycles and signal of each slot, in the converter's order."""
        converter = self.workspace.converter(chain.chain)
        inputs = []
        for number, place in enumerate(slot_order(self.workspace, chain.chain)):
            slot = chain.chain.slots[place]
            signal = self.workspace.project.signal(slot.signal)
            channel = converter.channel(signal.pin, signal.negative) or 0
            inputs.append((number, channel, slot.sampling_cycles, c_comment(signal.name)))
        return inputs

    def _tap(self, number: int) -> dict[str, Any]:
        table = self.tables.taps[number]
        tap = table.tap
        return {
            "name": table.name,
            "title": c_comment(table.signal.name),
            "stream": tap.stream or 0,
            "stage": table.kind,
            "signed_bits": tap.signed_bits,
            "shift": tap.shift,
            "count": tap.count,
            "mask": table.mask,
            "sign": table.sign,
            "running": tap.stage == "moving-average",
            "judges_raw": _bool(self._is_judged(number, False)),
            "judges_filtered": _bool(self._is_judged(number, True)),
            "keeps": _bool(
                any(
                    reading.tap == number
                    for reaction in self.tables.config.reactions
                    for reading in reaction.readings
                )
            ),
            "room": table.room if tap.stream is not None else 0,
        }

    def _is_judged(self, tap: int, reduced: bool) -> bool:
        """A window that the program judges looks at a tap's items, or at its reduced values."""
        for table in self.tables.watches:
            on_reduced = (
                table.watch.on_reduced and self.tables.config.taps[table.watch.tap].stage != "none"
            )
            looks = {(table.watch.tap, on_reduced)}
            if table.watch.other is not None:
                looks.add((table.watch.other, table.other_reduced))
            if not table.by_hardware and (tap, reduced) in looks:
                return True
        return False

    def _watch(self, number: int) -> dict[str, Any]:
        table = self.tables.watches[number]
        watch = table.watch
        return {
            "title": c_comment(table.title),
            "number": table.number,
            "tap": "WG_NOTHING" if table.by_hardware else f"{watch.tap}u",
            "on_reduced": _bool(
                watch.on_reduced and self.tables.config.taps[watch.tap].stage != "none"
            ),
            "other": "WG_NOTHING" if watch.other is None else f"{watch.other}u",
            "other_reduced": _bool(table.other_reduced),
            "reach": watch.reach_ticks or 0,
            "factor": table.factor.numerator,
            "divisor": table.factor.denominator,
            "target": watch.target,
            "low": watch.low,
            "high": watch.high,
            "hysteresis": watch.hysteresis,
            "condition": f"WG_{watch.condition.upper()}",
            "times": watch.times,
            "every": _bool(watch.every),
            "once": _bool(watch.once),
            "armed": _bool(watch.armed),
            "stops": f"{table.chain}u" if watch.stops else "WG_NOTHING",
            "again": _bool(watch.stops and watch.rearm_ticks is not None),
            "rearm_ticks": watch.rearm_ticks or 0,
            "starts": "WG_NOTHING" if table.starts is None else f"{table.starts}u",
            "room": table.room,
        }


def _ratio(value: float) -> dict[str, int]:
    ratio = Fraction(value).limit_denominator(1 << 24)
    return {"factor": ratio.numerator, "divisor": ratio.denominator}


def _bool(value: bool) -> str:
    return "true" if value else "false"


def rows(codes: tuple[int, ...]) -> list[str]:
    """Numbers of a table, some to a line."""
    return [
        " ".join(f"{code}," for code in codes[at : at + ROW]) for at in range(0, len(codes), ROW)
    ]


def _by_chain(hooks: tuple[Hook, ...]) -> list[tuple[int, list[Hook]]]:
    by_chain: dict[int, list[Hook]] = {}
    for hook in hooks:
        by_chain.setdefault(hook.number, []).append(hook)
    return list(by_chain.items())
