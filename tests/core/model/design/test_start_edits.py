"""Edits of clock, trigger, retrieval, reader, start-up, slots in bulk, comparators and twins."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from wattigram.core.base.errors import EditError
from wattigram.core.model.design import (
    Code,
    Comparator,
    Dma,
    FreeRunningTrigger,
    Interrupt,
    LowPassFilter,
    MovingAverage,
    Project,
    Reader,
    RedundantPair,
    SoftwareTrigger,
    SumFilter,
    Threshold,
    TimerTrigger,
    Workspace,
)
from wattigram.core.model.design.edits import (
    AddThreshold,
    CompositeEdit,
    Edit,
    OrderSlots,
    RemoveChain,
    RemoveComparator,
    RemoveSignal,
    RenameSignal,
    SetClock,
    SetComparator,
    SetFilter,
    SetIsrCost,
    SetPeriod,
    SetPerTrigger,
    SetPin,
    SetProjectName,
    SetReader,
    SetRedundantPair,
    SetRetrieval,
    SetSamplings,
    SetStartup,
    SetThreshold,
    SetTrigger,
    SwapPins,
    apply_edit,
    describe,
)
from wattigram.core.model.design.project_file import parse_project, project_text

COMPARATOR = Comparator(name="Comparator 1", signal="Upper zone", threshold_v=1.6)
ORDER = ("calibrate", "converter", "memory", "interrupt", "trigger")
CASES: list[tuple[Edit, str, Callable[[Project], object], object]] = [
    (SetClock("ADC 1", "bus", 4), "Clock ADC 1 from the bus ÷ 4", lambda p: p.chains[0].divider, 4),
    (
        SetTrigger("ADC 1", FreeRunningTrigger()),
        "Start ADC 1 by itself, free-running",
        lambda p: p.chains[0].trigger.kind,
        "free-running",
    ),
    (
        SetPerTrigger("ADC 1", "continuous"),
        "Let a trigger of ADC 1 start scans continuously",
        lambda p: p.chains[0].per_trigger,
        "continuous",
    ),
    (
        SetRetrieval("ADC 1", Interrupt()),
        "Read results of ADC 1 out by interrupt",
        lambda p: p.chains[0].dma,
        None,
    ),
    (
        SetIsrCost("ADC 1", 99),
        "The ISR of ADC 1 takes 99 clk",
        lambda p: p.chains[0].buffer.isr_cycles,
        99,
    ),
    (
        SetReader("ADC 1", Reader(element_bits=8)),
        "Read samples of ADC 1 otherwise",
        lambda p: p.chains[0].read_as.element_bits,
        8,
    ),
    (
        SetStartup("ADC 1", ORDER),
        "Start ADC 1 up in another order",
        lambda p: p.chains[0].startup,
        ORDER,
    ),  # type: ignore[arg-type]
    (
        OrderSlots("ADC 1", (3, 2, 1, 0)),
        "Order the slots of ADC 1 as they are converted",
        lambda p: p.chains[0].slots[0].signal,
        "3.3 V rail",
    ),
    (
        SetSamplings("ADC 1", 64),
        "Sample all slots of ADC 1 for 64 clk",
        lambda p: {s.sampling_cycles for s in p.chains[0].slots},
        {64},
    ),
    (
        SetSamplings("ADC 1", 64, (0, 2)),
        "Sample 2 slots of ADC 1 for 64 clk",
        lambda p: [s.sampling_cycles for s in p.chains[0].slots],
        [64, 128, 64, 128],
    ),
    (RemoveChain("ADC 2"), "Do not use ADC 2", lambda p: len(p.chains), 1),
    (
        SetComparator(COMPARATOR),
        "Comparator 1 on Upper zone at 1.6 V",
        lambda p: p.comparators,
        (COMPARATOR,),
    ),
    (
        SetRedundantPair(
            "Upper zone, twin", RedundantPair(paired_with="Upper zone", tolerance_v=0.1)
        ),
        "Pair Upper zone, twin with Upper zone",
        lambda p: p.signals[4].redundant_pair.tolerance_v,
        0.1,
    ),
    (
        SetRedundantPair("Upper zone, twin", None),
        "Pair Upper zone, twin with none",
        lambda p: p.signals[4].partner,
        None,
    ),
    (
        SetFilter("Door latch", LowPassFilter(shift=4)),
        "Low-pass Door latch with shift 4",
        lambda p: p.signals[2].filter.count,
        16,
    ),
    (
        SetFilter("Door latch", MovingAverage(count=8, shift=3)),
        "Moving average of 8 for Door latch",
        lambda p: p.signals[2].filter.kind,
        "moving-average",
    ),
    (
        SetFilter("Door latch", SumFilter(count=8)),
        "Sum of 8 for Door latch",
        lambda p: p.signals[2].filter.shift,
        0,
    ),
    (
        SetPin("Door latch", "temperature"),
        "Take Door latch from temperature",
        lambda p: p.signals[2].pin,
        "temperature",
    ),
    (
        SwapPins("Coil current", "Door latch"),
        "Exchange the pins of Coil current and Door latch",
        lambda p: (p.signals[0].pin, p.signals[2].pin),
        ("A4", "A2"),
    ),
    (SetProjectName("Other"), "Call the project Other", lambda p: p.name, "Other"),
    (
        CompositeEdit((SetIsrCost("ADC 1", 1), SetIsrCost("ADC 2", 2)), "Both"),
        "Both",
        lambda p: [c.buffer.isr_cycles for c in p.chains],
        [1, 2],
    ),
]


@pytest.mark.parametrize(("edit", "label", "look", "value"), CASES, ids=[case[1] for case in CASES])
def test_an_edit_changes_one_thing_and_says_so(
    kiln: Workspace, edit: Edit, label: str, look: Callable[[Project], object], value: object
) -> None:
    after = apply_edit(kiln, edit)
    assert edit.label == label
    assert look(after.project) == value
    assert parse_project(project_text(after.project), "again") == after.project
    values = describe(edit)
    assert values["edit"] == getattr(edit, "scripts_say", type(edit).__name__)


def test_a_period_forgets_registers_written_by_hand(kiln: Workspace) -> None:
    odd = TimerTrigger(
        timer="Timer 2", period_s="100 us", prescaler_register=1, period_register=4800
    )
    wrong = apply_edit(kiln, SetTrigger("ADC 1", odd))
    trigger = apply_edit(wrong, SetPeriod("ADC 1", odd.period_s)).project.chains[0].trigger
    assert trigger == TimerTrigger(timer="Timer 2", period_s="100 us")
    with pytest.raises(EditError, match="not started by a timer"):
        apply_edit(
            apply_edit(kiln, SetTrigger("ADC 1", SoftwareTrigger())),
            SetPeriod("ADC 1", odd.period_s),
        )


def test_a_signal_goes_with_all_that_leans_on_it(kiln: Workspace) -> None:
    leaning = apply_edit(
        kiln, AddThreshold("Door latch", Threshold(low=-1, high=1, minus_signal="Upper zone"))
    )
    leaning = apply_edit(leaning, SetComparator(COMPARATOR))
    gone = apply_edit(leaning, RemoveSignal("Upper zone")).project
    assert gone.comparators == ()
    assert gone.signal("Door latch").thresholds == ()
    renamed = apply_edit(leaning, RenameSignal("Upper zone", "Top")).project
    assert renamed.comparators[0].signal == "Top"
    assert renamed.signal("Door latch").thresholds[0].minus_signal == "Top"


def test_limits_in_codes_are_kept_as_codes(kiln: Workspace) -> None:
    window = Threshold(low="0x1F0", high="2607 LSB", hysteresis_v=0.01)
    after = apply_edit(kiln, AddThreshold("Door latch", window))
    again = parse_project(project_text(after.project), "again").signal("Door latch").thresholds[0]
    assert isinstance(again.low, Code)
    assert (again.low, again.high) == (496, 2607)
    with pytest.raises(EditError, match="has no threshold 3"):
        apply_edit(after, SetThreshold("Door latch", 2, None))


def test_what_is_not_there_cannot_be_changed(kiln: Workspace) -> None:
    for edit in (RemoveChain("ADC 9"), SetIsrCost("ADC 9", 1), SwapPins("Coil current", "Nothing")):
        with pytest.raises(EditError):
            apply_edit(kiln, edit)
    with pytest.raises(EditError, match="has other slots"):
        apply_edit(kiln, OrderSlots("ADC 1", (0, 0, 1, 2)))
    assert apply_edit(kiln, RemoveComparator("Comparator 1")).project == kiln.project


def test_two_chains_cannot_share_a_dma_channel(kiln: Workspace) -> None:
    with pytest.raises(EditError, match="DMA channel"):
        apply_edit(kiln, SetRetrieval("ADC 2", Dma(channel="DMA 1")))
