"""Each mistake of acquisition: found before, seen on the board, named after, cured by its
remedy."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import pytest

from tests.conftest import edited
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.take import Take
from wattigram.core.judge import Proof, prove
from wattigram.core.model.bench import FloatingInput, TriangleSource, Wiring
from wattigram.core.model.design import (
    BlockAverage,
    Comparator,
    Dma,
    EdgesExpectation,
    Interrupt,
    LevelExpectation,
    Polling,
    Reader,
    SoftwareTrigger,
    Threshold,
    ThresholdExpectation,
    TimerTrigger,
    Workspace,
)
from wattigram.core.model.design.edits import (
    AddExpectation,
    Edit,
    SetAlignment,
    SetBufferLength,
    SetBusClock,
    SetCalibration,
    SetClock,
    SetComparator,
    SetElementWidth,
    SetFilter,
    SetIsrCost,
    SetPeriod,
    SetPerTrigger,
    SetReader,
    SetReference,
    SetRetrieval,
    SetSampling,
    SetStartup,
    SetThreshold,
    SetTrigger,
    SetWiring,
    apply_edit,
)

TakeOf = Callable[..., Take]


@dataclass(frozen=True)
class Mistake:
    """What is done wrong, the finding's code, and the cause's where that has another name."""

    name: str
    edits: tuple[Edit, ...]
    finding: str
    cause: str = ""
    seconds: float = 2.5
    alone: bool = True
    """No other mistake follows from it that fits as well."""


ORDER = ("calibrate", "memory", "interrupt", "converter", "trigger")
TIMER = TimerTrigger(timer="Timer 2", period_s="100 us")
NOISY = Wiring(
    pin="A3",
    source_resistance_ohm=4700.0,
    source=TriangleSource(from_v=1.2, to_v=2.2, period_s="4 s", noise_v=0.012),
)
ZONE = Threshold(low=0.4, high=2.1, hysteresis_v=0.01)


def order(*steps: str) -> Edit:
    return SetStartup("ADC 1", steps)  # type: ignore[arg-type]


MISTAKES = (
    Mistake("clock above its limit", (SetClock("ADC 1", "bus", 1),), "clock-too-fast"),
    Mistake("bus clock left low", (SetBusClock(1_000_000),), "clock-too-slow", alone=False),
    Mistake("trigger before the scan is done", (SetPeriod("ADC 1", "10 us"),), "trigger-too-short"),
    Mistake(
        "a sine sampled too slowly",
        (SetPeriod("ADC 1", "12500 us"),),
        "sampled-too-slowly",
        alone=False,
    ),
    Mistake(
        "started once",
        (SetTrigger("ADC 1", SoftwareTrigger(repeat=False)),),
        "started-once",
        seconds=1.0,  # mended, it runs as fast as it can
    ),
    Mistake(
        "one conversion, started once",
        (SetTrigger("ADC 1", SoftwareTrigger(repeat=False)), SetPerTrigger("ADC 1", "conversion")),
        "started-once",
        seconds=1.0,
    ),
    Mistake(
        "DMA not continuous",
        (SetRetrieval("ADC 1", Dma(channel="DMA 1", circular=False)),),
        "dma-not-endless",
    ),
    Mistake(
        "single run on a circular channel",
        (SetRetrieval("ADC 1", Dma(channel="DMA 1", single_run=True)),),
        "single-run-circular",
    ),
    Mistake(
        "DMA address stands still",
        (SetRetrieval("ADC 1", Dma(channel="DMA 1", increment=False)),),
        "dma-no-increment",
    ),
    Mistake(
        "converter before its DMA",
        (order("calibrate", "converter", "memory", "interrupt", "trigger"),),
        "startup-memory",
    ),
    Mistake(
        "interrupt not enabled",
        (order("calibrate", "memory", "converter", "trigger"),),
        "startup-interrupt",
    ),
    Mistake(
        "converter not enabled",
        (order("calibrate", "memory", "interrupt", "trigger"),),
        "startup-converter",
    ),
    Mistake(
        "trigger not started",
        (order("calibrate", "memory", "interrupt", "converter"),),
        "startup-trigger",
        seconds=1.0,
    ),
    Mistake(
        "calibrated too late",
        (order("memory", "interrupt", "converter", "calibrate", "trigger"),),
        "startup-calibrate",
        "not-calibrated",
    ),
    Mistake(
        "software start before the converter",
        (
            SetTrigger("ADC 1", SoftwareTrigger()),
            order("calibrate", "memory", "interrupt", "trigger", "converter"),
        ),
        "startup-trigger",
        seconds=1.0,
    ),
    Mistake(
        "samples read too narrow",
        (SetElementWidth("ADC 1", 32), SetReader("ADC 1", Reader(element_bits=16))),
        "item-width-read",
    ),
    Mistake(
        "samples read too wide", (SetReader("ADC 1", Reader(element_bits=32)),), "item-width-read"
    ),
    Mistake("samples too narrow", (SetElementWidth("ADC 1", 8),), "item-too-narrow"),
    Mistake(
        "left-aligned read as right-aligned",
        (SetAlignment("ADC 1", "left"), SetReader("ADC 1", Reader(alignment="right"))),
        "alignment-read",
        "wrong-alignment",
    ),
    Mistake("bytes exchanged", (SetReader("ADC 1", Reader(endianness="big")),), "byte-order-read"),
    Mistake("circular buffer out of step", (SetBufferLength("ADC 1", 510),), "loop-out-of-step"),
    Mistake("sampled too short", (SetSampling("ADC 1", 2, 32),), "sampling-too-short"),
    Mistake("not calibrated", (SetCalibration("ADC 1", False),), "not-calibrated"),
    Mistake("input above the reference", (SetReference("internal"),), "input-beyond-reference"),
    Mistake(
        "nothing connected",
        (SetWiring(Wiring(pin="A6", source_resistance_ohm=500.0, source=FloatingInput())),),
        "pin-floats",
        "floating-pin",
    ),
    Mistake(
        "count and shift differ",
        (SetFilter("3.3 V rail", BlockAverage(count=48, shift=5)),),
        "mean-shift-mismatch",
    ),
    Mistake(
        "register too narrow",
        (SetFilter("3.3 V rail", BlockAverage(count=64, shift=6, accumulator_bits=16)),),
        "sum-too-wide",
    ),
    Mistake(
        "limits exchanged",
        (SetThreshold("Upper zone", 0, ZONE.replaced(low=2.1, high=0.4)),),
        "window-swapped",
        seconds=5.0,
    ),
    Mistake(
        "raw samples judged",
        (SetWiring(NOISY), SetThreshold("Upper zone", 0, ZONE.replaced(input="raw"))),
        "window-on-raw",
        seconds=5.0,
    ),
    Mistake(
        "no hysteresis on a noisy slope",
        (SetWiring(NOISY), SetThreshold("Upper zone", 0, ZONE.replaced(hysteresis_v=0.0))),
        "window-chatters",
        seconds=5.0,
    ),
    Mistake(
        "interrupt of a threshold not enabled",
        (SetThreshold("Upper zone", 0, ZONE.replaced(interrupt_enabled=False)),),
        "window-not-enabled",
        seconds=5.0,
    ),
    Mistake(
        "threshold not armed again",
        (SetThreshold("Upper zone", 0, ZONE.replaced(rearm=False)),),
        "window-not-rearmed",
        seconds=9.0,
    ),
    Mistake(
        "chain stopped for good",
        (SetThreshold("Upper zone", 0, ZONE.replaced(action="stop")),),
        "chain-stays-stopped",
        seconds=5.0,
    ),
    Mistake(
        "value instead of value − 1",
        (SetTrigger("ADC 1", TIMER.replaced(prescaler_register=1, period_register=4800)),),
        "timer-registers",
    ),
    Mistake(
        "ISR longer than half a circular buffer",
        (SetIsrCost("ADC 1", 1_000_000),),
        "handler-too-slow",
    ),
    Mistake(
        "interrupt ISR longer than a sample",
        (SetRetrieval("ADC 1", Interrupt()), SetIsrCost("ADC 1", 3000)),
        "handler-too-slow",
    ),
    Mistake(
        "polling gives up too early",
        (SetTrigger("ADC 1", SoftwareTrigger()), SetRetrieval("ADC 1", Polling(timeout_s="1 us"))),
        "polling-times-out",
        seconds=1.0,
    ),
    Mistake(
        "comparator without hysteresis",
        (
            SetWiring(
                Wiring(
                    pin="A3",
                    source_resistance_ohm=4700.0,
                    source=TriangleSource(from_v=1.2, to_v=2.2, period_s="500 ms", noise_v=0.001),
                )
            ),
            SetComparator(Comparator(name="Comparator 1", signal="Upper zone", threshold_v=1.75)),
            AddExpectation(EdgesExpectation(signal="Upper zone")),
        ),
        "comparator-chatters",
        seconds=1.0,
    ),
    Mistake(
        "volts with another full scale",
        (SetReader("ADC 1", Reader(full_scale="2^N-1")),),
        "full-scale-read",
    ),
)


@pytest.fixture(scope="module")
def strict(cured: Workspace) -> Workspace:
    """The demo, its rail held to a few counts and every rate expected."""
    return edited(
        cured,
        AddExpectation(LevelExpectation(signal="3.3 V rail", level_v=3.3, within_v=0.006)),
        AddExpectation(ThresholdExpectation(signal="Upper zone", within_s="40 ms")),
    )


def names(proof: Proof) -> list[str]:
    return [cause.cause for cause in proof.causes]


def test_the_base_holds(strict: Workspace, take_of: TakeOf) -> None:
    proof = prove(strict, take_of(strict, 2.5))
    assert [verdict.text for verdict in proof.verdicts if verdict.outcome == "fails"] == []
    assert proof.causes == ()


@pytest.mark.parametrize("mistake", MISTAKES, ids=[mistake.name for mistake in MISTAKES])
def test_a_mistake_is_found_seen_named_and_cured(
    strict: Workspace, take_of: TakeOf, mistake: Mistake
) -> None:
    wrong = edited(strict, *mistake.edits)
    before = [finding for finding in find_all(wrong) if finding.code == mistake.finding]
    assert before, f"no finding; there are {[finding.code for finding in find_all(wrong)]}"
    proof = prove(wrong, take_of(wrong, mistake.seconds))
    failing = [verdict.text for verdict in proof.verdicts if verdict.outcome == "fails"]
    if mistake.finding == "full-scale-read":
        return  # 244 ppm is within what a reading may be off: it is found, and shows in no single take
    assert failing, "nothing fails"
    wanted = mistake.cause or mistake.finding
    assert wanted in names(proof), f"{names(proof)} for {failing}"
    first = next(cause for cause in proof.causes if cause.cause == wanted)
    assert first is proof.causes[0] or not mistake.alone, (
        f"{[(cause.cause, round(cause.fit, 3)) for cause in proof.causes]}"
    )
    assert first.evidence
    remedy = first.remedy or before[0].remedy
    if remedy is None:
        return  # what is wired wrong is mended at the bench
    cured = apply_edit(wrong, remedy)
    for _ in range(4):  # some mistakes have a second one inside
        left = [
            finding
            for finding in find_all(cured)
            if finding.code == mistake.finding and finding.remedy
        ]
        if not left:
            break
        cured = apply_edit(cured, left[0].remedy)
    again = prove(cured, take_of(cured, mistake.seconds))
    assert wanted not in names(again)
