from __future__ import annotations

import re
from fractions import Fraction
from pathlib import Path

import pytest

from tests.conftest import CURE, edited
from wattigram.core.advise.findings import RULES, Finding, find_all
from wattigram.core.judge.causes import cause_codes
from wattigram.core.model.bench import DcSource, SineSource, Wiring
from wattigram.core.model.design import BlockAverage, Signal, Threshold, TimerTrigger, Workspace
from wattigram.core.model.design.edits import (
    AddSignal,
    Edit,
    RemoveSlot,
    RemoveWiring,
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
    SetThreshold,
    SetWiring,
    apply_edit,
)

CLI = Path(__file__).parents[4] / "docs" / "cli.md"

HOT = Wiring(
    pin="A2",
    source_resistance_ohm=33.0,
    source=SineSource(offset_v=2.0, amplitude_v=2.0, frequency_hz=Fraction(50)),
)
COLD = Wiring(pin="A2", source_resistance_ohm=33.0, source=DcSource(voltage_v=-0.2))
MISTAKES: list[tuple[Edit, str, str, str, bool]] = [
    (
        SetDivider("ADC 1", 2),
        "clock-too-fast",
        "ADC 1",
        "runs at 48 MHz, above its 32 MHz. Divide by 3.",
        True,
    ),
    (
        SetBusClock(Fraction(1_000_000)),
        "clock-too-slow",
        "ADC 1",
        "runs at 333.3 kHz, below its 500 kHz",
        True,
    ),
    (
        SetPeriod("ADC 1", Fraction(1, 100_000)),
        "trigger-too-short",
        "ADC 1",
        "66.7 % of them are missed, 33.33 kHz is left",
        True,
    ),
    (
        SetPeriod("ADC 1", Fraction(1, 44_100)),
        "period-not-exact",
        "Timer 2",
        "44.097382 kHz where 44.1 kHz is wanted: -59.4 ppm",
        True,
    ),
    (
        SetBufferLength("ADC 1", 510),
        "loop-out-of-step",
        "Loop A",
        "510 samples hold 127.5 scans of 4",
        True,
    ),
    (
        SetBufferLength("ADC 1", 508),
        "half-mark-in-cycle",
        "Loop A",
        "hold 127 scans of 4, an odd number",
        True,
    ),
    (
        SetElementWidth("ADC 1", 8),
        "item-too-narrow",
        "Loop A",
        "A code has 12 bits, a sample 8",
        True,
    ),
    (
        SetSampling("ADC 1", 2, 128),
        "sampling-too-short",
        "ADC 1, slot 3",
        "47 kΩ needs 6.95 µs to settle, slot 3 gives 4 µs",
        True,
    ),
    (
        SetPin("Door latch", "A3"),
        "pin-used-twice",
        "pin A3",
        "Upper zone and Door latch are both on A3",
        True,
    ),
    (
        SetPin("Door latch", "B9"),
        "pin-not-analog",
        "pin B9",
        "Door latch is on B9, which is no input of ADC 1",
        True,
    ),
    (RemoveWiring("A2"), "pin-not-wired", "pin A2", "does not say what feeds Coil current", False),
    (
        SetWiring(HOT),
        "input-beyond-reference",
        "pin A2",
        "rises to 4.000 V; readings end at 0 V and 3.300 V",
        False,
    ),
    (SetWiring(COLD), "input-beyond-reference", "pin A2", "falls to -0.200 V", False),
    (
        SetReference("internal"),
        "input-beyond-reference",
        "pin A2",
        "rises to 2.400 V; readings end at 0 V and 1.200 V",
        True,
    ),
    (
        SetThreshold("Upper zone", 0, Threshold(low=2.1, high=0.4)),
        "window-swapped",
        "threshold of Upper zone",
        "2.100 V, is above",
        True,
    ),
    (
        SetThreshold("Upper zone", 0, Threshold(low=-1, high=2)),
        "window-out-of-range",
        "threshold of Upper zone",
        "0 V to 3.300 V",
        True,
    ),
    (
        SetFilter("Door latch", BlockAverage(count=64, shift=6, accumulator_bits=16)),
        "sum-too-wide",
        "block average of Door latch",
        "sum to 18 bits",
        True,
    ),
    (
        SetFilter("Door latch", BlockAverage(count=10, shift=3)),
        "mean-shift-mismatch",
        "block average of Door latch",
        "is 1.25 times the mean",
        True,
    ),
    (
        RemoveSlot("ADC 1", 0),
        "signal-not-converted",
        "Coil current",
        "No converter has a slot for Coil current",
        True,
    ),
    (SetCalibration("ADC 1", False), "not-calibrated", "ADC 1", "off by about +9.5 LSB", True),
]


def of_code(workspace: Workspace, code: str) -> list[Finding]:
    return [finding for finding in find_all(workspace) if finding.code == code]


@pytest.mark.parametrize(
    ("mistake", "code", "where", "words", "has_cure"),
    MISTAKES,
    ids=[f"{m[1]} {n}" for n, m in enumerate(MISTAKES)],
)
def test_a_mistake_is_found_and_cured(
    cured: Workspace, mistake: Edit, code: str, where: str, words: str, has_cure: bool
) -> None:
    assert not of_code(cured, code)
    wrong = apply_edit(cured, mistake)
    found = of_code(wrong, code)
    assert found
    assert found[0].where == where
    assert words in found[0].message
    assert found[0].title
    if has_cure:
        for _ in range(6):  # each converter or signal has a finding of its own
            if not (left := of_code(wrong, code)):
                break
            assert left[0].remedy is not None
            wrong = apply_edit(wrong, left[0].remedy)
        assert not of_code(wrong, code)
    else:
        assert found[0].remedy is None


