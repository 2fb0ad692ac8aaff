"""Mistakes in tables, generators, PWM, UARTs and routes: found before, seen on the board, named
after, cured."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

import pytest

from tests.conftest import edited
from tests.paths import EXAMPLES
from wattigram.core.advise.findings import find_all
from wattigram.core.capture.take import Take
from wattigram.core.contract.shapes import PulseShape, SineShape
from wattigram.core.judge import Proof, prove
from wattigram.core.model.bench import DcSource, Jumper, TiedInput, TriangleSource, Wiring
from wattigram.core.model.design import (
    ConstantLevel,
    DutyDestination,
    Expectation,
    PairExpectation,
    Route,
    RouteExpectation,
    TripExpectation,
    WaveformExpectation,
    WaveTable,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import (
    Edit,
    RemoveOutput,
    RemoveWiring,
    SetBits,
    SetGenerator,
    SetPwm,
    SetRoute,
    SetTable,
    SetUart,
    SetWiring,
    apply_edit,
)
from wattigram.core.model.design.selftest import self_test

RAMP = open_workspace(EXAMPLES / "kiln-ramp")
WHEEL = open_workspace(EXAMPLES / "pedal-to-wheel" / "wheel.wattigram.toml")
PEDAL_ROUTE, CURRENT_ROUTE = WHEEL.project.routes
OUT = RAMP.project.generators[0]
WIDE = SetPwm(
    "Wheel motor",
    WHEEL.project.pwm[0].replaced(
        period_s=4096 / Fraction(120_000_000), prescaler_register=0, period_register=4095
    ),
)
TWELVE = SetBits("ADC 1", 12)
TakeOf = Callable[..., Take]


def sine(
    every: str = "40 us", points: int = 256, amplitude_v: float = 1.2, **updates: object
) -> tuple[Edit, ...]:
    """The ramp's generator with a sine; ``updates`` go to its timer."""
    table = WaveTable(
        name="Sine", points=points, amplitude_v=amplitude_v, offset_v=1.65, shape=SineShape()
    )
    trigger = OUT.output.update_trigger.replaced(period_s=every, **updates)  # type: ignore[union-attr]
    output = OUT.output.replaced(table="Sine", update_trigger=trigger)
    return SetTable("Sine", table), SetGenerator(OUT.name, OUT.replaced(output=output))


def table(**updates: object) -> SetTable:
    """The ramp's own table, changed."""
    own = RAMP.project.tables[0]
    return SetTable(own.name, own.replaced(**updates))


def current(**updates: object) -> SetRoute:
    return SetRoute(CURRENT_ROUTE.name, CURRENT_ROUTE.replaced(**updates))


def uart(name: str, **updates: object) -> SetUart:
    found = WHEEL.project.uart(name)
    assert found is not None
    return SetUart(found.replaced(**updates))


HALVES = current(destination=DutyDestination(pwm="Wheel motor"), transfers=2)
SQUARE = SetTable(
    "Sine", WaveTable(name="Sine", points=5, amplitude_v=1.2, offset_v=1.65, shape=PulseShape())
)
WAVES: list[tuple[str, tuple[Edit, ...], str]] = [
    ("volts where codes belong", (table(holds="millivolts"),), "table-not-codes"),
    ("peak above what the buffer reaches", sine(amplitude_v=1.7), "table-clips"),
    (
        "peak above full scale folds over",
        (
            *sine(amplitude_v=1.7),
            SetTable("Sine", sine(amplitude_v=1.7)[0].table.replaced(overflow="wrap")),
        ),
        "table-wraps",
    ),  # type: ignore[attr-defined]
    ("updates above the DAC's limit", sine("1.5 us"), "update-above-limit"),
    ("updates faster than settling", (*sine("2.1 us"), SQUARE), "update-faster-than-settling"),
    ("updates faster than DMA", sine("40 ns", points=2000), "dma-too-slow"),
    (
        "timer register given N",
        sine(prescaler_register=0, period_register=4820),
        "update-timer-off",
    ),
    ("one timer at two rates", sine(timer="Timer 3", every="35 us"), "timer-shared"),
    (
        "level beyond reach",
        (SetGenerator(OUT.name, OUT.replaced(output=ConstantLevel(voltage_v=3.29))),),
        "level-out-of-reach",
    ),
]
ROUTES: list[tuple[str, tuple[Edit, ...], str, str]] = [
    (
        "wire slower than its source",
        (uart("UART 2", baud=38400),),
        "route-overwrites",
        "Current to wire",
    ),
    ("sink asks more often", (current(request="destination"),), "route-repeats", "Current to wire"),
    ("twelve bits in eight", (TWELVE,), "route-too-narrow", "Current to wire"),
    (
        "same piece twice",
        (TWELVE, current(transfers=2, increment=False)),
        "route-too-narrow",
        "Current to wire",
    ),
    (
        "bytes the other way round",
        (TWELVE, current(transfers=2, destination_endianness="big-endian")),
        "route-order",
        "Current to wire",
    ),
    (
        "asked for in pieces",
        (TWELVE, current(transfers=2, request="destination")),
        "route-repeats",
        "Current to wire",
    ),
    (
        "duty written in two halves at once",
        (
            RemoveOutput("routes", "Pedal to motor"),
            TWELVE,
            SetPwm("Wheel motor", WIDE.pwm.replaced(preload=False)),
            HALVES,
        ),
        "route-tears",
        "Current to wire",
    ),
    ("listens at half the rate", (uart("UART 1", baud=19200),), "baud-differs", "Pedal to motor"),
    ("listens for seven bits", (uart("UART 1", data_bits=7),), "line-differs", "Pedal to motor"),
    ("a baud beyond the divider", (uart("UART 1", baud=7_000_000),), "baud-off", "Pedal to motor"),
]


