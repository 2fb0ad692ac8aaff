"""What a part does not have is said with what can be chosen instead."""

from __future__ import annotations

import pytest

from tests.paths import EXAMPLES
from wattigram.core.base.errors import EditError
from wattigram.core.model.design import (
    BlockAverage,
    Comparator,
    Dma,
    EdgeTrigger,
    Fifo,
    FollowTrigger,
    Interrupt,
    LowPassFilter,
    Polling,
    SumFilter,
    Threshold,
    TimerTrigger,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import (
    AddSlot,
    AddThreshold,
    Edit,
    SetAlignment,
    SetClock,
    SetComparator,
    SetElementWidth,
    SetFilter,
    SetPerTrigger,
    SetPin,
    SetRetrieval,
    SetSampling,
    SetTrigger,
    apply_edit,
)


@pytest.fixture(scope="module")
def pedal() -> Workspace:
    return open_workspace(EXAMPLES / "wheel-pedal")


@pytest.fixture(scope="module")
def safety() -> Workspace:
    return open_workspace(EXAMPLES / "kiln-safety")


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (
            SetRetrieval("ADC", Dma(channel="DMA 1")),
            "readout dma is not to be had on Quill Q8. Choose one of polling",
        ),
        (SetRetrieval("ADC", Fifo(watermark=4)), "readout fifo is not to be had"),
        (SetRetrieval("ADC", Interrupt(per="scan")), "has 1 result register for 2 slots"),
        (SetTrigger("ADC", FollowTrigger(follows="ADC")), "no chain with a trigger of its own"),
        (
            SetTrigger("ADC", TimerTrigger(timer="Timer 7", period_s="1 ms")),
            "timer Timer 7 is not to be had",
        ),
        (
            SetTrigger("ADC", TimerTrigger(timer="Timer", period_s="1 ms", period_register=1024)),
            "does not fit into 10 bits",
        ),
        (SetTrigger("ADC", EdgeTrigger(pin="A0")), "trigger pin A0 is not to be had"),
        (SetSampling("ADC", 0, 4), "one sampling time for all slots"),
        (SetClock("ADC", "bus", 3), "divider 3 is not to be had"),
        (SetPin("Pedal", "supply ÷ 2"), "pin supply ÷ 2 is not to be had"),
        (
            SetFilter("Pedal", BlockAverage(count=4, shift=2, done_in="hardware")),
            "a hardware block-average is not to be had",
        ),
        (
            AddThreshold("Pedal", Threshold(low=1, high=2, done_in="hardware")),
            "has 0 hardware thresholds, 1 are wanted",
        ),
        (
            SetComparator(Comparator(name="Comparator 1", signal="Pedal", threshold_v=1)),
            "comparator: Comparator 1",
        ),
    ],
)
def test_the_small_part_says_what_it_has_not(pedal: Workspace, edit: Edit, words: str) -> None:
    with pytest.raises(EditError) as caught:
        apply_edit(pedal, edit)
    assert words in str(caught.value)


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (SetClock("ADC 1", "internal", 4), "has no internal oscillator"),
        (
            SetRetrieval("ADC 2", Fifo(watermark=17)),
            "The FIFO holds 16, a watermark of 17 is never reached",
        ),
        (
            SetFilter("Upper zone", BlockAverage(count=24, shift=4, done_in="hardware")),
            "a hardware count of 24 is not to be had",
        ),
        (
            SetFilter("Upper zone", SumFilter(count=512, done_in="hardware")),
            "a hardware count of 512",
        ),
        (SetPin("Coil current", "A2", "A3"), ""),
        (
            SetComparator(
                Comparator(
                    name="Comparator 1", signal="Door latch", threshold_v=1, hysteresis_v=0.01
                )
            ),
            "hysteresis of 0.01",
        ),
        (
            SetComparator(Comparator(name="Comparator 2", signal="Upper zone", threshold_v=1)),
            "input A2 is not to be had",
        ),
        (
            SetComparator(
                Comparator(name="Comparator 1", signal="Upper zone", against="pin", threshold_v=1)
            ),
            "threshold pin None",
        ),
        (SetElementWidth("ADC 1", 16), ""),
        (SetPerTrigger("ADC 1", "conversion"), ""),
        (SetAlignment("ADC 1", "left"), ""),
    ],
)
def test_the_large_part_says_what_it_has_not(safety: Workspace, edit: Edit, words: str) -> None:
    if not words:
        apply_edit(safety, edit)
        return
    with pytest.raises(EditError) as caught:
        apply_edit(safety, edit)
    assert words.lower() in str(caught.value).lower()


def test_a_low_pass_in_hardware_and_many_windows(safety: Workspace) -> None:
    assert apply_edit(safety, SetFilter("3.3 V rail", LowPassFilter(shift=4, done_in="hardware")))
    crowded = safety
    for _ in range(4):
        crowded = apply_edit(
            crowded,
            AddThreshold("Door latch", Threshold(low=1, high=2, done_in="hardware", input="raw")),
        )
    with pytest.raises(EditError, match="has 4 hardware thresholds, 5 are wanted"):
        apply_edit(
            crowded,
            AddThreshold("Door latch", Threshold(low=1, high=2, done_in="hardware", input="raw")),
        )


def test_a_signal_twice_is_possible_where_order_is_free(kiln: Workspace, safety: Workspace) -> None:
    assert len(apply_edit(kiln, AddSlot("ADC 1", "Coil current", 32)).project.chains[0].slots) == 5
    with pytest.raises(EditError, match="goes up by channel"):
        apply_edit(safety, AddSlot("ADC 1", "Door latch", 36))


def test_polling_is_to_be_had_everywhere(
    kiln: Workspace, pedal: Workspace, safety: Workspace
) -> None:
    for workspace in (kiln, pedal, safety):
        chain = workspace.project.chains[0]
        assert apply_edit(workspace, SetRetrieval(chain.converter, Polling(timeout_s="1 s")))