def test_the_demo_has_one_finding_and_its_cure_leaves_none(kiln: Workspace) -> None:
    findings = find_all(kiln)
    assert [finding.code for finding in findings] == ["sampling-too-short"]
    assert findings[0].remedy == CURE
    assert "up to 740 LSB (0.596 V) left over from Upper zone" in findings[0].message
    assert find_all(apply_edit(kiln, CURE)) == ()


def test_the_gravest_come_first(cured: Workspace) -> None:
    wrong = edited(
        cured, RemoveWiring("A2"), SetCalibration("ADC 1", False), SetElementWidth("ADC 1", 8)
    )
    assert [finding.severity for finding in find_all(wrong)] == ["error", "warning", "note"]


def test_a_handler_longer_than_its_deadline_is_found(cured: Workspace) -> None:
    chain = cured.project.chains[0]
    slow = chain.replaced(buffer=chain.buffer.replaced(isr_cycles=1_000_000))
    wrong = Workspace(cured.project.replaced(chains=(slow, cured.project.chains[1])), cured.part)
    assert (
        "are lost (163 % of the processor wanted)" in of_code(wrong, "handler-too-slow")[0].message
    )


def test_a_timer_with_two_periods_is_found_and_cured(cured: Workspace) -> None:
    second = cured.project.chains[1].replaced(
        trigger=TimerTrigger(timer="Timer 2", period_s=Fraction(1, 1000))
    )
    wrong = Workspace(cured.project.replaced(chains=(cured.project.chains[0], second)), cured.part)
    found = of_code(wrong, "timer-shared")
    assert found[0].remedy is not None
    assert not of_code(apply_edit(wrong, found[0].remedy), "timer-shared")


def test_no_sampling_time_fits_a_very_weak_source(cured: Workspace) -> None:
    weak = edited(
        cured,
        SetWiring(Wiring(pin="A4", source_resistance_ohm=10e6, source=DcSource(voltage_v=1.0))),
    )
    found = of_code(weak, "sampling-too-short")[0]
    assert found.remedy is None
    assert "buffer the source" in found.message


def test_a_twin_may_share_the_pin(cured: Workspace) -> None:
    assert not of_code(edited(cured, SetPin("Upper zone, twin", "A3")), "pin-used-twice")


def test_an_unconverted_signal_is_given_an_adequate_slot(cured: Workspace) -> None:
    extra = edited(
        cured,
        AddSignal(Signal(name="Knob", pin="B7")),
        SetWiring(Wiring(pin="B7", source_resistance_ohm=47_000.0, source=DcSource(voltage_v=1.0))),
    )
    remedy = of_code(extra, "signal-not-converted")[0].remedy
    assert remedy is not None
    fixed = apply_edit(extra, remedy)
    assert fixed.project.chains[0].slots[-1].sampling_cycles == 384
    assert not of_code(fixed, "sampling-too-short")


def test_every_rule_says_what_a_person_would_see() -> None:
    assert len(RULES) >= 14
    for rule in RULES:
        assert rule.find.__doc__
        assert rule.find.__doc__.strip().endswith(".")


def test_codes_are_told_in_the_docs_and_nothing_else_is() -> None:
    section = CLI.read_text().split("## Codes")[1].split("\n## ")[0]
    rows = [line for line in section.splitlines() if line.startswith("| `")]
    told = {code for row in rows for code in re.findall(r"`([a-z0-9]+(?:-[a-z0-9]+)+)`", row)}
    codes = {code for rule in RULES for code in rule.codes}
    assert sorted(codes | cause_codes()) == sorted(told)


def test_a_code_belongs_to_one_rule() -> None:
    codes = [code for rule in RULES for code in rule.codes]
    assert len(codes) - len(set(codes)) == 1  # “started-once” has two ways to come about


@pytest.mark.parametrize(
    ("window", "codes"),
    [
        (Threshold(low=2.1, high=2.0, condition="above"), set()),
        (Threshold(low=2.1, high=2.0, condition="below"), set()),
        (Threshold(low=-1, high=2.0, condition="above"), set()),
        (Threshold(low=1.5, high=9.0, condition="below"), set()),
        (Threshold(low=1.5, high=9.0, condition="above"), {"window-out-of-range"}),
        (Threshold(low=-1, high=2.0, condition="below"), {"window-out-of-range"}),
        (Threshold(low=2.1, high=2.0, condition="inside"), {"window-swapped"}),
    ],
)
def test_a_limit_that_counts_for_nothing_is_no_finding(
    cured: Workspace, window: Threshold, codes: set[str]
) -> None:
    workspace = edited(cured, SetThreshold("Upper zone", 0, window))
    found = [one for one in find_all(workspace) if one.code.startswith("window-")]
    assert {one.code for one in found} == codes
    for one in found:
        assert one.remedy is not None
        healed = edited(workspace, one.remedy)
        assert not codes & {left.code for left in find_all(healed)}