def wanted(workspace: Workspace, *expectations: Expectation) -> Workspace:
    """The design with these expectations only."""
    return workspace.with_project(workspace.project.replaced(expectations=expectations))


def go_through(take_of: TakeOf, wrong: Workspace, code: str, seconds: float) -> Proof:
    """Found before, seen on the board, named first, and gone with its cure."""
    found = [finding for finding in find_all(wrong) if finding.code == code]
    assert found, [finding.code for finding in find_all(wrong)]
    proof = prove(wrong, take_of(wrong, seconds))
    assert proof.count("fails"), [verdict.note for verdict in proof.verdicts]
    causes = [(cause.cause, round(cause.fit, 2)) for cause in proof.causes]
    assert [name for name, _fit in causes][:1] == [code], causes
    remedy = proof.causes[0].remedy or found[0].remedy
    assert remedy is not None
    cured = apply_edit(wrong, remedy)
    again = prove(cured, take_of(cured, seconds))
    assert again.all_hold, [verdict.note for verdict in again.verdicts]
    return proof


@pytest.mark.parametrize(
    ("edits", "code"), [case[1:] for case in WAVES], ids=[case[0] for case in WAVES]
)
def test_a_mistake_in_a_wave_is_found_seen_named_and_cured(
    take_of: TakeOf, edits: tuple[Edit, ...], code: str
) -> None:
    wrong = wanted(edited(RAMP, *edits), WaveformExpectation(signal="Power command", within_v=0.03))
    go_through(take_of, wrong, code, 0.4)


@pytest.mark.parametrize(
    ("edits", "code", "route"), [case[1:] for case in ROUTES], ids=[case[0] for case in ROUTES]
)
def test_a_mistake_in_a_route_is_found_seen_named_and_cured(
    take_of: TakeOf, edits: tuple[Edit, ...], code: str, route: str
) -> None:
    wrong = wanted(edited(WHEEL, *edits), RouteExpectation(signal=route))
    go_through(take_of, wrong, code, 1.2)


def test_a_wire_that_nobody_sends_on_is_told() -> None:
    silent = edited(WHEEL, RemoveWiring("D2"))
    assert "route-silent" in [finding.code for finding in find_all(silent)]


def test_exchanged_wires_are_named_from_the_stream(take_of: TakeOf) -> None:
    wires = [
        Wiring(
            pin="A2",
            source_resistance_ohm=100,
            source=TriangleSource(from_v=0.4, to_v=2.0, period_s="300 ms"),
        ),
        Wiring(pin="A0", source_resistance_ohm=100, source=DcSource(voltage_v=2.8)),
    ]
    good = edited(RAMP, *(SetWiring(wire) for wire in wires))
    swapped = edited(
        good,
        SetWiring(wires[0].replaced(swapped_with="A0")),
        SetWiring(wires[1].replaced(swapped_with="A2")),
    )
    aim = WaveformExpectation(signal="Power command", within_v=0.03)
    assert prove(wanted(good, aim), take_of(wanted(good, aim), 0.7)).all_hold
    proof = prove(wanted(swapped, aim), take_of(wanted(swapped, aim), 0.7))
    assert proof.causes[0].cause == "wires-exchanged"
    assert proof.causes[0].remedy is not None


