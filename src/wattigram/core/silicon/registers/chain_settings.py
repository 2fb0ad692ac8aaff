"""What a chain sets its converter and its DMA to."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.base.errors import RegisterError
from wattigram.core.model.design import (
    Chain,
    ComparatorTrigger,
    Dma,
    EdgeTrigger,
    Fifo,
    FollowTrigger,
    FreeRunningTrigger,
    Interrupt,
    Slot,
    SoftwareTrigger,
    ThresholdTrigger,
    TimerTrigger,
    Workspace,
    pointed_pins,
)
from wattigram.core.model.design.outputs import Playback
from wattigram.core.model.part import Converter
from wattigram.core.predict.timing import scan_timing, slot_order
from wattigram.core.silicon.registers.equivalents import channel_settings, newest_result
from wattigram.core.silicon.registers.register_map import (
    RegisterMap,
    Symbol,
    Value,
    sampling_index,
)
from wattigram.core.silicon.registers.setup_step import SetupBuilder, SetupStep


def converter_step(workspace: Workspace, registers: RegisterMap, chain: Chain) -> SetupStep:
    """Clock, form of results, reference, trigger and slots of a converter."""
    converter = workspace.converter(chain)
    project = workspace.project
    step = SetupBuilder(registers, chain.converter)
    step.put("reference", project.reference, only=workspace.part.references[0].name)
    step.put("clock", chain.clock, only="bus")
    step.put("divider", chain.divider)
    step.put("bits", chain.bits, only=converter.bits[0])
    step.put("alignment", chain.alignment, only="right")
    for name, value in _trigger(workspace, chain):
        step.put(name, value, only="software" if name == "trigger" else None)
    step.put("per-trigger", chain.per_trigger, only="conversion")
    for name, value in _delivery(registers, chain):
        step.put(name, value, only="polling")
    if isinstance(chain.readout, Fifo):
        step.put("mark", chain.readout.watermark)
    _sequence(workspace, registers, chain, step)
    return SetupStep(
        "set-up",
        chain.converter,
        f"set up {chain.converter}",
        "Before it is enabled.",
        tuple(step.settings),
    )


def _trigger(workspace: Workspace, chain: Chain) -> Iterator[tuple[str, Value]]:
    trigger = chain.trigger
    match trigger:
        case FreeRunningTrigger():
            yield "trigger", "free-running"
        case TimerTrigger(timer=timer):
            yield "trigger", timer
        case EdgeTrigger(pin=pin, edge=edge):
            yield "trigger", "edge"
            yield "edge-pin", pin
            yield "edge", edge
        case ComparatorTrigger(comparator=name, edge=edge):
            yield "trigger", name
            yield "edge", edge
        case ThresholdTrigger(signal=signal, threshold=window):
            by_hardware = (
                workspace.project.signal(signal).thresholds[window - 1].done_in == "hardware"
            )
            yield "trigger", "threshold" if by_hardware else "software"
        case FollowTrigger(follows=leader):
            yield "trigger", leader
        case SoftwareTrigger():
            yield "trigger", "software"


def _delivery(registers: RegisterMap, chain: Chain) -> Iterator[tuple[str, Value]]:
    """How results are told, in one field or in a bit for each interrupt."""
    name, readout = chain.converter, chain.readout
    per = readout.per if isinstance(readout, Interrupt) else ""
    if registers.has(name, "delivery"):
        # A pass of one slot is a conversion, and not every part knows passes.
        table = registers.find(name, "delivery").field.table
        if per == "scan" and len(chain.slots) == 1 and "scan" not in table:
            per = "conversion"
        yield "delivery", per or readout.kind
        return
    if per == "scan" and len(chain.slots) == 1 and not registers.has(name, "tells-scan"):
        per = "conversion"
    bits = {"conversion": "tells-result", "scan": "tells-scan"}
    for one, bit in bits.items():
        if registers.has(name, bit) or one == per:
            yield bit, one == per
    if isinstance(readout, Fifo):
        yield "delivery", "fifo"  # nothing but that field could say it


def _sequence(
    workspace: Workspace, registers: RegisterMap, chain: Chain, step: SetupBuilder
) -> None:
    """Slots as the part counts them: by place, by channel, or one at a time."""
    converter, name = workspace.converter(chain), chain.converter
    order = slot_order(workspace, chain)
    channels = []
    for place in order:
        signal = workspace.project.signal(chain.slots[place].signal)
        channel = converter.channel(signal.pin, signal.negative)
        if channel is None:
            raise RegisterError(
                f"{name} cannot convert “{signal.name}”: no channel leads there.",
                cure="Move the signal to another pin.",
            )
        channels.append(channel)
    by = registers.counted_by(name, "sampling")
    if registers.has(name, "listed"):
        step.put("listed", frozenset(channels))
    elif registers.counted_by(name, "channel"):
        step.put("length", len(order))
        for place, channel in enumerate(channels):
            for what, value in channel_settings(registers, converter, channel):
                step.put(what, value, place)
    else:
        for what, value in channel_settings(registers, converter, channels[0]):
            step.put(what, value)
    for place, (slot, channel) in enumerate(
        zip((chain.slots[one] for one in order), channels, strict=True)
    ):
        index = sampling_index(converter, by, place, channel)
        if by or place == 0:
            clocks = slot.sampling
            whole = clocks.denominator == 1
            time = int(clocks) if whole else f"{float(clocks):g}"
            for one in dict.fromkeys((index, *_pointed_indices(workspace, converter, by, slot))):
                step.put("sampling", time, one)
        stage = workspace.project.signal(slot.signal).slot_filter
        if stage is not None:
            if place and not registers.counted_by(name, "repeats"):
                raise RegisterError(
                    f"{name} adds up results of its first slot alone, and not of “{slot.signal}”.",
                    cure="Put the signal first, or let software average it.",
                )
            step.put(
                "repeats",
                stage.count,
                channel if registers.counted_by(name, "repeats") == "channel" else place,
            )
            step.put(
                "shift",
                stage.shift,
                channel if registers.counted_by(name, "shift") == "channel" else place,
            )
        later = workspace.project.signal(slot.signal).later_filter
        if later is not None and later.done_in == "hardware":
            step.put(
                "low-pass",
                later.shift,
                channel if registers.counted_by(name, "low-pass") == "channel" else place,
            )


def _pointed_indices(
    workspace: Workspace, converter: Converter, by: str, slot: Slot
) -> Iterator[int]:
    """Registers with the sampling times of inputs that a slot is pointed to later."""
    if by in {"channel", "group"}:
        for pin in pointed_pins(workspace.project.reactions, slot.signal):
            channel = converter.channel(pin, None)
            if channel is not None:
                yield sampling_index(converter, by, 0, channel)


def chain_dma_step(
    workspace: Workspace, registers: RegisterMap, chain: Chain, dma: Dma
) -> SetupStep:
    """The DMA channel that carries a chain's results to its buffer."""
    step = SetupBuilder(registers, dma.channel)
    loop = chain.buffer
    step.put("request", chain.converter)
    step.put("from", newest_result(registers, chain.converter))
    step.put("to", Symbol("buffer", chain.converter))
    step.put("count", loop.samples)
    step.put("repeat", dma.circular, only=False)
    step.put("from-width", loop.element_bits, only=16)
    step.put("to-width", loop.element_bits, only=16)
    step.put("from-step", False, only=False)
    step.put("to-step", dma.increment, only=True)
    part = workspace.part.dma_channel(dma.channel)
    assert part is not None
    tells = dma.read_period_s is None
    step.put("half", part.half_mark and tells, only=False)
    step.put("full", part.full_mark and tells, only=False)
    return SetupStep(
        "set-up",
        dma.channel,
        f"{dma.channel} fills {loop.name}",
        f"{loop.samples} samples, from {chain.converter}.",
        tuple(step.settings),
    )


