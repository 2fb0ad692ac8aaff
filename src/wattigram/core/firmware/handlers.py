"""C of handlers: what each interrupt, poll and command does with the registers of the part."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from functools import cached_property

import msgspec

from wattigram.core.base.errors import FirmwareError
from wattigram.core.base.quantity import format_rounded
from wattigram.core.firmware.controls import is_started_by_program
from wattigram.core.firmware.hooks import IsrHook, isr_hooks
from wattigram.core.firmware.register_c import c_register, field_code_c, flag_c, read_c, set_flag_c
from wattigram.core.firmware.tables import ChainTable, Tables
from wattigram.core.model.design import (
    Dma,
    Fifo,
    Interrupt,
    Polling,
    SoftwareTrigger,
    Watch,
    Workspace,
)
from wattigram.core.predict.timing import repoints, retrieval_timing, scan_timing, slot_order
from wattigram.core.silicon.registers import c_name, hardware_watches, register_map
from wattigram.core.silicon.registers.equivalents import channel_settings


def _lifted(text: str, lift: int) -> str:
    """C of a result that is moved up, or down where that is below 0."""
    return f"{text} << {lift}" if lift > 0 else f"{text} >> {-lift}" if lift < 0 else text


def _settled(counted: str, reads: list[str]) -> Iterator[str]:
    """Read registers together with the count that they belong to, again where a result came between;
    not for ever, for some converters are quicker than any program."""
    yield "    uint32_t tries = 4u;"
    yield "    do {"
    yield f"        made = {counted};"
    for read in reads:
        yield f"        {read}"
    yield "        tries--;"
    yield f"    }} while ({counted} != made && tries != 0u);"


class Handler(msgspec.Struct, frozen=True):
    """One interrupt's handler."""

    name: str
    line: int
    owner: str
    brief: str
    body: tuple[str, ...]