def test_the_self_test_tells_offset_gain_and_linearity(take_of: TakeOf) -> None:
    """The part file says how this specimen's DAC and converter are; the take must say the same."""
    workspace = open_workspace(EXAMPLES / "converter-checkup")
    proof = prove(workspace, take_of(workspace, 4.4))
    assert proof.all_hold, [verdict.note for verdict in proof.verdicts]
    pair = next(verdict for verdict in proof.verdicts if verdict.kind == "pair")
    # Offset: 1.1 LSB of the DAC, 0.4 of the converter, and the bend's mean of two thirds of 0.9.
    offset = float(pair.note.split("offset ")[1].split(" LSB")[0])
    assert offset == pytest.approx(1.1 + 0.4 + 0.9 * 2 / 3, abs=0.5)
    assert float(pair.note.split("DNL ")[1].split(" LSB")[0]) < 0.8


def test_a_ready_made_self_test_stands_on_any_part_with_a_dac(take_of: TakeOf) -> None:
    design = edited(RAMP, RemoveOutput("generators", OUT.name))
    tested = apply_edit(design, self_test(design))
    names = [signal.name for signal in tested.project.signals]
    assert "Self-test" in names
    aim = next(
        expectation
        for expectation in tested.project.expectations
        if isinstance(expectation, PairExpectation)
    )
    proof = prove(wanted(tested, aim), take_of(wanted(tested, aim), 2.0))
    assert proof.verdicts[0].outcome == "holds", proof.verdicts[0].note


def test_a_sweep_finds_a_comparators_points(take_of: TakeOf) -> None:
    workspace = open_workspace(EXAMPLES / "converter-checkup")
    aim = TripExpectation(signal="Trip input", within_v=0.004)
    assert prove(wanted(workspace, aim), take_of(workspace, 4.4)).all_hold
    moved = workspace.project.comparators[0].replaced(threshold_v=0.825)
    other = Workspace(
        workspace.project.replaced(comparators=(moved,), expectations=(aim,)), workspace.part
    )
    proof = prove(other, take_of(other, 4.4))
    assert "0.8" in proof.verdicts[0].note
    assert proof.all_hold


def test_a_dac_that_is_the_threshold_finds_it_too(take_of: TakeOf) -> None:
    """The input stands still, and the threshold sweeps past it."""
    base = open_workspace(EXAMPLES / "converter-checkup")
    swept = base.project.comparators[0].replaced(against="dac")
    still = SetWiring(Wiring(pin="A2", source_resistance_ohm=100, source=DcSource(voltage_v=1.2)))
    aim = TripExpectation(signal="Trip input", within_v=0.004)
    design = edited(
        Workspace(base.project.replaced(comparators=(swept,), expectations=(aim,)), base.part),
        still,
    )
    proof = prove(design, take_of(design, 4.4))
    assert proof.all_hold, [verdict.note for verdict in proof.verdicts]
    assert "1.19" in proof.verdicts[0].note
    assert "1.20" in proof.verdicts[0].note


def test_a_jumper_from_nowhere_is_told() -> None:
    wire = Wiring(pin="A2", source_resistance_ohm=0, source=Jumper(pin="D7"))
    found = [finding.code for finding in find_all(edited(RAMP, SetWiring(wire)))]
    assert "jumper-from-nothing" in found
    grounded = edited(
        RAMP, SetWiring(Wiring(pin="A2", source_resistance_ohm=0, source=TiedInput(to="ground")))
    )
    assert "jumper-from-nothing" not in [finding.code for finding in find_all(grounded)]


def test_no_rule_fails_on_an_empty_corner() -> None:
    """A route without a source, a table nobody plays, a UART on its own."""
    lone = WaveTable(name="Lone", points=2, amplitude_v=0.0, offset_v=0.0, shape=SineShape())
    design = edited(WHEEL, RemoveWiring("D2"), SetTable("Lone", lone))
    assert isinstance(PEDAL_ROUTE, Route)
    assert {finding.severity for finding in find_all(design)} <= {"note", "warning", "error"}
