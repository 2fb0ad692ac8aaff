"""What the design predicts of rates, misses and losses, held against the virtual board, on all
three parts."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import pytest

from wattigram.core.board import Run
from wattigram.core.model.bench import SineSource, SquareSource, TriangleSource, Wiring
from wattigram.core.model.design import (
    BlockAverage,
    CircularBuffer,
    Comparator,
    ComparatorTrigger,
    Dma,
    EdgeTrigger,
    Fifo,
    FollowTrigger,
    FreeRunningTrigger,
    Interrupt,
    Polling,
    Project,
    Retrieval,
    Signal,
    Slot,
    SoftwareTrigger,
    Threshold,
    ThresholdTrigger,
    TimerTrigger,
    Trigger,
    Workspace,
)
from wattigram.core.model.design.project import Chain
from wattigram.core.model.part import find_part
from wattigram.core.predict.timing import retrieval_timing, scan_timing
from wattigram.core.silicon.deploy import effective_config

PARTS = {
    "marten-m3": ("ADC 1", 3, 32, "supply", ("A0", "A1", "A2", "A3")),
    "quill-q8": ("ADC", 16, 4, "supply", ("C0", "C1", "C2", "C3")),
    "osprey-x2": ("ADC 1", 3, 36, "supply", ("A0", "A1", "A2", "A3")),
}


@dataclass(frozen=True)
class Design:
    """A design to be predicted and run."""

    name: str
    part: str
    trigger: Trigger
    retrieval: Retrieval
    slots: int = 1
    per_trigger: str = "scan"
    handler: int = 200
    items: int = 64
    clock: str = "bus"
    divider: int | None = None
    sampling: int | None = None
    repeats: int = 1
    seconds: float = 0.5

    def workspace(self) -> Workspace:
        """The design on its part."""
        converter, divider, sampling, reference, pins = PARTS[self.part]
        stage = (
            BlockAverage(
                count=self.repeats, shift=self.repeats.bit_length() - 1, done_in="hardware"
            )
            if self.repeats > 1
            else None
        )
        signals = tuple(
            Signal(name=f"S{number}", pin=pins[number], filter=stage)
            for number in range(self.slots)
        )
        chain = Chain(
            converter=converter,
            clock=self.clock,  # type: ignore[arg-type]
            divider=self.divider or divider,
            bits=max(find_part(self.part).converters[0].bits),
            trigger=self.trigger,
            per_trigger=self.per_trigger,  # type: ignore[arg-type]
            readout=self.retrieval,
            buffer=CircularBuffer(name="L", samples=self.items, isr_cycles=self.handler),
            slots=tuple(
                Slot(signal=signal.name, sampling_cycles=self.sampling or sampling)
                for signal in signals
            ),
        )
        bench = tuple(
            Wiring(
                pin=pin,
                source_resistance_ohm=100.0,
                source=SineSource(offset_v=1.65, amplitude_v=1.0, frequency_hz=Fraction(50)),
            )
            for pin in pins[:3]
        )
        square = Wiring(
            pin=pins[3],
            source_resistance_ohm=50.0,
            source=SquareSource(low_v=0.1, high_v=3.2, period_s="10 ms", duty=0.3),
        )
        project = Project(
            name="x",
            part=self.part,
            reference=reference,
            signals=signals,
            chains=(chain,),
            bench=(*bench, square) if self.slots < 4 else bench,
        )
        return Workspace(project, find_part(self.part))


def every(text: str, timer: str = "Timer 1") -> TimerTrigger:
    return TimerTrigger(timer=timer, period_s=text)


QUILL = every("5 ms", "Timer")
DESIGNS = (
    Design("timer, DMA", "marten-m3", every("100 us"), Dma(channel="DMA 1"), 3),
    Design("timer too short", "marten-m3", every("5 us"), Dma(channel="DMA 1"), 4, items=512),
    Design(
        "one slot a trigger",
        "marten-m3",
        every("20 us"),
        Dma(channel="DMA 1"),
        3,
        "conversion",
        items=96,
    ),
    Design(
        "one slot a trigger, too short",
        "marten-m3",
        every("1 us"),
        Dma(channel="DMA 1"),
        3,
        "conversion",
        items=960,
    ),
    Design(
        "continuous", "marten-m3", every("1 ms"), Dma(channel="DMA 1"), 2, "continuous", items=1024
    ),
    Design("free-running", "marten-m3", FreeRunningTrigger(), Dma(channel="DMA 1"), 1, items=2048),
    Design(
        "free-running, slow ISR",
        "marten-m3",
        FreeRunningTrigger(),
        Dma(channel="DMA 1"),
        1,
        handler=30_000,
        items=256,
    ),
    Design("interrupt each conversion", "marten-m3", every("50 us"), Interrupt(), 1),
    Design("interrupt, burst of four", "marten-m3", every("100 us"), Interrupt(), 4, handler=300),
    Design("interrupt, too slow", "marten-m3", every("10 us"), Interrupt(), 1, handler=2000),
    Design("software and polling", "marten-m3", SoftwareTrigger(), Polling(), 1),
    Design("software and polling, three slots", "marten-m3", SoftwareTrigger(), Interrupt(), 3),
    Design("polled, timer", "marten-m3", every("40 us"), Polling(), 1, handler=900),
    Design("polled, timer, too slow", "marten-m3", every("10 us"), Polling(), 1, handler=1500),
    Design("edge", "marten-m3", EdgeTrigger(pin="A3"), Interrupt(), 2),
    Design("both edges", "marten-m3", EdgeTrigger(pin="A3", edge="both"), Dma(channel="DMA 1"), 2),
    Design("once", "marten-m3", SoftwareTrigger(repeat=False), Polling(), 2),
    Design("one channel, polled", "quill-q8", SoftwareTrigger(), Polling(), 1, handler=60),
    Design("three channels, re-pointed", "quill-q8", SoftwareTrigger(), Interrupt(), 3, handler=80),
    Design("timer, three channels", "quill-q8", QUILL, Interrupt(), 3, handler=120, items=12),
    Design(
        "timer, channels too slow",
        "quill-q8",
        every("200 us", "Timer"),
        Interrupt(),
        3,
        handler=1200,
    ),
    Design(
        "free-running, slow ISR, Quill",
        "quill-q8",
        FreeRunningTrigger(),
        Interrupt(),
        1,
        handler=400,
    ),
    Design(
        "internal oscillator",
        "quill-q8",
        FreeRunningTrigger(),
        Interrupt(),
        1,
        clock="internal",
        divider=2,
        handler=50,
    ),
    Design("FIFO", "osprey-x2", every("20 us"), Fifo(watermark=8), 4, handler=900),
    Design("FIFO overflows", "osprey-x2", every("5 us"), Fifo(watermark=12), 2, handler=9000),
    Design(
        "interrupt each scan", "osprey-x2", every("100 us"), Interrupt(per="scan"), 4, handler=500
    ),
    Design(
        "interrupt each scan, too slow",
        "osprey-x2",
        every("20 us"),
        Interrupt(per="scan"),
        4,
        handler=4000,
    ),
    Design(
        "hardware mean of 16", "osprey-x2", every("500 us"), Dma(channel="DMA 1"), 2, repeats=16
    ),
    Design("hardware mean, polled", "osprey-x2", SoftwareTrigger(), Polling(), 1, repeats=8),
)


@pytest.mark.parametrize("design", DESIGNS, ids=[design.name for design in DESIGNS])
def test_the_board_does_what_was_predicted(design: Design) -> None:
    workspace = design.workspace()
    chain = workspace.project.chains[0]
    cycle, retrieval = scan_timing(workspace, chain), retrieval_timing(workspace, chain)
    config = effective_config(workspace)
    run = Run(config)
    end = int(design.seconds * config.tick_hz)
    for at in range(1, 5):
        run.advance(end * at // 4)
    run.finish()
    totals, seconds = run.totals(), design.seconds
    if cycle.items_limit is not None:
        assert totals["converted.0"] == cycle.items_limit == totals["items.0"]
        return
    tolerance = 0.045 if design.clock == "internal" else 0.003
    rate_hz = float(cycle.cycle_rate_hz) * len(chain.slots)
    assert totals["converted.0"] / seconds == pytest.approx(
        rate_hz, rel=tolerance, abs=2 * len(chain.slots) / seconds
    )
    assert totals["missed.0"] / seconds == pytest.approx(
        float(cycle.missed_hz), rel=0.01, abs=4 / seconds
    )
    lost_hz = float(retrieval.lost_hz)
    assert totals["lost.0"] / seconds == pytest.approx(
        lost_hz, rel=0.03, abs=0.002 * rate_hz + 4 / seconds
    )
    if not lost_hz:
        assert totals["items.0"] == totals["converted.0"]


def test_jitter_is_no_more_than_predicted_and_nearly_all_of_it() -> None:
    design = Design("x", "quill-q8", SoftwareTrigger(), Polling(), 1, handler=60)
    workspace = design.workspace()
    cycle = scan_timing(workspace, workspace.project.chains[0])
    config = effective_config(workspace)
    run = Run(config)
    starts = run.channels[0].pace.advance(float(config.tick_hz // 4)).ticks / config.tick_hz
    steps = starts[1:] - starts[:-1]
    assert steps.mean() == pytest.approx(float(cycle.cycle_s), rel=0.002)
    assert float(steps.max() - steps.min()) == pytest.approx(float(cycle.jitter_s), rel=1e-6)


def test_a_follower_is_held_with_its_leader() -> None:
    workspace = Design("x", "osprey-x2", every("50 us"), Dma(channel="DMA 1"), 2).workspace()
    lead = workspace.project.chains[0]
    follower = lead.replaced(
        converter="ADC 2",
        trigger=FollowTrigger(follows="ADC 1"),
        readout=Dma(channel="DMA 2"),
        buffer=lead.buffer.replaced(name="M"),
    )
    both = Workspace(workspace.project.replaced(chains=(lead, follower)), workspace.part)
    timings = [scan_timing(both, chain) for chain in both.project.chains]
    assert [slot.held_s for slot in timings[0].slots] == [slot.held_s for slot in timings[1].slots]
    totals = Run(effective_config(both))
    totals.advance(60_000_000)
    assert totals.totals()["converted.0"] == totals.totals()["converted.1"]


def triggered_by(trigger: Trigger, source: TriangleSource) -> Workspace:
    """A watched signal on one converter, and a chain that it starts on another."""
    workspace = Design("x", "marten-m3", every("100 us"), Dma(channel="DMA 1"), 1).workspace()
    project = workspace.project
    watched = Signal(
        name="Watched",
        pin="A2",
        thresholds=(Threshold(low=0.5, high=2.0, input="raw", hysteresis_v=0.05),),
    )
    signals = (watched, Signal(name="Second", pin="B0"))
    lead = project.chains[0].replaced(slots=(Slot(signal="Watched", sampling_cycles=32),))
    other = lead.replaced(
        converter="ADC 2",
        trigger=trigger,
        readout=Interrupt(),
        buffer=lead.buffer.replaced(name="M"),
        slots=(Slot(signal="Second", sampling_cycles=32),),
    )
    bench = (
        Wiring(pin="A2", source_resistance_ohm=100.0, source=source),
        Wiring(pin="B0", source_resistance_ohm=1.0, source=source),
    )
    comparators = (Comparator(name="Comparator 1", signal="Watched", threshold_v=1.65),)
    changed = project.replaced(
        signals=signals, chains=(lead, other), bench=bench, comparators=comparators
    )
    return Workspace(changed, workspace.part)


@pytest.mark.parametrize(
    ("trigger", "a_period"),
    [
        (ThresholdTrigger(signal="Watched"), 1),
        (ComparatorTrigger(comparator="Comparator 1", edge="both"), 2),
    ],
)
def test_events_start_the_other_chain(trigger: Trigger, a_period: int) -> None:
    workspace = triggered_by(trigger, TriangleSource(from_v=1.0, to_v=2.5, period_s="20 ms"))
    cycle = scan_timing(workspace, workspace.project.chains[1])
    assert cycle.cycle_rate_hz == pytest.approx(50 * a_period)
    config = effective_config(workspace)
    run = Run(config)
    run.advance(config.tick_hz)
    assert run.totals()["converted.1"] == pytest.approx(50 * a_period, abs=1)


@pytest.mark.parametrize("by", ["hardware", "software"])
def test_a_window_stops_its_chain_and_arms_it_again(by: str) -> None:
    """Hardware stops within the cycle; the program only looks at the mark."""
    base = Design("x", "osprey-x2", every("100 us"), Dma(channel="DMA 1"), 1, items=64).workspace()
    stop = Threshold(
        low=0.5, high=2.0, input="raw", action="stop", rearm_after_s="20 ms", done_in=by
    )  # type: ignore[arg-type]
    signals = (base.project.signals[0].replaced(thresholds=(stop,)),)
    workspace = Workspace(base.project.replaced(signals=signals), base.part)
    config = effective_config(workspace)
    run = Run(config)
    run.advance(config.tick_hz)
    # A 50 Hz sine of 1.65 ± 1 V leaves 0.5 to 2.0 V for most of each period: it is stopped again
    # and again.
    share = run.totals()["converted.0"] / 10_000
    assert share == pytest.approx({"hardware": 0.05, "software": 0.15}[by], abs=0.08)
    assert 20 < run.totals()["converted.0"] < 3000
