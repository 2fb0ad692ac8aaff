from __future__ import annotations

import json
from collections.abc import Callable
from fractions import Fraction

import pytest

from tests.conftest import edited
from wattigram.core.base.errors import EditError
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import (
    BlockAverage,
    NoiseExpectation,
    Project,
    Signal,
    Threshold,
    Workspace,
)
from wattigram.core.model.design.edits import (
    AddExpectation,
    AddSignal,
    AddSlot,
    AddThreshold,
    ChangeExpectation,
    Edit,
    MoveSlot,
    RemoveExpectation,
    RemoveSignal,
    RemoveSlot,
    RemoveWiring,
    RenameSignal,
    SetAlignment,
    SetBits,
    SetBufferLength,
    SetBusClock,
    SetCalibration,
    SetDivider,
    SetElementWidth,
    SetFilter,
    SetPeriod,
    SetPin,
    SetReference,
    SetSampling,
    SetScaling,
    SetThreshold,
    SetWiring,
    apply_edit,
    describe,
)

WIRING = Wiring(pin="B7", source_resistance_ohm=10.0, source=DcSource(voltage_v=1.0))
NOISE = NoiseExpectation(signal="Door latch", rms_v=0.01)
CASES: list[tuple[Edit, str, Callable[[Project], object], object]] = [
    (SetDivider("ADC 1", 4), "Divide the clock of ADC 1 by 4", lambda p: p.chains[0].divider, 4),
    (SetBits("ADC 1", 10), "Convert with 10 bits on ADC 1", lambda p: p.chains[0].bits, 10),
    (
        SetAlignment("ADC 1", "left"),
        "Align codes of ADC 1 left",
        lambda p: p.chains[0].alignment,
        "left",
    ),
    (
        SetCalibration("ADC 2", False),
        "Do not calibrate ADC 2 at start-up",
        lambda p: p.chains[1].calibrate,
        False,
    ),
    (
        SetPeriod("ADC 1", Fraction(1, 5000)),
        "Trigger ADC 1 every 200 µs",
        lambda p: p.chains[0].trigger.period_s,
        Fraction(1, 5000),
    ),
    (
        SetPeriod("ADC 2", Fraction(1, 5000)),
        "Trigger ADC 2 every 200 µs",
        lambda p: p.chains[0].trigger.period_s,
        Fraction(1, 5000),
    ),
    (
        SetBufferLength("ADC 1", 256),
        "Use 256 samples in the circular buffer of ADC 1",
        lambda p: p.chains[0].buffer.samples,
        256,
    ),
    (
        SetElementWidth("ADC 1", 32),
        "Store elements of 32 bits from ADC 1",
        lambda p: p.chains[0].buffer.element_bits,
        32,
    ),
    (
        SetSampling("ADC 1", 2, 384, "Door latch"),
        "Sample Door latch for 384 clk",
        lambda p: p.chains[0].slots[2].sampling_cycles,
        384,
    ),
    (
        MoveSlot("ADC 1", 0, 2),
        "Move slot 1 of ADC 1 to place 3",
        lambda p: [s.signal for s in p.chains[0].slots][2],
        "Coil current",
    ),
    (
        AddSlot("ADC 1", "Door latch", 64),
        "Convert Door latch on ADC 1",
        lambda p: p.chains[0].places_of("Door latch"),
        (2, 4),
    ),
    (RemoveSlot("ADC 1", 0), "Remove slot 1 of ADC 1", lambda p: len(p.chains[0].slots), 3),
    (RemoveSlot("ADC 2", 0), "Remove slot 1 of ADC 2", lambda p: len(p.chains), 1),
    (AddSignal(Signal(name="New", pin="B7")), "Add New", lambda p: p.signals[-1].name, "New"),
    (
        RemoveSignal("Upper zone"),
        "Remove Upper zone",
        lambda p: [s.partner for s in p.signals],
        [None] * 4,
    ),
    (
        RenameSignal("Upper zone", "Top"),
        "Rename Upper zone to Top",
        lambda p: p.signal("Upper zone, twin").partner,
        "Top",
    ),
    (
        SetPin("Door latch", "B6"),
        "Take Door latch from pin B6",
        lambda p: p.signal("Door latch").pin,
        "B6",
    ),
    (
        SetScaling("3.3 V rail", Fraction(1, 3)),
        "Scaling of 3.3 V rail: ÷ 3",
        lambda p: p.signals[3].scaling,
        Fraction(1, 3),
    ),
    (
        SetFilter("Door latch", BlockAverage(count=4, shift=2)),
        "Block average of 4 for Door latch",
        lambda p: p.signals[2].filter,
        BlockAverage(count=4, shift=2),
    ),
    (
        SetFilter("Upper zone", None),
        "Remove the filter of Upper zone",
        lambda p: p.signals[1].filter,
        None,
    ),
    (
        AddThreshold("Door latch", Threshold(low=1, high=2)),
        "Add a threshold to Door latch: 1 V to 2 V",
        lambda p: p.signals[2].thresholds,
        (Threshold(low=1, high=2),),
    ),
    (
        SetThreshold("Upper zone", 0, None),
        "Remove threshold 1 of Upper zone",
        lambda p: p.signals[1].thresholds,
        (),
    ),
    (SetReference("internal"), "Use the internal reference", lambda p: p.reference, "internal"),
    (
        SetBusClock(Fraction(48_000_000)),
        "Run the bus at 48 MHz",
        lambda p: p.bus_clock_hz,
        48_000_000,
    ),
    (SetWiring(WIRING), "Wire pin B7: DC, 10 Ω", lambda p: p.wired("B7"), WIRING),
    (RemoveWiring("A2"), "Disconnect pin A2", lambda p: p.wired("A2"), None),
    (AddExpectation(NOISE), "Expect noise of Door latch", lambda p: p.expectations[-1], NOISE),
    (
        ChangeExpectation(0, NOISE),
        "Change what is expected of Door latch",
        lambda p: p.expectations[0],
        NOISE,
    ),
    (RemoveExpectation(0), "Remove expectation 1", lambda p: len(p.expectations), 7),
]