def stamp_channel(workspace: Workspace, chain: Chain) -> str | None:
    """The DMA channel that notes when each item of a chain was ready: the first that nothing else
    uses."""
    project = workspace.project
    stamped = [
        chain
        for chain in project.chains
        if isinstance(chain.readout, Dma) and not scan_timing(workspace, chain).is_even
    ]
    if chain not in stamped:
        return None
    used = {chain.readout.channel for chain in project.chains if isinstance(chain.readout, Dma)}
    used |= {
        generator.output.channel
        for generator in project.generators
        if isinstance(generator.output, Playback)
    }
    used |= {route.channel for route in project.routes}
    free = [
        name
        for group in workspace.part.dma
        for name in group.names
        if name not in used and 32 in group.widths
    ]
    place = stamped.index(chain)
    return free[place] if place < len(free) else None


def stamp_source(registers: RegisterMap, converter: str) -> int:
    """Address that says when the newest result was ready: the converter's own, else the system's
    ticks.

    Raises
    ------
    RegisterError
        When the part has neither.
    """
    if registers.has(converter, "result-ticks"):
        return registers.find(converter, "result-ticks").field_address
    if not registers.has(registers.system, "ticks-low"):
        raise RegisterError(
            f"{converter}: its instants cannot be told from numbers, and {registers.part.name} has no register "
            "that a DMA channel could note them from.",
            cure="Let a timer start it, or fetch by interrupt.",
        )
    return registers.find(registers.system, "ticks-low").field_address


def stamp_dma_step(
    workspace: Workspace, registers: RegisterMap, chain: Chain, dma: Dma
) -> SetupStep:
    """The DMA channel that notes when each result was ready. Raises :class:`RegisterError` where the part cannot."""
    channel = stamp_channel(workspace, chain)
    if channel is None:
        raise RegisterError(
            f"{chain.converter}: its instants cannot be told from numbers, and no DMA channel is "
            "left to note them.",
            cure="Free a DMA channel, fetch by interrupt, or let a timer start it.",
        )
    step = SetupBuilder(registers, channel)
    step.put("request", chain.converter)
    step.put("from", stamp_source(registers, chain.converter))
    step.put("to", Symbol("stamps", chain.converter))
    step.put("count", chain.buffer.samples)
    step.put("repeat", dma.circular, only=False)
    step.put("from-width", 32, only=32)
    step.put("to-width", 32, only=32)
    step.put("from-step", False, only=False)
    step.put("to-step", True, only=True)
    step.put("on", True)
    return SetupStep(
        "set-up",
        channel,
        f"{channel} notes when each sample of {chain.buffer.name} was ready",
        "Its instants do not follow from numbers.",
        tuple(step.settings),
    )
