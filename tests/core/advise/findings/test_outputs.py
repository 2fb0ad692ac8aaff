"""Findings on outputs that need no board to be seen."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.advise.comparison import compare_designs
from wattigram.core.advise.findings import find_all
from wattigram.core.judge import suggest_expectations
from wattigram.core.model.design import (
    Generator,
    GeneratorFollow,
    PeriodElapsed,
    Playback,
    Reaction,
    TextAction,
    UartSetup,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import (
    Edit,
    SetGenerator,
    SetPin,
    SetPwm,
    SetReaction,
    SetRoute,
    SetTable,
    SetUart,
    apply_edit,
)
from wattigram.core.predict.pins import pwm_timing

RAMP = open_workspace(EXAMPLES / "kiln-ramp")
WHEEL = open_workspace(EXAMPLES / "pedal-to-wheel" / "wheel.wattigram.toml")
PEDAL = open_workspace(EXAMPLES / "pedal-to-wheel" / "pedal.wattigram.toml")
KILN = open_workspace(EXAMPLES / "studio-kiln")
OUT = RAMP.project.generators[0]
HEATER = RAMP.project.pwm[0]


def codes(workspace: Workspace) -> list[str]:
    return [finding.code for finding in find_all(workspace)]


def in_step(double_buffered: bool) -> tuple[Edit, ...]:
    """Two DACs of Marten M3 on one table."""
    table = RAMP.project.tables[0]
    first = OUT.output.replaced(
        channel="DMA 5",
        starts_with="ADC 1",
        update_trigger=OUT.output.update_trigger.replaced(timer="Timer 5"),
    )  # type: ignore[union-attr]
    second = Playback(
        table=table.name,
        update_trigger=GeneratorFollow(follows="A"),
        channel="DMA 6",
        start_index=10,
    )
    return (
        SetTable(table.name, table),
        SetGenerator("A", Generator(name="A", dac="DAC 1", output=first)),
        SetGenerator(
            "B", Generator(name="B", dac="DAC 2", output=second, double_buffered=double_buffered)
        ),
    )


def heater(**updates: object) -> tuple[Edit, ...]:
    return (SetPwm(HEATER.name, HEATER.replaced(**updates)),)


def motor(**updates: object) -> tuple[Edit, ...]:
    return (SetPwm("Wheel motor", WHEEL.project.pwm[0].replaced(**updates)),)


ALONE = (SetGenerator(OUT.name, OUT.replaced(output=OUT.output.replaced(starts_with=None))),)
PEDAL_TEXT = Reaction(
    name="Pedal over UART",
    when=PeriodElapsed(period_s="5 ms"),
    do=TextAction(uart="UART", text="Pedal {Pedal} V\r\n"),
)
LONG = (
    SetUart(UartSetup(name="UART", baud=1200)),
    SetReaction("Pedal over UART", PEDAL_TEXT),
)
FAR = {"period_s": "51.2 us", "prescaler_register": 0, "period_register": 6143}
CASES: list[tuple[str, Workspace, tuple[Edit, ...], str]] = [
    ("without a second register", KILN, in_step(False), "dacs-not-in-step"),
    ("started by the program", RAMP, ALONE, "generator-not-aligned"),
    ("few steps of duty", RAMP, heater(period_s="1 us"), "pwm-coarse"),
    (
        "registers given N",
        RAMP,
        heater(prescaler_register=0, period_register=6060),
        "update-timer-off",
    ),
    ("duty never gets far", WHEEL, motor(**FAR), "route-beyond-period"),
    ("no preload", WHEEL, motor(preload=False), "route-at-once"),
    ("reports too long", PEDAL, LONG, "report-too-long"),
]


@pytest.mark.parametrize(
    ("base", "edits", "code"), [case[1:] for case in CASES], ids=[case[0] for case in CASES]
)
def test_a_mistake_is_found_and_its_cure_cures(
    base: Workspace, edits: tuple[Edit, ...], code: str
) -> None:
    assert code not in codes(base)
    wrong = edited(base, *edits)
    found = [finding for finding in find_all(wrong) if finding.code == code]
    assert found
    assert found[0].remedy is not None
    assert code not in codes(apply_edit(wrong, found[0].remedy))


def test_two_dacs_in_step_are_sound() -> None:
    assert "dacs-not-in-step" not in codes(edited(KILN, *in_step(True)))


def test_an_input_on_an_output_is_told(tmp_path: Path) -> None:
    checkup = open_workspace(EXAMPLES / "converter-checkup")
    assert "output-pin-taken" in codes(edited(checkup, SetPin("Swept input", "A5", None)))


def test_a_filtered_pulse_that_still_ripples_is_told() -> None:
    wire = RAMP.project.wired("A0")
    assert wire is not None
    from wattigram.core.model.design.edits import SetWiring

    weak = edited(RAMP, SetWiring(wire.replaced(capacitor_f=1e-6)))
    assert "pwm-ripples" in codes(weak)
    timing = pwm_timing(weak, weak.project.pwm[0])
    assert timing.ripple_v(((470 + 40) * 1e-6,)) == pytest.approx(
        3.3 * (0.4 * 0.6) * 50e-6 / (510e-6), rel=0.01
    )  # V · D · (1 − D) · T / RC


def test_outputs_are_compared() -> None:
    slower = edited(RAMP, SetPwm(HEATER.name, HEATER.replaced(period_s="100 us")))
    found = {
        (compare_design.subject, compare_design.figure)
        for compare_design in compare_designs(RAMP, slower)
        if not compare_design.is_equal
    }
    assert ("Heater drive", "pulse rate") in found


def test_what_comes_back_over_a_jumper_is_expected_of_its_signal() -> None:
    bare = Workspace(RAMP.project.replaced(expectations=()), RAMP.part)
    assert [
        suggest_expectation.kind
        for suggest_expectation in suggest_expectations(bare, "Power command")
    ][:1] == ["waveform"]


def test_a_route_renamed_takes_its_expectation_along() -> None:
    route = WHEEL.project.routes[0]
    renamed = edited(WHEEL, SetRoute(route.name, route.replaced(name="Pedal in")))
    assert [
        expectation.signal
        for expectation in renamed.project.expectations
        if expectation.kind == "route"
    ] == [
        "Pedal in",
        "Current to wire",
    ]
