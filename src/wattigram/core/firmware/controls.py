"""C of what the program does to converters while they run: start once, halt, resume, re-arm."""

from __future__ import annotations

from collections.abc import Iterator

import msgspec

from wattigram.core.firmware.register_c import read_c, set_flag_c
from wattigram.core.firmware.tables import ChainTable, Tables
from wattigram.core.model.design import SoftwareTrigger
from wattigram.core.silicon.registers import RegisterMap, register_map
from wattigram.core.silicon.registers.chain_settings import stamp_channel


class Control(msgspec.Struct, frozen=True):
    """Statements for one converter; none where the program never does that."""

    number: int
    converter: str
    trigger: str
    halt: str
    resume: str
    rearm: tuple[str, ...]


def controls(tables: Tables) -> tuple[Control, ...]:
    """For each chain that the program acts upon, or starts."""
    registers = register_map(tables.workspace.part)
    acted_upon = {watch.chain for watch in tables.watches if watch.watch.stops}
    acted_upon |= {reaction.acts_on for reaction in tables.config.reactions if reaction.controls}
    started = {watch.starts for watch in tables.watches if watch.starts is not None}
    rows = []
    for chain in tables.chains:
        owner = chain.chain.converter
        is_started = chain.number in started or is_started_by_program(chain)
        if chain.number not in acted_upon and not is_started:
            continue
        start = _start(registers, owner)
        resume = set_flag_c(registers, owner, "on")
        rows.append(
            Control(
                chain.number,
                owner,
                start if is_started else "",
                set_flag_c(registers, owner, "on", on=False),
                f"{resume} {start}" if _has_own_pace(chain) and start else resume,
                tuple(_rearm(tables, registers, chain)),
            )
        )
    return tuple(rows)


def _rearm(tables: Tables, registers: RegisterMap, chain: ChainTable) -> Iterator[str]:
    """Fill the buffer once more: the converter is off meanwhile, and DMA begins a run anew."""
    number, owner = chain.number, chain.chain.converter
    if not tables.workspace.project.is_rearmed(chain.chain):
        return
    carriers = [
        one
        for one in (chain.chain.dma, stamp_channel(tables.workspace, chain.chain))
        if chain.by_dma and one
    ]
    yield set_flag_c(registers, owner, "on", on=False)
    for carrier in carriers:
        yield set_flag_c(registers, carrier, "on", on=False)
    made = f"wg_chain_tally({number}u)"
    if registers.has(owner, "passes"):
        made = read_c(registers, owner, "passes")
    yield f"wg_chain_rearm({number}u, {made});"
    for carrier in reversed(carriers):
        yield set_flag_c(registers, carrier, "on")
    yield set_flag_c(registers, owner, "on")
    start = _start(registers, owner)
    if start and _has_own_pace(chain) and not is_started_by_program(chain):
        yield start


def _start(registers: RegisterMap, owner: str) -> str:
    return set_flag_c(registers, owner, "start") if registers.has(owner, "start") else ""


def _has_own_pace(chain: ChainTable) -> bool:
    """Nothing but a start is needed for it to go on by itself."""
    return chain.chain.trigger.kind in {"software", "free-running"}


def is_started_by_program(chain: ChainTable) -> bool:
    """The main loop starts it every so often, or when a reaction asks for it."""
    trigger = chain.chain.trigger
    return isinstance(trigger, SoftwareTrigger) and (trigger.asked or trigger.period_s is not None)
