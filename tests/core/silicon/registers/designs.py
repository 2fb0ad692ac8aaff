"""Random designs over all parts, to go from settings to registers and back."""

from __future__ import annotations

import random
from fractions import Fraction

from wattigram.core.contract.shapes import SineShape
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import (
    BlockAverage,
    Chain,
    CircularBuffer,
    Dma,
    EdgeTrigger,
    Fifo,
    FollowTrigger,
    FreeRunningTrigger,
    Interrupt,
    LowPassFilter,
    Polling,
    Project,
    Signal,
    Slot,
    SoftwareTrigger,
    SumFilter,
    Threshold,
    TimerTrigger,
    Workspace,
    part_faults,
)
from wattigram.core.model.design.outputs import (
    ConstantLevel,
    Generator,
    GeneratorFollow,
    Playback,
    PwmOutput,
    UartSetup,
    WaveTable,
)
from wattigram.core.model.part import Converter, Part, find_part, list_parts


def random_workspace(seed: int) -> Workspace:
    """A design that the part admits; sensible or not."""
    for attempt in range(200):
        dice = random.Random(f"{seed} {attempt}")
        part = find_part(dice.choice(list_parts()).id)
        project = _project(dice, part)
        if project is not None and not part_faults(project, part):
            return Workspace(project, part)
    raise AssertionError(f"no design for seed {seed}")


def _project(dice: random.Random, part: Part) -> Project | None:
    signals: list[Signal] = []
    chains: list[Chain] = []
    free_dma = [name for group in part.dma for name in group.names]
    dice.shuffle(free_dma)
    timers = [name for group in part.timers for name in group.names]
    for converter in part.converters[: dice.randint(1, len(part.converters))]:
        chains.append(_chain(dice, part, converter, signals, chains, timers, free_dma))
    tables, generators = _generators(dice, part, timers, free_dma)
    pwm = []
    with_pwm = [name for group in part.timers for name in group.pwm_pins if name in timers]
    if with_pwm and dice.random() < 0.4:
        timer = dice.choice(with_pwm)
        every = Fraction(dice.randint(50, 40_000), 96_000_000)
        pwm.append(
            PwmOutput(
                name="heater",
                timer=timer,
                period_s=every,
                duty=dice.random(),
                preload=dice.random() < 0.5,
            )
        )
    uarts = []
    names = [name for group in part.uarts for name in group.names]
    if names and dice.random() < 0.4:
        baud = dice.choice([9600, 38400, 115200, 250000])
        uarts.append(
            UartSetup(
                name=dice.choice(names), baud=baud, parity=dice.choice(["none", "even", "odd"])
            )
        )
    pins = {pin for signal in signals for pin in (signal.pin, signal.negative) if pin in part.pins}
    return Project(
        name="random",
        part=part.id,
        reference=dice.choice(part.references).name,
        signals=tuple(signals),
        chains=tuple(chains),
        tables=tuple(tables),
        generators=tuple(generators),
        pwm=tuple(pwm),
        uarts=tuple(uarts),
        bench=tuple(
            Wiring(pin=pin, source_resistance_ohm=1000.0, source=DcSource(voltage_v=0.7))
            for pin in sorted(pins)
        ),
    )


def _chain(
    dice: random.Random,
    part: Part,
    converter: Converter,
    signals: list[Signal],
    before: list[Chain],
    timers: list[str],
    free_dma: list[str],
) -> Chain:
    slots = []
    inputs: list[tuple[str, str | None]] = [(pin, None) for pin in converter.channels]
    inputs += [(pair.positive, pair.negative) for pair in converter.pairs]
    inputs += [(item.name, None) for item in converter.internal]
    common = dice.choice(converter.sampling_cycles)
    for pin, negative in dice.sample(inputs, dice.randint(1, min(5, converter.slots))):
        name = f"{converter.name}, {pin}{negative or ''}"
        signals.append(
            Signal(
                name=name,
                pin=pin,
                negative=negative,
                scaling=dice.choice([Fraction(1), Fraction(1, 2), Fraction(120)]),
                filter=_stage(dice, converter),
                thresholds=_windows(dice, converter, signals),
            )
        )
        cycles = common if converter.one_sampling_time else dice.choice(converter.sampling_cycles)
        slots.append(Slot(signal=name, sampling_cycles=cycles))
    if converter.sequence != "ascending" and dice.random() < 0.3 and len(slots) < converter.slots:
        slots.append(slots[0])
    retrieval = _retrieval(dice, converter, len(slots), free_dma)
    leaders = [chain.converter for chain in before if not isinstance(chain.trigger, FollowTrigger)]
    triggers = [
        SoftwareTrigger(repeat=dice.random() < 0.8),
        FreeRunningTrigger(),
        TimerTrigger(timer=timers.pop(0), period_s=Fraction(dice.randint(1, 5000), 1_000_000)),
        EdgeTrigger(pin=dice.choice(part.pins), edge=dice.choice(["rising", "falling", "both"])),
    ]
    triggers += [FollowTrigger(follows=name) for name in leaders if name in converter.in_step_with]
    steps = ["calibrate", "memory", "interrupt", "window", "converter", "trigger"]
    chain = Chain(
        converter=converter.name,
        clock="internal" if converter.oscillator and dice.random() < 0.4 else "bus",
        divider=dice.choice(converter.dividers),
        bits=dice.choice(converter.bits),
        alignment=dice.choice(converter.alignments),
        calibrate=dice.random() < 0.8,
        trigger=dice.choice(
            [trigger for trigger in triggers if trigger.kind in converter.triggers]
        ),
        per_trigger=dice.choice(converter.per_trigger),
        readout=retrieval,
        buffer=CircularBuffer(
            name=f"of {converter.name}",
            samples=2 * dice.randint(1, 300),
            element_bits=dice.choice([8, 16, 32]),
        ),
        slots=tuple(slots),
    )
    if dice.random() < 0.3:
        wanted = {"converter", "trigger"}
        wanted |= {"calibrate"} if converter.needs_calibration and chain.calibrate else set()
        wanted |= {"memory"} if chain.dma else set()
        wanted |= {"interrupt"} if retrieval.kind != "polling" else set()
        wanted |= {"window"} if any(_judged(signals, slot.signal) for slot in slots) else set()
        order = [
            step for step in steps if step in wanted and (step == "trigger" or dice.random() < 0.9)
        ]
        if isinstance(chain.trigger, (TimerTrigger, SoftwareTrigger, FreeRunningTrigger)):
            dice.shuffle(order)
        return chain.replaced(startup=tuple(order))
    return chain


