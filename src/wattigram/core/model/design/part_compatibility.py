"""What a project wants and its part does not have at all."""

from __future__ import annotations

from wattigram.core.model.design.outputs import ChainFollow, Playback
from wattigram.core.model.design.project import Chain, Project
from wattigram.core.model.design.reaction import InputChanged, PointAction, output_of
from wattigram.core.model.design.retrieval import Dma, Fifo, Interrupt
from wattigram.core.model.design.route import DacDestination
from wattigram.core.model.design.sampling_groups import sampled_alike
from wattigram.core.model.design.trigger import (
    ComparatorTrigger,
    EdgeTrigger,
    FollowTrigger,
    TimerTrigger,
)
from wattigram.core.model.part import Converter, Part


class _Faults:
    """Sentences, each with what can be chosen instead."""

    def __init__(self, part: Part) -> None:
        self.part = part
        self.sentences: list[str] = []

    def known(self, value: object, choices: tuple[object, ...], what: str) -> None:
        """Note a value that the part does not offer."""
        if value not in choices:
            listed = ", ".join(str(choice) for choice in choices) or "none"
            self.sentences.append(
                f"{what} {value!s} is not to be had on {self.part.name}. Choose one of {listed}."
            )


def part_faults(project: Project, part: Part) -> tuple[str, ...]:
    """Sentences on what the project wants and the part does not have at all."""
    faults = _Faults(part)
    references = tuple(item.name for item in part.references)
    faults.known(project.reference, references, "reference:")
    for own in project.references:
        faults.known(own.name, references, "references:")
        known = part.reference(own.name)
        if known is not None and known.pin is not None:
            faults.sentences.append(
                f"references: “{own.name}” comes from pin {known.pin}, and what is wired there says what it is. "
                "State it on the bench, and remove it here."
            )
    if project.bus_clock_hz is not None and project.bus_clock_hz > part.processor.clock_hz:
        faults.sentences.append(
            f"bus_clock: above the {float(part.processor.clock_hz / 10**6):g} MHz of {part.name}. "
            "Lower it."
        )
    inputs = (
        *part.pins,
        *dict.fromkeys(item.name for converter in part.converters for item in converter.internal),
    )
    for signal in project.signals:
        faults.known(signal.pin, inputs, f"signal “{signal.name}”: pin")
        if signal.negative is not None:
            faults.known(signal.negative, part.pins, f"signal “{signal.name}”: negative pin")
    for wiring in project.bench:
        faults.known(wiring.pin, part.pins, "bench: pin")
    for chain in project.chains:
        faults.known(
            chain.converter, tuple(item.name for item in part.converters), "chain: converter"
        )
        converter = part.converter(chain.converter)
        if converter is not None:
            _chain_faults(faults, chain, converter)
            if converter.sequence == "ascending":
                _ascending_faults(faults, project, chain)
            _sampling_faults(faults, project, chain, converter)
            _trigger_faults(faults, project, chain, converter)
            _retrieval_faults(faults, chain, converter)
    _stage_faults(faults, project)
    _comparator_faults(faults, project)
    _generator_faults(faults, project)
    _output_faults(faults, project)
    _reaction_faults(faults, project)
    return tuple(faults.sentences)


def _chain_faults(faults: _Faults, chain: Chain, converter: Converter) -> None:
    name = chain.converter
    faults.known(chain.divider, converter.dividers, f"{name}: divider")
    faults.known(chain.bits, converter.bits, f"{name}: resolution")
    faults.known(chain.alignment, converter.alignments, f"{name}: alignment")
    faults.known(chain.per_trigger, converter.per_trigger, f"{name}: per_trigger")
    if chain.clock == "internal" and converter.oscillator is None:
        faults.sentences.append(
            f"{name} has no internal oscillator on {faults.part.name}. Use clock = “bus”."
        )
    if len(chain.slots) > converter.slots:
        faults.sentences.append(
            f"{name} has {converter.slots} slots, {len(chain.slots)} are wanted. Remove some."
        )
    for index, slot in enumerate(chain.slots, start=1):
        faults.known(
            slot.sampling_cycles,
            converter.sampling_cycles,
            f"{name}, slot {index}: sampling cycles",
        )


