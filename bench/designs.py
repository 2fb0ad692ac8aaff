"""Designs to be measured."""

from __future__ import annotations

from fractions import Fraction

from wattigram.core.model.bench import SineSource, Wiring
from wattigram.core.model.design import (
    BlockAverage,
    CircularBuffer,
    Dma,
    FollowTrigger,
    Project,
    Signal,
    Slot,
    Threshold,
    TimerTrigger,
    Trigger,
    Workspace,
)
from wattigram.core.model.design.project import Chain
from wattigram.core.model.part import find_part


def sixteen_by_two() -> Workspace:
    """Sixteen slots on each of two converters in step, every signal reduced and judged."""
    part = find_part("marten-m3")
    pins = list(part.converters[0].channels)
    signals = tuple(
        Signal(
            name=f"Signal {number + 1}",
            pin=pin,
            filter=BlockAverage(count=16, shift=4),
            thresholds=(Threshold(low=0.5, high=2.5, hysteresis_v=0.05),),
        )
        for number, pin in enumerate(pins)
    )
    bench = tuple(
        Wiring(
            pin=pin,
            source_resistance_ohm=100.0 * number,
            source=SineSource(
                offset_v=1.65, amplitude_v=1.0, frequency_hz=Fraction(50), noise_v=0.001
            ),
        )
        for number, pin in enumerate(pins)
    )

    def chain(converter: str, trigger: Trigger, dma: str, loop: str) -> Chain:
        slots = tuple(Slot(signal=signal.name, sampling_cycles=64) for signal in signals)
        return Chain(
            converter=converter,
            divider=3,
            trigger=trigger,
            readout=Dma(channel=dma),
            buffer=CircularBuffer(name=loop, samples=512),
            slots=slots,
        )

    chains = (
        chain("ADC 1", TimerTrigger(timer="Timer 1", period_s="1 ms"), "DMA 1", "Loop A"),
        chain("ADC 2", FollowTrigger(follows="ADC 1"), "DMA 2", "Loop B"),
    )
    project = Project(
        name="big", part=part.id, reference="supply", signals=signals, chains=chains, bench=bench
    )
    return Workspace(project, part)


def sixteen_fast() -> Workspace:
    """Sixteen signals at 100 kS/s each."""
    big = sixteen_by_two()
    signals = tuple(one.replaced(filter=None, thresholds=()) for one in big.project.signals)
    trigger = TimerTrigger(timer="Timer 1", period_s="10 us")
    chain = big.project.chains[0].replaced(trigger=trigger)
    return big.with_project(big.project.replaced(signals=signals, chains=(chain,)))
