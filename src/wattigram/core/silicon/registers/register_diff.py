"""What firmware really wrote beside what its design asks for: other values, other places in the
order, missing writes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from types import MappingProxyType

import msgspec

from wattigram.core.base.errors import RegisterError
from wattigram.core.base.validation import ModelError
from wattigram.core.model.design import Chain, Project, Signal, TimerTrigger, Workspace
from wattigram.core.model.part import Part, RegisterField
from wattigram.core.predict.timing import repoints
from wattigram.core.silicon.registers.decode import SiliconState, decode_writes
from wattigram.core.silicon.registers.design_from_registers import Observed, silicon_project
from wattigram.core.silicon.registers.merge_program import merge_program
from wattigram.core.silicon.registers.register_map import (
    RegisterAt,
    RegisterMap,
    field_meaning,
    register_map,
)
from wattigram.core.silicon.registers.round_trip import decoded, surroundings

PlainWrite = tuple[int, int, int]
Pointings = Mapping[str, tuple[tuple[int, float], ...]]
"""Channels with their sampling cycles, in the order in which firmware points a converter to them,
by converter."""
_NOWHERE: Pointings = MappingProxyType({})


class RegisterDifference(msgspec.Struct, frozen=True):
    """One field that is otherwise than the design has it, or one step at another place; ``text``
    says how."""

    owner: str
    text: str


def as_written(
    workspace: Workspace, writes: Sequence[PlainWrite], pointings: Pointings = _NOWHERE
) -> Workspace:
    """The design that a board has after some register writes, by the names of this design.

    What it is wanted to do stays: a timer keeps the rate that was asked for, with the registers
    that it has.

    Raises
    ------
    RegisterError
        When no design does that.
    """
    state = decode_writes(register_map(workspace.part), writes)
    observed = Observed(inputs=pointings)
    silicon = silicon_project(
        state, surroundings(workspace), lambda _address, count, _bits: (0,) * count, observed
    )
    try:
        merged = merge_program(_complete(silicon, workspace), workspace)
    except ModelError as fault:
        raise RegisterError(
            f"No design does what firmware set up: {fault.first.message}"
        ) from fault
    chains = []
    for chain, meant in zip(merged.chains, workspace.project.chains, strict=True):
        trigger, wanted = chain.trigger, meant.trigger
        if (
            isinstance(trigger, TimerTrigger)
            and isinstance(wanted, TimerTrigger)
            and trigger.timer == wanted.timer
        ):
            chain = chain.replaced(trigger=trigger.replaced(period_s=wanted.period_s))
        touched = any(one.converter == chain.converter for one in silicon.chains)
        chains.append(chain if touched else meant.replaced(startup=()))
    return workspace.with_project(merged.replaced(chains=tuple(chains)))


def _complete(silicon: Project, workspace: Workspace) -> Project:
    """Chains that were never set up stand there as they were meant; the caller stops them."""
    known = {chain.converter for chain in silicon.chains}
    missing: list[Chain] = [
        chain for chain in workspace.project.chains if chain.converter not in known
    ]
    names = {slot.signal for chain in missing for slot in chain.slots}
    signals = [
        Signal(name=signal.name, pin=signal.pin, negative=signal.negative)
        for signal in workspace.project.signals
        if signal.name in names
    ]
    return silicon.replaced(
        chains=(*silicon.chains, *missing), signals=(*silicon.signals, *signals)
    )


def differences(
    workspace: Workspace, writes: Sequence[PlainWrite], pointings: Pointings = _NOWHERE
) -> tuple[RegisterDifference, ...]:
    """Fields that firmware leaves otherwise than the design's own writes do, then steps that come
    in another order."""
    registers = register_map(workspace.part)
    meant, real = decoded(workspace), decode_writes(registers, writes)
    listed: list[RegisterDifference] = []
    for register in registers.registers:
        if register.owner in meant.touched or register.owner in real.touched:
            listed += _fields(meant, real, register)
    for line in sorted(meant.lines - real.lines):
        owner = registers.owner_of_line(line) or ""
        listed.append(
            RegisterDifference(owner, f"the interrupt of {owner} (line {line}) is not enabled")
        )
    return (*listed, *_pointed(workspace, pointings), *_order(meant, real))


def _pointed(workspace: Workspace, pointings: Pointings) -> Iterator[RegisterDifference]:
    """Converters that firmware points elsewhere, or in another order, than the design does."""
    for chain in workspace.project.chains:
        converter = workspace.converter(chain)
        has = pointings.get(chain.converter)
        if has is None or not repoints(workspace, chain):
            continue
        signals = [workspace.project.signal(slot.signal) for slot in chain.slots]
        wanted = [converter.channel(signal.pin, signal.negative) for signal in signals]
        real = [channel for channel, _cycles in has]
        if real != wanted and len(set(wanted)) > 1:
            told, should = (" ".join(map(str, one)) for one in (real, wanted))
            text = f"{chain.converter} is pointed to channels {told} in turn, by the design to {should}"
            yield RegisterDifference(chain.converter, text)


def _fields(
    meant: SiliconState, real: SiliconState, register: RegisterAt
) -> list[RegisterDifference]:
    listed = []
    before, after = meant.shadow.value(register), real.shadow.value(register)
    for field in register.register.fields:
        if field.access != "read-write":
            continue
        wanted, has = (before & field.mask) >> field.low, (after & field.mask) >> field.low
        if field.coded == "pointer":
            listed += _pointer(meant.registers, register, field, wanted, has)
        elif wanted != has:
            part, where = meant.registers.part, f"{register.owner} {register.name}.{field.name}"
            is_now, should_be = (
                f"{code} ({_meaning(part, field, code)})" for code in (has, wanted)
            )
            listed.append(
                RegisterDifference(
                    register.owner, f"{where} is {is_now}, the design's is {should_be}"
                )
            )
    return listed


def _meaning(part: Part, field: RegisterField, code: int) -> str:
    """What a code sets, in words."""
    value = field_meaning(part, field, code)
    if value is None:
        return f"{field.sets}, which means nothing"
    if isinstance(value, frozenset):
        told = " ".join(str(field) for field in sorted(value)) or "none"
    else:
        told = ("no", "yes")[value] if isinstance(value, bool) else str(value)
    return f"{field.sets} {told}"


def _pointer(
    registers: RegisterMap, register: RegisterAt, field: RegisterField, wanted: int, has: int
) -> list[RegisterDifference]:
    """A pointer to a register must be that register; one into memory may be anywhere in it, as a
    linker likes."""
    place, memory = registers.at(wanted), registers.part.memory
    where = f"{register.owner} {register.name}.{field.name} ({field.sets}) is {has:#010x}"
    if wanted == has or not wanted:
        return []
    if place is not None:
        return [
            RegisterDifference(
                register.owner, f"{where}, the design's is {place.owner} {place.name}"
            )
        ]
    if (
        memory is None
        or memory.has_data(has)
        or (field.sets == "from" and has and memory.has_code(has))
    ):
        return []
    return [RegisterDifference(register.owner, f"{where}, where there is no memory for it")]


_STEPS = {
    "on": "is enabled",
    "run": "is started",
    "start": "is started",
    "window-on": "is armed",
    "line": "may interrupt",
}


def _order(meant: SiliconState, real: SiliconState) -> list[RegisterDifference]:
    """Steps that come before another one that they should follow."""
    wanted = sorted(meant.first, key=lambda key: meant.first[key])
    listed = []
    for key in wanted:
        owner, what = key
        if key not in real.first:
            if what not in {"line"}:
                listed.append(RegisterDifference(owner, f"{owner} never {_STEPS.get(what, what)}"))
            continue
        late = [
            other
            for other in wanted
            if other in real.first
            and meant.first[other] < meant.first[key]
            and real.first[other] > real.first[key]
        ]
        for other in late:
            listed.append(
                RegisterDifference(
                    owner,
                    f"{owner} {_STEPS.get(what, what)} before {other[0]} "
                    f"{_STEPS.get(other[1], other[1])}",
                )
            )
    for owner in sorted(set(meant.calibrated) - real.calibrated):
        listed.append(RegisterDifference(owner, f"{owner} is not calibrated while it is still off"))
    return listed
