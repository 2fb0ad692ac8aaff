"""Findings on what the program does, each with its cure."""

from __future__ import annotations

import pytest

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.advise.findings import Finding, find_all
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design import (
    BytesAction,
    CallAction,
    DacAction,
    DutyAction,
    PeriodAction,
    PeriodElapsed,
    PinAction,
    Reaction,
    ResultSource,
    Route,
    TextAction,
    UartDestination,
    UartSetup,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import (
    Edit,
    RemoveSlot,
    SetReaction,
    SetRoute,
    SetThreshold,
    SetUart,
    SetWiring,
    apply_edit,
)

LAMP = open_workspace(EXAMPLES / "kiln-lamp")
FAN = LAMP.project.reaction("Fan follows")
ZONE = LAMP.project.signal("Upper zone")


def does(name: str, do: object, period: str = "20 ms") -> Edit:
    """A reaction to a period."""
    return SetReaction(name, Reaction(name=name, when=PeriodElapsed(period_s=period), do=do))


def fan(**updates: object) -> Edit:
    assert FAN is not None
    return SetReaction("Fan follows", FAN.replaced(do=FAN.do.replaced(**updates)))


VALUE = {"signal": "Upper zone", "from_v": 1.2, "to_v": 2.2}
LINE = TextAction(uart="UART 1", text="zone {Upper zone:V} V, door {Door latch:mV} mV\r\n")
CURED: list[tuple[str, tuple[Edit, ...], str]] = [
    ("more text than the wire carries", (does("Log", LINE, "2 ms"),), "report-too-long"),
    (
        "a period shorter than its clocks",
        (
            SetReaction(
                "Alive",
                Reaction(
                    name="Alive",
                    when=PeriodElapsed(period_s="1 ms"),
                    do=PinAction(pin="B7", level="toggle"),
                    cycles=100_000,
                ),
            ),
        ),
        "reaction-too-long",
    ),
    (
        "no hysteresis",
        (
            SetThreshold(
                "Upper zone", 0, ZONE.thresholds[0].replaced(hysteresis_v=0.0, input="raw")
            ),
        ),
        "reaction-chatters",
    ),
    (
        "a DAC beyond its output",
        (does("Level", DacAction(dac="DAC 1", low_v=0.0, high_v=3.3, **VALUE)),),
        "scale-beyond-register",
    ),
    ("a duty beyond its period", (fan(high=1.5),), "scale-beyond-register"),
    ("a scale beyond the reference", (fan(to_v=5.0),), "scale-beyond-signal"),
    (
        "a pulse longer than the period",
        (does("Pitch", PeriodAction(pwm="Fan", low_s="20 us", high_s="50 us", **VALUE)),),
        "pulse-longer-than-period",
    ),
    (
        "text shown as numbers",
        (SetUart(UartSetup(name="UART 1", shows="binary")),),
        "terminal-not-text",
    ),
    (
        "an output that the bench drives",
        (SetWiring(Wiring(pin="B4", source_resistance_ohm=100.0, source=DcSource(voltage_v=1.0))),),
        "output-driven-from-outside",
    ),
]
TOLD: list[tuple[str, tuple[Edit, ...], str]] = [
    (
        "two that take all the time",
        tuple(
            SetReaction(
                name,
                Reaction(
                    name=name,
                    when=PeriodElapsed(period_s="10 ms"),
                    do=CallAction(function=name),
                    cycles=500_000,
                ),
            )
            for name in ("one", "other")
        ),
        "program-too-long",
    ),
    (
        "two set one duty",
        (does("Other", DutyAction(pwm="Fan", **VALUE)),),
        "output-set-twice",
    ),
    (
        "two follow on one pin",
        (does("Blink", PinAction(pin="B4", level="toggle")),),
        "output-set-twice",
    ),
    (
        "DMA and the program on one port",
        (
            SetRoute(
                "Out",
                Route(
                    name="Out",
                    source=ResultSource(converter="ADC 1", signal="Door latch"),
                    destination=UartDestination(uart="UART 1"),
                    channel="DMA 2",
                    source_bits=8,
                    destination_bits=8,
                ),
            ),
        ),
        "serial-port-shared",
    ),
    ("a signal that nothing converts", (RemoveSlot("ADC 1", 0),), "reaction-idle"),
    (
        "a value sent again and again",
        (does("Fast", BytesAction(uart="UART 1", signals=("Door latch",)), "500 us"),),
        "value-repeats",
    ),
    ("a pin that the fan has", (does("Blink", PinAction(pin="A8")),), "output-pin-taken"),
]


def of(workspace: Workspace, code: str) -> list[Finding]:
    return [finding for finding in find_all(workspace) if finding.code == code]


@pytest.mark.parametrize(("edits", "code"), [case[1:] for case in CURED], ids=[c[0] for c in CURED])
def test_a_mistake_is_found_and_its_cure_cures(edits: tuple[Edit, ...], code: str) -> None:
    assert not of(LAMP, code)
    wrong = edited(LAMP, *edits)
    (finding, *_more) = of(wrong, code)
    assert finding.remedy is not None
    assert not of(apply_edit(wrong, finding.remedy), code)


@pytest.mark.parametrize(("edits", "code"), [case[1:] for case in TOLD], ids=[c[0] for c in TOLD])
def test_a_mistake_is_told(edits: tuple[Edit, ...], code: str) -> None:
    assert not of(LAMP, code)
    assert of(edited(LAMP, *edits), code)


def test_a_pin_that_one_sets_and_another_clears_is_in_order() -> None:
    both = edited(
        LAMP,
        does("On", PinAction(pin="B9", level="high")),
        does("Off", PinAction(pin="B9", level="low"), "30 ms"),
    )
    assert not of(both, "output-set-twice")