def _sampling_faults(faults: _Faults, project: Project, chain: Chain, converter: Converter) -> None:
    name = chain.converter
    if converter.one_sampling_time and len({slot.sampling_cycles for slot in chain.slots}) > 1:
        faults.sentences.append(
            f"{name} has one sampling time for all slots, and these differ. Give all the same."
        )
        return
    told: set[int] = set()
    for place, slot in enumerate(chain.slots):
        if place in told:
            continue
        alike = sampled_alike(project, faults.part, chain, place)
        told |= set(alike)
        if len({chain.slots[one].sampling_cycles for one in alike}) > 1:
            others = ", ".join(str(one + 1) for one in alike if one != place)
            faults.sentences.append(
                f"{name} samples slot {place + 1} ({slot.signal}) and slot {others} for one and the "
                "same time, and theirs differ. Give all the same."
            )


def _ascending_faults(faults: _Faults, project: Project, chain: Chain) -> None:
    """A converter that takes its channels in order takes each of them once."""
    inputs = [
        (project.signal(slot.signal).pin, project.signal(slot.signal).negative)
        for slot in chain.slots
    ]
    for slot, one in zip(chain.slots, inputs, strict=True):
        if inputs.count(one) > 1:
            faults.sentences.append(
                f"{chain.converter} goes up by channel and takes each once: {slot.signal} on "
                f"{one[0]} is there twice. "
                "Remove one slot."
            )
            return


def _trigger_faults(faults: _Faults, project: Project, chain: Chain, converter: Converter) -> None:
    part, trigger, name = faults.part, chain.trigger, chain.converter
    faults.known(trigger.kind, converter.triggers, f"{name}: trigger")
    match trigger:
        case TimerTrigger():
            _timer_faults(faults, trigger, name)
        case EdgeTrigger():
            faults.known(trigger.pin, part.pins, f"{name}: trigger pin")
        case ComparatorTrigger():
            known = tuple(item.name for item in project.comparators)
            faults.known(
                trigger.comparator, known, f"{name}: comparator, among those of the project,"
            )
        case FollowTrigger():
            faults.known(trigger.follows, converter.in_step_with, f"{name}: in step with")
        case _:
            pass


def _timer_faults(faults: _Faults, trigger: TimerTrigger, name: str) -> None:
    timers = tuple(
        name for group in faults.part.timers if group.can_trigger for name in group.names
    )
    faults.known(trigger.timer, timers, f"{name}: timer")
    group = faults.part.timer(trigger.timer)
    if group is None:
        return
    prescaler, period = trigger.prescaler_register, trigger.period_register
    if prescaler is not None and not group.has_prescaler(prescaler + 1):
        cure = (
            f"Choose one of {', '.join(map(str, group.prescalers))}, less one."
            if group.prescalers
            else "Lower it."
        )
        faults.sentences.append(
            f"{name}: prescaler_register {prescaler} is a prescaler of {prescaler + 1}, which {trigger.timer} "
            f"does not have. {cure}"
        )
    if period is not None and period >= 1 << group.counter_bits:
        faults.sentences.append(
            f"{name}: period_register {period} does not fit into {group.counter_bits} bits. Lower it."
        )


def _retrieval_faults(faults: _Faults, chain: Chain, converter: Converter) -> None:
    retrieval, loop = chain.readout, chain.buffer
    faults.known(retrieval.kind, converter.retrievals, f"{chain.converter}: readout")
    match retrieval:
        case Dma():
            channels = tuple(name for group in faults.part.dma for name in group.names)
            faults.known(retrieval.channel, channels, f"{chain.converter}: DMA channel")
            dma = faults.part.dma_channel(retrieval.channel)
            if dma is None:
                return
            faults.known(loop.element_bits, dma.widths, f"buffer {loop.name}: element width")
            faults.known(
                "loop" if retrieval.circular else "one-shot", dma.modes, f"buffer {loop.name}: mode"
            )
            if loop.samples > dma.items_max:
                faults.sentences.append(
                    f"buffer {loop.name}: {loop.samples} samples are more than {dma.items_max}. Shorten "
                    "it."
                )
        case Fifo() if retrieval.watermark > converter.fifo_items:
            faults.sentences.append(
                f"{chain.converter}: the FIFO holds {converter.fifo_items}, a watermark of "
                f"{retrieval.watermark} is never "
                "reached. Lower it."
            )
        case Interrupt(per="scan") if converter.result_registers < len(chain.slots):
            faults.sentences.append(
                f"{chain.converter} has {converter.result_registers} result register for "
                f"{len(chain.slots)} slots: an "
                "interrupt each scan would find only the last. Use one each conversion."
            )
        case _:
            pass