@pytest.mark.parametrize(
    ("edit", "label", "look", "value"), CASES, ids=[label for _edit, label, _look, _value in CASES]
)
def test_an_edit_changes_one_thing_and_says_so(
    kiln: Workspace, edit: Edit, label: str, look: Callable[[Project], object], value: object
) -> None:
    after = apply_edit(kiln, edit)
    assert edit.label == label
    assert look(after.project) == value
    assert look(kiln.project) != value
    json.dumps(describe(edit))


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (SetDivider("ADC 1", 5), "divider 5 is not to be had"),
        (SetDivider("ADC 9", 3), "ADC 9 has no chain"),
        (SetSampling("ADC 1", 9, 384), "has no slot 10"),
        (SetSampling("ADC 1", 0, 7), "sampling cycles 7"),
        (SetBufferLength("ADC 1", 0), "a whole number from 1 to"),
        (SetBufferLength("ADC 1", 100_000), "more than 65535"),
        (RemoveSlot("ADC 1", -1), "has no slot 0"),
        (AddSlot("ADC 1", "Nothing", 32), "no signal “Nothing”"),
        (RenameSignal("Upper zone", "Door latch"), "already"),
        (RenameSignal("Upper zone", ""), "a text of 1 to 60 characters"),
        (SetPin("Upper zone", "Z9"), "pin Z9"),
        (SetBusClock(Fraction(10**9)), "above the 96 MHz"),
        (RemoveExpectation(99), "no expectation 100"),
        (SetReference("moon"), "reference: moon"),
    ],
)
def test_an_impossible_edit_is_a_sentence(kiln: Workspace, edit: Edit, words: str) -> None:
    with pytest.raises(EditError) as fault:
        apply_edit(kiln, edit)
    assert words in str(fault.value)


def test_the_last_slot_of_a_leader_stays(kiln: Workspace) -> None:
    alone = edited(kiln, RemoveSlot("ADC 1", 3), RemoveSlot("ADC 1", 2), RemoveSlot("ADC 1", 1))
    with pytest.raises(EditError, match="Remove the slots of ADC 2 first"):
        apply_edit(alone, RemoveSlot("ADC 1", 0))


def test_moving_there_and_back_changes_nothing(kiln: Workspace) -> None:
    assert edited(kiln, MoveSlot("ADC 1", 0, 3), MoveSlot("ADC 1", 3, 0)).project == kiln.project
