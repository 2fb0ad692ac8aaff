"""Starts of a design, made of the same edits as everything else, from what the part can do."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

import msgspec

from wattigram.core.base.errors import EditError
from wattigram.core.model.design.edits import (
    AddChain,
    AddSignal,
    AddSlot,
    CompositeEdit,
    Edit,
    apply_edit,
)
from wattigram.core.model.design.project import Chain, Project, Signal, Slot
from wattigram.core.model.design.retrieval import CircularBuffer, Dma, Interrupt, Polling, Retrieval
from wattigram.core.model.design.sampling_groups import given_sampling
from wattigram.core.model.design.stage import BlockAverage, RedundantPair, Stage, Threshold
from wattigram.core.model.design.trigger import (
    FollowTrigger,
    FreeRunningTrigger,
    SoftwareTrigger,
    TimerTrigger,
    Trigger,
)
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.model.part import Converter, Part, find_part

DEFAULT_EVERY = Fraction(1, 1000)
DEFAULT_ITEMS = 64
DEFAULT_HANDLER_CYCLES = 200
DEFAULT_MAIN_CYCLES = 1800


def empty_workspace(part_id: str, part: Part | None = None) -> Workspace:
    """A project with nothing in it yet; ``part`` is that of a part file, whose name is then
    ``part_id``.

    Raises
    ------
    PartError
        For a part that is not known.
    """
    if part is None:
        part = find_part(part_id)
    return Workspace(
        Project(name="untitled", part=part_id, reference=part.references[0].name), part
    )


def slot_for(workspace: Workspace, name: str, pin: str, negative: str | None = None) -> Edit | None:
    """An edit that gives a signal a slot: on a chain that reaches its pin, else on a converter yet
    free."""
    project = workspace.project
    for chain in project.chains:
        converter = workspace.converter(chain)
        if converter.channel(pin, negative) is not None and len(chain.slots) < converter.slots:
            given = given_sampling(project, workspace.part, chain, pin, negative)
            return AddSlot(chain.converter, name, _sampling(converter) if given is None else given)
    for converter in workspace.part.converters:
        if project.chain(converter.name) is None and converter.channel(pin, negative) is not None:
            return AddChain(fresh_chain(workspace, converter, (name,), DEFAULT_EVERY))
    return None


def _sampling(converter: Converter, place: float = 0.5) -> float:
    """A sampling time from the middle of what can be had, or from another part of it."""
    choices = sorted(converter.sampling_cycles)
    return choices[min(len(choices) - 1, int(len(choices) * place))]


def fresh_chain(
    workspace: Workspace,
    converter: Converter,
    names: tuple[str, ...],
    every_s: Fraction,
    trigger: Trigger | None = None,
    sampling: float = 0.5,
    items: int = DEFAULT_ITEMS,
) -> Chain:
    """A chain with sensible figures: fastest legal clock, a free timer, DMA where there is any."""
    project = workspace.project
    legal = [
        divider
        for divider in sorted(converter.dividers)
        if workspace.bus_clock_hz / divider <= converter.clock_limit_hz(max(converter.bits))
    ]
    used = {chain.buffer.name for chain in project.chains}
    name = next(
        f"Loop {letter}" for letter in "ABCDEFGHIJKLMNOPQRSTUVWXYZ" if f"Loop {letter}" not in used
    )
    bits = max(converter.bits)
    width = 16 if bits <= 16 else 32
    unit = 2 * len(names)
    return Chain(
        converter=converter.name,
        divider=legal[0] if legal else max(converter.dividers),
        bits=bits,
        trigger=trigger or _trigger(workspace, converter, every_s),
        readout=_retrieval(workspace, converter),
        buffer=CircularBuffer(
            name=name,
            samples=-(-items // unit) * unit,
            element_bits=width,
            isr_cycles=DEFAULT_HANDLER_CYCLES,
            main_cycles=DEFAULT_MAIN_CYCLES if "dma" in converter.retrievals else 0,
        ),
        slots=tuple(
            Slot(signal=name, sampling_cycles=_sampling(converter, sampling)) for name in names
        ),
    )


def _trigger(workspace: Workspace, converter: Converter, every_s: Fraction) -> Trigger:
    taken = {
        chain.trigger.timer
        for chain in workspace.project.chains
        if isinstance(chain.trigger, TimerTrigger)
    }
    groups = [group for group in workspace.part.timers if group.can_trigger]
    free = [name for group in groups for name in group.names if name not in taken]
    if "timer" in converter.triggers and free:
        return TimerTrigger(timer=free[0], period_s=every_s)
    return SoftwareTrigger()


def _retrieval(workspace: Workspace, converter: Converter) -> Retrieval:
    taken = {chain.dma for chain in workspace.project.chains}
    free = [name for group in workspace.part.dma for name in group.names if name not in taken]
    if "dma" in converter.retrievals and free:
        return Dma(channel=free[0])
    return Interrupt() if "interrupt" in converter.retrievals else Polling()


class Template(msgspec.Struct, frozen=True):
    """A start, and what it is for."""

    name: str
    summary: str
    make: Callable[[Workspace], tuple[Edit, ...]]


def from_template(workspace: Workspace, template: Template) -> CompositeEdit:
    """The template's edits as one.

    Raises
    ------
    EditError
        When the part, or what is left free of it, cannot hold it.
    """
    return CompositeEdit(
        template.make(workspace), f"Add {template.name[0].lower()}{template.name[1:]}"
    )


def _free_converters(workspace: Workspace) -> list[Converter]:
    free = [
        item for item in workspace.part.converters if workspace.project.chain(item.name) is None
    ]
    if not free:
        raise EditError(
            f"Every converter of {workspace.part.name} has a chain already.",
            cure="Remove a chain, or add slots to one.",
        )
    return free


def _names(workspace: Workspace, *wanted: str) -> tuple[str, ...]:
    """Names that no signal has yet."""
    used = {signal.name for signal in workspace.project.signals}
    names = []
    for name in wanted:
        fresh, number = name, 2
        while fresh in used:
            fresh, number = f"{name} {number}", number + 1
        used.add(fresh)
        names.append(fresh)
    return tuple(names)


def _pins(workspace: Workspace, converter: Converter, count: int) -> list[str]:
    """Free pins of a converter, in channel order."""
    taken = {signal.pin for signal in workspace.project.signals} | {
        signal.negative for signal in workspace.project.signals
    }
    free = [
        pin
        for pin, _channel in sorted(converter.channels.items(), key=lambda item: item[1])
        if pin not in taken
    ]
    if len(free) < count:
        raise EditError(
            f"{converter.name} has {len(free)} free pins, {count} are needed.",
            cure="Move or remove other signals.",
        )
    return free[:count]


def _several(
    workspace: Workspace,
    names: tuple[str, ...],
    every_s: Fraction,
    stage: Stage | None = None,
    windows: tuple[Threshold, ...] = (),
    trigger: Trigger | None = None,
    sampling: float = 0.5,
    items: int = DEFAULT_ITEMS,
) -> tuple[Edit, ...]:
    converter = _free_converters(workspace)[0]
    if trigger is not None and trigger.kind not in converter.triggers:
        trigger = None
    pins = _pins(workspace, converter, len(names))
    chain = fresh_chain(workspace, converter, names, every_s, trigger, sampling, items)
    signals = [
        Signal(name=name, pin=pin, filter=stage, thresholds=windows)
        for name, pin in zip(names, pins, strict=True)
    ]
    return (*(AddSignal(signal) for signal in signals), AddChain(chain))


def _one_slow(workspace: Workspace) -> tuple[Edit, ...]:
    return _several(workspace, _names(workspace, "Sensor"), Fraction(1, 100), sampling=0.9)


def _four_round(workspace: Workspace) -> tuple[Edit, ...]:
    names = _names(workspace, "Signal 1", "Signal 2", "Signal 3", "Signal 4")
    return _several(workspace, names, DEFAULT_EVERY, items=512)


def _fast_single(workspace: Workspace) -> tuple[Edit, ...]:
    name = _names(workspace, "Fast signal")
    return _several(
        workspace,
        name,
        Fraction(1, 100_000),
        trigger=FreeRunningTrigger(),
        sampling=0.0,
        items=1024,
    )


def _slow_averaged(workspace: Workspace) -> tuple[Edit, ...]:
    names = _names(workspace, "Slow sensor 1", "Slow sensor 2", "Slow sensor 3")
    return _several(
        workspace,
        names,
        DEFAULT_EVERY,
        stage=BlockAverage(count=64, shift=6),
        sampling=0.8,
        items=192,
    )


def _redundant(workspace: Workspace) -> tuple[Edit, ...]:
    free = _free_converters(workspace)
    lead = free[0]
    partner = next((item for item in free[1:] if item.name in lead.in_step_with), None)
    if partner is None:
        raise EditError(
            f"{workspace.part.name} has no two free converters that start in step.",
            cure="Use a part that has them.",
        )
    first, second = _names(workspace, "Safety signal", "Safety signal, twin")
    pin, other_pin = _pins(workspace, lead, 1)[0], ""
    other_pin = next(pin_name for pin_name in _pins(workspace, partner, 2) if pin_name != pin)
    chain = fresh_chain(workspace, lead, (first,), DEFAULT_EVERY)
    edits: tuple[Edit, ...] = (
        AddSignal(Signal(name=first, pin=pin)),
        AddSignal(
            Signal(
                name=second,
                pin=other_pin,
                redundant_pair=RedundantPair(paired_with=first, tolerance_v=0.05, consecutive=3),
            )
        ),
        AddChain(chain),
    )
    between = apply_edit(workspace, CompositeEdit(edits, ""))
    follower = fresh_chain(
        between, partner, (second,), DEFAULT_EVERY, FollowTrigger(follows=lead.name)
    )
    return (*edits, AddChain(follower))


def _lever(workspace: Workspace) -> tuple[Edit, ...]:
    full_v = workspace.reference_v
    zones = (("back", 0.0, 0.35), ("rest", 0.45, 0.55), ("forward", 0.65, 1.0))
    windows = tuple(
        Threshold(
            name=name,
            low=round(low * full_v, 3),
            high=round(high * full_v, 3),
            condition="inside",
            hysteresis_v=round(0.01 * full_v, 3),
        )
        for name, low, high in zones
    )
    return _several(
        workspace,
        _names(workspace, "Lever"),
        Fraction(1, 200),
        stage=BlockAverage(count=4, shift=2),
        windows=windows,
        items=32,
    )


TEMPLATES = (
    Template("One slow signal", "a sensor a hundred times a second, sampled long", _one_slow),
    Template(
        "Four signals, circular buffer",
        "a thousand times a second through one circular buffer",
        _four_round,
    ),
    Template("Fast single channel", "free-running where the part can", _fast_single),
    Template("Slow averaged sensors", "three sensors, each averaged over 64", _slow_averaged),
    Template("Redundant pair", "one signal on two converters in step, with a trip", _redundant),
    Template("Lever with zones", "rest and two sides, with hysteresis", _lever),
)