def _stage_faults(faults: _Faults, project: Project) -> None:
    for signal in project.signals:
        chain = project.chain_of(signal.name)
        converter = faults.part.converter(chain.converter) if chain else None
        if converter is None:
            continue
        hardware, stage = converter.hardware, signal.filter
        if stage is not None and stage.done_in == "hardware":
            faults.known(stage.kind, hardware.stages, f"“{signal.name}”: a hardware")
            if signal.slot_filter is not None and hardware.counts:
                faults.known(stage.count, hardware.counts, f"“{signal.name}”: a hardware count of")
        judged = [window for window in signal.thresholds if window.done_in == "hardware"]
        if len(judged) > hardware.windows:
            faults.sentences.append(
                f"“{signal.name}”: {converter.name} has {hardware.windows} hardware thresholds, "
                f"{len(judged)} are wanted. "
                "Let software judge them."
            )
        for window in judged:
            stream = (
                "deviation" if window.on_deviation else window.input if signal.filter else "raw"
            )
            faults.known(stream, hardware.windows_on, f"“{signal.name}”: a hardware threshold on")


def _comparator_faults(faults: _Faults, project: Project) -> None:
    for item in project.comparators:
        faults.known(
            item.name,
            tuple(comparator.name for comparator in faults.part.comparators),
            "comparator:",
        )
        known = faults.part.comparator(item.name)
        if known is None:
            continue
        faults.known(project.signal(item.signal).pin, known.inputs, f"{item.name}: input")
        faults.known(item.against, known.thresholds, f"{item.name}: threshold from")
        faults.known(item.hysteresis_v, known.hysteresis_v, f"{item.name}: hysteresis of")
        if item.against == "pin":
            faults.known(item.threshold_pin, known.threshold_pins, f"{item.name}: threshold pin")


def _generator_faults(faults: _Faults, project: Project) -> None:
    part = faults.part
    dacs = tuple(item.name for item in part.dacs)
    for generator in project.generators:
        faults.known(generator.dac, dacs, f"“{generator.name}”: DAC")
        dac = part.dac(generator.dac)
        if dac is not None and generator.reference is not None:
            faults.known(
                generator.reference, dac.references, f"“{generator.name}”: reference of {dac.name}"
            )
        if dac is not None and generator.double_buffered and not dac.can_buffer_twice:
            faults.sentences.append(
                f"“{generator.name}”: {dac.name} has one data register only. Use double_buffered "
                "= false."
            )
        if isinstance(generator.output, Playback):
            table = project.table(generator.output.table)
            _dma_faults(
                faults,
                generator.output.channel,
                f"“{generator.name}”",
                table.points if table else 0,
            )
            if isinstance(generator.output.update_trigger, ChainFollow):
                chain = project.chain(generator.output.update_trigger.follows)
                if chain is None or not isinstance(project.own_trigger(chain), TimerTrigger):
                    faults.sentences.append(
                        f"“{generator.name}” has a point for each trigger of "
                        f"{generator.output.update_trigger.follows}, which no timer "
                        "starts. Give one of them a timer."
                    )
            if isinstance(generator.output.update_trigger, TimerTrigger):
                _timer_faults(faults, generator.output.update_trigger, f"“{generator.name}”")