def _judged(signals: list[Signal], name: str) -> bool:
    return any(
        window.done_in == "hardware"
        for signal in signals
        if signal.name == name
        for window in signal.thresholds
    )


def _stage(
    dice: random.Random, converter: Converter
) -> SumFilter | BlockAverage | LowPassFilter | None:
    hardware = converter.hardware
    if not hardware.counts or dice.random() < 0.4:
        return None
    by = dice.choice(["hardware", "software"])
    count = dice.choice(hardware.counts)
    kinds = [
        SumFilter(count=count, shift=dice.randint(0, 4), accumulator_bits=24, done_in=by),
        BlockAverage(count=count, shift=dice.randint(0, 8), accumulator_bits=24, done_in=by),
        LowPassFilter(shift=dice.randint(1, 8), accumulator_bits=24, done_in=by),
    ]
    return dice.choice(kinds)


def _windows(
    dice: random.Random, converter: Converter, signals: list[Signal]
) -> tuple[Threshold, ...]:
    taken = sum(
        window.done_in == "hardware"
        for signal in signals
        if signal.name.startswith(f"{converter.name},")
        for window in signal.thresholds
    )
    if taken >= converter.hardware.windows or dice.random() < 0.6:
        return ()
    low = dice.uniform(0.1, 1.0)
    return (
        Threshold(
            low=low,
            high=low + dice.uniform(0.1, 1.0),
            condition=dice.choice(["outside", "inside", "above", "below"]),
            input=dice.choice(["raw", "filtered"]),
            minus_v=dice.choice([None, 0.25]),
            hysteresis_v=dice.choice([0.0, 0.02]),
            consecutive=dice.randint(1, 4),
            on=dice.choice(["crossing", "every-result"]),
            action=dice.choice(["event", "stop"]),
            done_in="hardware",
            interrupt_enabled=dice.random() < 0.8,
            rearm=dice.random() < 0.8,
        ),
    )


def _retrieval(
    dice: random.Random, converter: Converter, slots: int, free_dma: list[str]
) -> Polling | Interrupt | Fifo | Dma:
    kind = dice.choice(converter.retrievals)
    if kind == "dma" and free_dma:
        return Dma(
            channel=free_dma.pop(), circular=dice.random() < 0.8, increment=dice.random() < 0.8
        )
    if kind == "fifo":
        return Fifo(watermark=dice.randint(1, converter.fifo_items))
    if kind == "interrupt":
        return Interrupt(
            per="scan"
            if converter.result_registers >= slots and dice.random() < 0.5
            else "conversion"
        )
    return Polling()


def _generators(
    dice: random.Random, part: Part, timers: list[str], free_dma: list[str]
) -> tuple[list[WaveTable], list[Generator]]:
    tables: list[WaveTable] = []
    found: list[Generator] = []
    for dac in part.dacs:
        pick = dice.random()
        if pick < 0.3:
            continue
        output: ConstantLevel | Playback = ConstantLevel(voltage_v=dice.uniform(0.2, 2.0))
        if pick > 0.5 and free_dma and timers:
            points = dice.choice([8, 50, 256])
            table = WaveTable(
                name=f"wave {len(tables)}",
                points=points,
                amplitude_v=0.6,
                offset_v=0.8,
                shape=SineShape(),
            )
            tables.append(table)
            leaders = [
                one.name
                for one in found
                if isinstance(one.output, Playback) and one.output.update_trigger.kind == "timer"
            ]
            every = Fraction(dice.randint(2, 500), 1_000_000)
            trigger = (
                GeneratorFollow(follows=leaders[0])
                if leaders and dice.random() < 0.5
                else TimerTrigger(timer=timers.pop(), period_s=every)
            )
            output = Playback(
                table=table.name,
                update_trigger=trigger,
                channel=free_dma.pop(),
                repeat=dice.random() < 0.7,
                start_index=dice.randint(0, points - 1),
            )
        found.append(
            Generator(
                name=f"out {dac.name}",
                dac=dac.name,
                output=output,
                double_buffered=dice.random() < 0.6,
                buffered=dice.random() < 0.6,
            )
        )
    return tables, found