class HandlerWriter:
    """Writes the C that depends on both the design and the part's registers."""

    def __init__(self, tables: Tables) -> None:
        self.tables = tables
        self.workspace: Workspace = tables.workspace
        self.registers = register_map(self.workspace.part)

    @cached_property
    def handlers(self) -> tuple[Handler, ...]:
        """One for each interrupt line in use, by line.

        Raises :class:`FirmwareError` where an interrupt has no line in the part's registers.
        """
        routines: dict[str, list[str]] = {}
        briefs: dict[str, list[str]] = {}
        for chain in self.tables.chains:
            owner = chain.chain.converter
            windows = list(self._window_lines(chain))
            if windows:
                routines.setdefault(owner, []).extend(windows)
                briefs.setdefault(owner, []).append("Windows that the converter judges.")
            match chain.chain.readout:
                case Dma(channel=channel) if not chain.fresh_items:
                    routines.setdefault(channel, []).extend(self._mark_lines(chain, channel))
                    briefs.setdefault(channel, []).append(self._brief(chain))
                case Interrupt() | Fifo():
                    routines.setdefault(owner, []).extend(self._result_lines(chain))
                    briefs.setdefault(owner, []).append(self._brief(chain))
                case _:
                    pass
        for number, watch in enumerate(self.workspace.watches):
            if watch.kind == "comparator":
                routines[watch.comparator] = list(self._comparator_lines(number, watch))
                briefs[watch.comparator] = [
                    f"Edges of {watch.comparator}, which looks at {watch.signal}."
                ]
        for uart, waited in self._awaited.items():
            routines[uart] = list(self._byte_lines(uart, waited))
            briefs[uart] = [f"Bytes that come over {uart}."]
        handlers = []
        for owner, body in routines.items():
            line = self.registers.line(owner)
            if line is None:
                raise FirmwareError(
                    f"{owner} has no interrupt line on {self.workspace.part.name}.",
                    cure="Give its block of registers one in the part file (lines).",
                )
            handlers.append(
                Handler(
                    f"wg_isr_{c_name(owner).lower()}",
                    line,
                    owner,
                    " ".join(briefs[owner]),
                    tuple(body),
                )
            )
        return tuple(sorted(handlers, key=lambda one: one.line))

    def _brief(self, chain: ChainTable) -> str:
        timing = retrieval_timing(self.workspace, chain.chain)
        if not timing.events_hz:
            return f"{chain.chain.converter}: called when something starts it."
        rate, limit = format_rounded(timing.events_hz, "Hz"), format_rounded(timing.deadline_s, "s")
        if not timing.overwrites:
            return f"{chain.chain.converter}: {rate} while its single run lasts; nothing is overwritten."
        return f"{chain.chain.converter}: {rate}, and must be over within {limit}."

    def _mark_lines(self, chain: ChainTable, channel: str) -> Iterator[str]:
        registers, number = self.registers, chain.number
        tally = self._tally(chain)
        for what, is_full in (("half", "false"), ("full", "true")):
            if not registers.has(channel, f"{what}-seen"):
                continue
            register, flag = flag_c(registers, channel, f"{what}-seen")
            yield f"if (({register} & {flag}) != 0u) {{"
            yield f"    {set_flag_c(registers, channel, f'{what}-seen')}"
            yield "    uint32_t made;"
            yield "    uint64_t ready;"
            yield from _settled(tally, [f"ready = {self._end(chain)};"])
            yield f"    wg_chain_mark({number}u, {is_full}, made, ready);"
            yield from self._hook_lines(f"wg_isr_half_{chain.name}", is_full)
            yield "}"

    @cached_property
    def reads(self) -> tuple[tuple[int, str, str, tuple[str, ...]], ...]:
        """Number, converter, C name and statements that read the newest results, of chains that DMA keeps
        fresh."""
        return tuple(
            (chain.number, chain.chain.converter, chain.name, tuple(self._read_lines(chain)))
            for chain in self.tables.chains
            if chain.fresh_items
        )

    def _read_lines(self, chain: ChainTable) -> Iterator[str]:
        number, count = chain.number, len(chain.end_ticks)
        tally = self._tally(chain)
        is_even = scan_timing(self.workspace, chain.chain).is_even
        place = f"wg_chain_fresh({number}u, made, slot, {chain.fresh_items}u)"
        yield f"uint32_t items[{count}];"
        if is_even:
            yield "uint64_t ready;"
        else:
            yield f"uint32_t ready[{count}];"
        yield "uint64_t made;"
        reads = [
            f"for (uint32_t slot = 0u; slot < {count}u; slot++) {{",
            f"    items[slot] = wg_fresh_{chain.name}[{place}];",
        ]
        if is_even:
            reads.insert(0, f"ready = {self._end(chain)};")
        else:
            reads.append(f"    ready[slot] = wg_fresh_stamps_{chain.name}[{place}];")
        for line in _settled(f"wg_chain_made({number}u, {tally})", [*reads, "}"]):
            yield line.removeprefix("    ")
        yield f"if (made < {count}u) {{"
        yield "    return; /* not each slot has a result yet */"
        yield "}"
        yield f"for (uint32_t slot = 0u; slot < {count}u; slot++) {{"
        since = (
            f"ready - wg_chain_age({number}u, made, slot)" if is_even else "wg_whole(ready[slot])"
        )
        yield f"    wg_chain_put({number}u, items[slot], {since});"
        yield "}"

    def _tally(self, chain: ChainTable) -> str:
        """C for how many results a converter has made, modulo 2^32: as it counts them itself, else by
        how far DMA has come.

        Raises :class:`FirmwareError` where neither tells it.
        """
        owner, readout = chain.chain.converter, chain.chain.readout
        if self.registers.has(owner, "passes") or not isinstance(readout, Dma):
            return read_c(self.registers, owner, "passes")
        items = chain.fresh_items or chain.loop_items
        lap_s = chain.cycle_ticks * items / len(chain.end_ticks) / self._tick_hz
        if chain.fresh_items and chain.half_s >= lap_s:
            raise FirmwareError(
                f"{owner} does not count its results, and its buffer is filled more than once between two "
                "reads, so none could say which results it has.",
                cure="Make the buffer longer, or read it more often.",
            )
        return f"wg_chain_moved({chain.number}u, {self._place(readout.channel, items)}, {items}u)"

    @property
    def _tick_hz(self) -> float:
        return float(self.tables.config.tick_hz)

    def _place(self, channel: str, items: int) -> str:
        """C for how many samples of a run DMA has moved."""
        if not self.registers.has(channel, "place") and self.registers.has(channel, "left"):
            return f"{items}u - {read_c(self.registers, channel, 'left')}"
        return read_c(self.registers, channel, "place")

    def _end(self, chain: ChainTable) -> str:
        """C for the instant at which the newest result was ready, 64 bits of ticks."""
        owner = chain.chain.converter
        if self.registers.has(owner, "result-ticks"):
            return f"wg_whole({read_c(self.registers, owner, 'result-ticks')})"
        return "wg_port_now()"

    def _result_lines(self, chain: ChainTable) -> Iterator[str]:
        """Fetch results of an interrupt, or of a poll that found some."""
        registers, owner, number = self.registers, chain.chain.converter, chain.number
        count = len(chain.end_ticks)
        retrieval = chain.chain.readout
        newest = "newest" if registers.has(owner, "newest") else "result"
        if isinstance(retrieval, Fifo):
            queued, made = read_c(registers, owner, "queued"), read_c(registers, owner, "passes")
            yield f"uint32_t waiting = {queued};"
            yield "uint32_t tally = 0u;"
            yield "uint32_t fetched = 0u;"
            yield "while (waiting != 0u) {"
            if chain.stamped and not registers.has(owner, "result-ticks"):
                raise FirmwareError(
                    f"{owner}: its FIFO does not say when each result was ready, and no timer "
                    "starts it.",
                    cure="Fetch by DMA or interrupt, or let a timer start it.",
                )
            yield f"    const uint64_t end = {self._end(chain)};"
            yield f"    const uint32_t item = {read_c(registers, owner, newest)};"
            yield f"    wg_chain_put({number}u, {self._lifted_item(chain, 'item')}, end);"
            yield from self._hook_lines(
                f"wg_isr_result_{chain.name}", f"wg_chain_next({number}u) - 1u, item"
            )
            yield "    fetched++;"
            yield "    if (fetched == 1u) { /* there is room again: results that found none are all counted now */"
            yield "        do {"
            yield f"            waiting = {queued};"
            yield f"            tally = {made};"
            yield f"        }} while ({queued} != waiting);"
            yield f"        tally -= waiting + wg_chain_tally({number}u);"
            yield "    } else {"
            yield "        waiting--;"
            yield "    }"
            depth = self.workspace.converter(chain.chain).fifo_items
            yield "    /* Behind the oldest are those that found no room. */"
            yield f"    if (fetched == {depth}u && tally != 0u) {{"
            yield f"        wg_chain_skip({number}u, wg_chain_tally({number}u) + tally);"
            yield "    }"
            yield "}"
            yield from self._halt_lines(chain)
            return
        done = self._done(chain)
        register, flag = flag_c(registers, owner, done)
        yield f"if (({register} & {flag}) != 0u) {{"
        per_pass = chain.chain.results_per_isr > 1
        by_slot = per_pass and registers.counted_by(owner, "result") == "slot"
        names = [f"item_{slot}" for slot in range(count)] if by_slot else ["item"]
        if by_slot:
            texts = [read_c(registers, owner, "result", slot) for slot in range(count)]
            reads = [f"{name} = {text};" for name, text in zip(names, texts, strict=True)]
        elif registers.has(owner, "result-low"):
            reads = [
                f"item = {read_c(registers, owner, 'result-low')}; /* holds the upper byte */",
                f"item |= {read_c(registers, owner, 'result-high')} << 8;",
            ]
        else:
            reads = [f"item = {read_c(registers, owner, newest)};"]
        reads.append(f"end = {self._end(chain)};")
        if registers.has(owner, "passes"):
            # What was made tells the place of what is read, though others were overwritten before.
            made = read_c(registers, owner, "passes")
            yield f"    uint32_t made, {', '.join(names)};"
            yield "    uint64_t end;"
            yield from _settled(made, reads)
            yield f"    wg_chain_skip({number}u, made - {len(names)}u);"
        else:
            yield f"    uint32_t {', '.join(names)};"
            for read in reads[:-1]:
                yield f"    {read}"
            yield f"    const uint64_t {reads[-1]}"
        if registers.find(owner, done).field.access == "clear":
            yield f"    {set_flag_c(registers, owner, done)}"
        for slot, name in enumerate(names):
            before = chain.end_ticks[-1] - chain.end_ticks[slot] if by_slot else 0
            since = f"end - {before}u" if before else "end"
            item = _lifted(name, chain.lifts[slot]) if by_slot else self._lifted_item(chain, name)
            yield f"    wg_chain_put({number}u, {item}, {since});"
            if isinstance(retrieval, Interrupt):
                yield from self._hook_lines(
                    f"wg_isr_result_{chain.name}", f"wg_chain_next({number}u) - 1u, {name}"
                )
        for line in (*self._next_lines(chain), *self._halt_lines(chain)):
            yield f"    {line}"
        yield "}"

    def _done(self, chain: ChainTable) -> str:
        """The flag that says that results are there."""
        readout = chain.chain.readout
        is_scan = isinstance(readout, Interrupt) and readout.per == "scan"
        has_both = all(
            self.registers.has(chain.chain.converter, one) for one in ("scan-done", "tells-scan")
        )
        return "scan-done" if is_scan and has_both else "done"

    def _halt_lines(self, chain: ChainTable) -> Iterator[str]:
        """Turn the converter off when its single run is over."""
        if chain.halts:
            off = set_flag_c(self.registers, chain.chain.converter, "on", on=False)
            yield f"if (wg_chain_is_full({chain.number}u)) {{"
            yield f"    {off}"
            yield "}"

    @staticmethod
    def _hook_lines(name: str, arguments: str) -> Iterator[str]:
        """Call a hook of own code, where it has one."""
        yield f"    if ({name} != NULL) {{"
        yield f"        {name}({arguments});"
        yield "    }"

    def _event_hook_lines(self, number: int, entered: str) -> Iterator[str]:
        name = next(hook.name for hook in self._isr_hooks if hook.number == number)
        yield from self._hook_lines(name, entered)

    @cached_property
    def _isr_hooks(self) -> tuple[IsrHook, ...]:
        return isr_hooks(self.tables)

    def _lifted_item(self, chain: ChainTable, text: str) -> str:
        """One that lies at the top of its register lies at the top of its item."""
        if len(set(chain.lifts)) > 1:
            return f"wg_chain_lift({chain.number}u, {text})"
        return _lifted(text, chain.lifts[0])

    def _next_lines(self, chain: ChainTable) -> Iterator[str]:
        """Point the converter to the next slot and start it, where software does."""
        owner = chain.chain.converter
        trigger = chain.chain.trigger
        again = isinstance(trigger, SoftwareTrigger) and trigger.follows_itself
        count = len(chain.end_ticks)
        start = (
            set_flag_c(self.registers, owner, "start") if self.registers.has(owner, "start") else ""
        )
        place = f"place_{chain.name}"
        if repoints(self.workspace, chain.chain):
            yield f"{place} = {place} + 1u < {count}u ? {place} + 1u : 0u;"
            yield f"point_{chain.name}({place});"
            if again:
                yield start
            elif isinstance(trigger, SoftwareTrigger) and chain.chain.per_trigger != "conversion":
                yield f"if ({place} != 0u) {{"
                yield f"    {start}"
                yield "}"
        elif again and (chain.chain.results_per_isr > 1 or chain.chain.per_trigger == "conversion"):
            yield start
        elif again and count > 1 and self.registers.has(owner, "passes"):
            # Results that were overwritten count too: a pass is over when its last one is there.
            yield f"const uint32_t since = made - seen_{chain.name};"
            yield f"seen_{chain.name} += since;"
            yield f"{place} = ({place} + since) % {count}u;"
            yield f"if ({place} == 0u && since != 0u) {{"
            yield f"    {start}"
            yield "}"
        elif again and count > 1:
            yield f"{place} = {place} + 1u < {count}u ? {place} + 1u : 0u;"
            yield f"if ({place} == 0u) {{"
            yield f"    {start}"
            yield "}"
        elif again:
            yield start

    @cached_property
    def places(self) -> tuple[str, ...]:
        """Names of variables that say in which slot software is."""
        return tuple(
            name
            for chain in self.tables.chains
            for name in (f"place_{chain.name}", f"seen_{chain.name}")
            if any(name in line for line in self._next_lines(chain))
            and isinstance(chain.chain.readout, (Interrupt, Polling))
        )

    @cached_property
    def pointings(self) -> tuple[tuple[str, str, tuple[str, ...]], ...]:
        """Name, converter and statements by slot of functions that point a converter to a slot."""
        pointed = []
        for chain in self.tables.chains:
            if repoints(self.workspace, chain.chain):
                pointed.append(
                    (f"point_{chain.name}", chain.chain.converter, tuple(self._pointing(chain)))
                )
        return tuple(pointed)

    def _pointing(self, chain: ChainTable) -> Iterator[str]:
        """One value of the register that has the channel, for each slot."""
        converter, owner = self.workspace.converter(chain.chain), chain.chain.converter
        for number in slot_order(self.workspace, chain.chain):
            signal = self.workspace.project.signal(chain.chain.slots[number].signal)
            channel = converter.channel(signal.pin, signal.negative) or 0
            for what, setting in channel_settings(self.registers, converter, channel):
                if what == "pair":
                    yield set_flag_c(self.registers, owner, what, on=bool(setting))
                    continue
                yield f"{field_code_c(self.registers, owner, what, setting)} /* {signal.name} */"

    def _window_lines(self, chain: ChainTable) -> Iterator[str]:
        """Tell events of windows that the converter judges."""
        owner, registers = chain.chain.converter, self.registers
        for index, watch in enumerate(hardware_watches(self.workspace, chain.chain)):
            number = self.workspace.watches.index(watch)
            register, flag = flag_c(registers, owner, "window-seen", index)
            entered = read_c(registers, owner, "window-entered", index)
            low = read_c(registers, owner, "window-ticks-low", index)
            high = read_c(registers, owner, "window-ticks-high", index)
            value = read_c(registers, owner, "window-value", index)
            yield f"if (({register} & {flag}) != 0u) {{"
            yield f"    const bool entered = {entered} != 0u;"
            yield f"    const uint64_t since = (uint64_t){low} | (uint64_t){high} << 32;"
            yield f"    const int32_t value = (int32_t){value};"
            yield f"    {set_flag_c(registers, owner, 'window-seen', index)}"
            yield f"    wg_threshold_tell({number}u, entered, value, since);"
            yield from self._event_hook_lines(number, "entered")
            yield "}"

    def _comparator_lines(self, number: int, watch: Watch) -> Iterator[str]:
        registers, owner = self.registers, watch.comparator
        if any(registers.has(owner, one) for one in ("rose", "fell")):
            yield from self._edge_lines(number, owner)
            return
        register, flag = flag_c(registers, owner, "seen")
        low, high = read_c(registers, owner, "ticks-low"), read_c(registers, owner, "ticks-high")
        yield f"if (({register} & {flag}) != 0u) {{"
        yield f"    const bool is_high = {read_c(registers, owner, 'high')} != 0u;"
        yield f"    const uint64_t since = (uint64_t){low} | (uint64_t){high} << 32;"
        yield f"    {set_flag_c(registers, owner, 'seen')}"
        yield f"    wg_threshold_tell({number}u, is_high, is_high ? 1 : 0, since);"
        yield from self._event_hook_lines(number, "is_high")
        yield "}"

    def _edge_lines(self, number: int, owner: str) -> Iterator[str]:
        """Tell edges that have a flag each; when they came is told by the clock."""
        registers = self.registers
        for flag, is_high, value in (("rose", "true", 1), ("fell", "false", 0)):
            if not registers.has(owner, flag):
                continue
            register, macro = flag_c(registers, owner, flag)
            yield f"if (({register} & {macro}) != 0u) {{"
            yield f"    {set_flag_c(registers, owner, flag)}"
            yield f"    wg_threshold_tell({number}u, {is_high}, {value}, wg_port_now());"
            yield from self._event_hook_lines(number, is_high)
            yield "}"

    @cached_property
    def _awaited(self) -> dict[str, list[tuple[int, Watch]]]:
        """Serial ports of which the program waits for bytes, with the numbers of their events."""
        awaited: dict[str, list[tuple[int, Watch]]] = {}
        for number, watch in enumerate(self.workspace.watches):
            if watch.kind == "byte":
                awaited.setdefault(watch.uart, []).append((number, watch))
        return awaited

    def _byte_lines(self, uart: str, waited: list[tuple[int, Watch]]) -> Iterator[str]:
        """Take a byte, and tell those who wait for it."""
        registers = self.registers
        for needed in ("arrived", "received"):
            if not registers.has(uart, needed):
                raise FirmwareError(
                    f"{self.workspace.part.name} has no “{needed}” in the registers of {uart}.",
                    cure="Describe it in the part file.",
                )
        register, flag = flag_c(registers, uart, "arrived")
        yield f"if (({register} & {flag}) != 0u) {{"
        yield f"    const uint32_t byte = {read_c(registers, uart, 'received')};"
        for number, watch in waited:
            indent = "    "
            if watch.byte is not None:
                yield f"    if (byte == {watch.byte:#x}u) {{"
                indent = "        "
            yield f"{indent}wg_threshold_tell({number}u, true, (int32_t)byte, wg_port_now());"
            for line in self._event_hook_lines(number, "true"):
                yield f"{indent}{line.removeprefix('    ')}"
            if watch.byte is not None:
                yield "    }"
        yield "}"

    @cached_property
    def polls(self) -> tuple[tuple[str, ...], ...]:
        """C of each converter that is polled."""
        polled = []
        for chain in self.tables.chains:
            retrieval = chain.chain.readout
            trigger = chain.chain.trigger
            if isinstance(retrieval, Polling):
                lines = list(self._result_lines(chain))
                if retrieval.timeout_s is not None:
                    limit = max(1, int(retrieval.timeout_s * self.workspace.bus_clock_hz))
                    number, unit = chain.number, chain.chain.results_per_isr
                    # What starts every so often is waited for once it has been started.
                    started = (
                        f"wg_chain_expects({number}u) && " if is_started_by_program(chain) else ""
                    )
                    lines = [
                        f"if ({started}!wg_chain_is_late({number}u) && !wg_await_{chain.name}({limit}u)) {{",
                        f"    wg_chain_give_up({number}u, {unit}u);",
                        "}",
                        *lines,
                    ]
                if chain.halts:
                    lines = [
                        f"if (!wg_chain_is_full({chain.number}u)) {{",
                        *(f"    {line}" for line in lines),
                        "}",
                    ]
                polled.append(tuple(lines))
            elif (
                isinstance(retrieval, (Dma, Fifo))
                and isinstance(trigger, SoftwareTrigger)
                and trigger.follows_itself
            ):
                # Who takes a result takes its flag with it: only the number of results tells that a pass is over.
                unit = 1 if chain.chain.per_trigger == "conversion" else len(chain.end_ticks)
                ongoing = f"!wg_chain_is_full({chain.number}u) && " if chain.halts else ""
                polled.append(
                    (
                        f"if ({ongoing}wg_chain_is_through({chain.number}u, {self._tally(chain)}, {unit}u)) {{",
                        f"    {set_flag_c(self.registers, chain.chain.converter, 'start')}",
                        "}",
                    )
                )
        return tuple(polled)

    @cached_property
    def waits(self) -> tuple[tuple[str, str, str, str], ...]:
        """Name, converter, register and flag of functions that wait for a result no longer than a
        time-out."""
        waited = []
        for chain in self.tables.chains:
            retrieval = chain.chain.readout
            if isinstance(retrieval, Polling) and retrieval.timeout_s is not None:
                register, flag = flag_c(self.registers, chain.chain.converter, "done")
                waited.append((f"wg_await_{chain.name}", chain.chain.converter, register, flag))
        return tuple(waited)

    @property
    def never_sleeps(self) -> bool:
        """The main loop looks for results all the time."""
        return bool(self.polls)

    @cached_property
    def exit_code(self) -> tuple[tuple[int, str, str], ...]:
        """Each chain with the C of how far DMA has come, and the handler that fetches what a FIFO
        still has."""
        rows = []
        for chain in self.tables.chains:
            retrieval = chain.chain.readout
            place = (
                self._place(retrieval.channel, chain.loop_items)
                if isinstance(retrieval, Dma) and not chain.fresh_items
                else "0u"
            )
            isr = f"wg_isr_{c_name(chain.chain.converter).lower()}"
            rows.append((chain.number, place, isr if isinstance(retrieval, Fifo) else ""))
        return tuple(rows)

    @cached_property
    def dac_writes(self) -> tuple[str, ...]:
        """Statements that give `code` to each DAC with a ramp."""
        lines = []
        for ramp in self.tables.ramps:
            register = self.registers.at(self.registers.find(ramp.dac, "data").address)
            assert register is not None
            cast = "" if register.register.width == 16 else f"(uint{register.register.width}_t)"
            lines.append(f"{c_register(register)} = {cast}code;")
        return tuple(lines)

    def disable_code(self, used: Collection[str]) -> tuple[str, ...]:
        """Statements that stop what the set-up of some peripherals started, triggers first."""
        kinds = {
            owner: block.kind for block in self.workspace.part.blocks for owner in block.owners
        }
        order = {"timer": 0, "converter": 1, "dma": 2, "comparator": 3, "dac": 4, "uart": 5}
        lines = []
        for owner in sorted(used, key=lambda name: (order.get(kinds.get(name, ""), 9), name)):
            what = "run" if kinds.get(owner) == "timer" else "on"
            if self.registers.has(owner, what) and kinds.get(owner) not in {"dac", "uart"}:
                place = self.registers.find(owner, what)
                register = self.registers.at(place.address)
                assert register is not None
                lines.append(f"{c_register(register)} = {register.register.reset:#x}u;")
        return tuple(lines)