def _output_faults(faults: _Faults, project: Project) -> None:
    part = faults.part
    with_pwm = tuple(name for group in part.timers if group.pwm for name in group.pwm_pins)
    for pwm in project.pwm:
        faults.known(pwm.timer, with_pwm, f"“{pwm.name}”: timer with PWM")
        group = part.timer(pwm.timer)
        if pwm.whole and group is not None and not group.loads_after_dma:
            faults.sentences.append(
                f"“{pwm.name}”: {pwm.timer} does not wait for DMA to have written a whole value. Set whole "
                "to false."
            )
    uarts = tuple(name for group in part.uarts for name in group.names)
    for uart in project.uarts:
        faults.known(uart.name, uarts, "UART:")
        ports = part.uart(uart.name)
        if ports is not None and uart.data_bits not in ports.data_bits:
            faults.sentences.append(
                f"{uart.name} has no words of {uart.data_bits} bits. Choose "
                f"{' or '.join(str(bits) for bits in ports.data_bits)} data bits."
            )
    for route in project.routes:
        _dma_faults(faults, route.channel, f"route “{route.name}”", 0)
        if isinstance(route.destination, DacDestination):
            faults.known(
                route.destination.dac,
                tuple(item.name for item in part.dacs),
                f"route “{route.name}”: DAC",
            )
        if route.timer is not None:
            timers = tuple(
                name for group in part.timers if group.can_trigger for name in group.names
            )
            faults.known(route.timer.timer, timers, f"route “{route.name}”: timer")


def _pointing_faults(faults: _Faults, project: Project, name: str, do: PointAction) -> None:
    """The converter of a signal reaches the other input, and samples it for the same time."""
    chain = project.chain_of(do.signal)
    converter = faults.part.converter(chain.converter) if chain is not None else None
    if chain is None or converter is None:
        return
    inputs = (*converter.channels, *(item.name for item in converter.internal))
    faults.known(do.pin, inputs, f"reaction “{name}”: input of {converter.name}")
    if do.pin not in inputs:
        return
    who = f"reaction “{name}” points {do.signal} to {do.pin}, and {converter.name}"
    if converter.sequence == "software":
        faults.sentences.append(
            f"{who} is pointed to every slot by the program anew. Give {do.pin} a slot of its own."
        )
    elif converter.sequence == "ascending" and len(chain.slots) > 1:
        faults.sentences.append(
            f"{who} goes up by channel, so that slots would change their places. Give {do.pin} a slot of "
            "its own."
        )
    places = chain.places_of(do.signal)
    moved = project.replaced(
        signals=tuple(
            one.replaced(pin=do.pin) if one.name == do.signal else one for one in project.signals
        )
    )
    for place in places:
        alike = set(sampled_alike(moved, faults.part, chain, place)) - set(places)
        if any(
            chain.slots[one].sampling_cycles != chain.slots[place].sampling_cycles for one in alike
        ):
            faults.sentences.append(
                f"{who} samples that for another time, with slot {min(alike) + 1}. Give both the same."
            )
            return


def _reaction_faults(faults: _Faults, project: Project) -> None:
    ports = tuple(pin for port in faults.part.ports for pin in port.bits)
    dacs = tuple(item.name for item in faults.part.dacs)
    for reaction in project.reactions:
        if isinstance(reaction.when, InputChanged):
            faults.known(reaction.when.pin, ports, f"reaction “{reaction.name}”: port pin")
        if isinstance(reaction.do, PointAction):
            _pointing_faults(faults, project, reaction.name, reaction.do)
        output = output_of(reaction)
        known = {"pins": ports, "dac": dacs}.get(output.kind) if output is not None else None
        for name in output.names if output is not None and known is not None else ():
            what = "port pin" if output is not None and output.kind == "pins" else "DAC"
            faults.known(name, known or (), f"reaction “{reaction.name}”: {what}")


def _dma_faults(faults: _Faults, channel: str, what: str, items: int) -> None:
    faults.known(
        channel,
        tuple(name for group in faults.part.dma for name in group.names),
        f"{what}: DMA channel",
    )
    dma = faults.part.dma_channel(channel)
    if dma is not None and items > dma.items_max:
        faults.sentences.append(
            f"{what}: {items} points are more than {dma.items_max}. Take fewer."
        )
