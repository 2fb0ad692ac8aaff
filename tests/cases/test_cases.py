"""Designs that once came out wrong, with the right answer of each."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from tests.conftest import edited
from tests.core.firmware.compiled import built, needs_compiler, rebuilt
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import LinkError, PartError
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import Take, open_take
from wattigram.core.firmware import write_firmware
from wattigram.core.judge import prove
from wattigram.core.judge.threshold_events import crossings
from wattigram.core.model.design import (
    SoftwareRamp,
    WaveformExpectation,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import SetGenerator
from wattigram.core.model.design.part_compatibility import part_faults
from wattigram.core.model.part.svd import read_svd
from wattigram.core.predict.accuracy import comparator_metrics, slot_settling
from wattigram.core.predict.expected import expected_filtered, expected_raw
from wattigram.core.predict.timing import RAMP_STEP_CYCLES, retrieval_timing, route_timing

FOLDER = Path(__file__).parent


def case(name: str) -> Workspace:
    return open_workspace(FOLDER / f"{name}.wattigram.toml")


def codes(workspace: Workspace) -> set[str]:
    return {finding.code for finding in find_all(workspace)}


def worst_off_lsb(workspace: Workspace, take: Take, name: str, since: int = 0) -> float:
    """Largest difference of a signal's samples from what is predicted, less the noise, in LSB."""
    chain = workspace.project.chain_of(name)
    samples = take.raw(name)
    assert chain is not None
    assert samples is not None
    stream = expected_raw(
        take.history, chain.converter, name, 0, int(samples.cycles[-1]) + 1, take.instants(chain)
    )
    off_v = np.abs(samples.volts - stream.predicted_v[: len(samples.volts)])[since:]
    lsb_v = workspace.reference_v / (1 << chain.bits)
    return float(off_v.max() - stream.half_width_v) / lsb_v


Taken = Callable[..., Take]


# Circuit


def test_a_small_capacitor_settles_where_the_pin_has_time() -> None:
    design = case("circuit/capacitor-1nF")
    chain = design.project.chains[0]
    place = chain.places_of("X")[0]
    assert slot_settling(design, chain, place).full_scale_error_lsb == pytest.approx(3e-7, rel=0.3)
    assert "sampling-too-short" not in codes(design)


def test_a_large_capacitor_and_three_clocks_leave_31_counts() -> None:
    design = case("circuit/capacitor-1uF-3-clocks")
    chain = design.project.chains[0]
    worst = max(
        slot_settling(design, chain, place).full_scale_error_lsb
        for place in range(len(chain.slots))
    )
    assert worst == pytest.approx(31.1, abs=0.2)
    assert "sampling-too-short" in codes(design)


@pytest.mark.parametrize(
    "name",
    [
        "capacitor-1nF",
        "capacitor-1uF-3-clocks",
        "differential-beside-single",
        "differential-stream",
    ],
)
def test_board_and_expectation_agree_on_every_sample(name: str, take_of: Taken) -> None:
    design = case(f"circuit/{name}")
    take = take_of(design, 1.0)
    for chain in design.project.chains:
        for signal in dict.fromkeys(slot.signal for slot in chain.slots):
            assert worst_off_lsb(design, take, signal) < 0.5, signal


def test_a_single_ended_slot_keeps_what_a_pair_left() -> None:
    design = case("circuit/differential-beside-single")
    stream = expected_raw(((0, design),), "ADC 1", "S", 100, 110)
    assert stream.error_v == pytest.approx(0.2742, abs=1e-3)


def test_the_first_update_is_limited_by_the_slew_rate(take_of: Taken) -> None:
    design = case("circuit/dac-first-sample")
    take = take_of(design, 0.5)
    assert worst_off_lsb(design, take, "S0") < 0.5


def test_a_truncated_mean_reads_low(take_of: Taken) -> None:
    design = case("circuit/truncating-mean")
    take = take_of(design, 4.0)
    reduced = take.reduced("S")
    assert reduced is not None
    chain = design.project.chains[0]
    stream = expected_filtered(take.history, chain.converter, "S", 0, len(reduced.items))
    lsb_v = design.reference_v / (1 << chain.bits)
    raw = take.raw("S")
    assert raw is not None
    bias_lsb = (reduced.volts.mean() - raw.volts.mean()) / lsb_v
    assert bias_lsb == pytest.approx(-0.375, abs=0.02)
    assert float((stream.settled_v - 1.2345).mean()) / lsb_v == pytest.approx(-0.375, abs=1e-6)
    assert reduced.volts.std() == pytest.approx(stream.noise_v, rel=0.05)


@pytest.mark.parametrize(
    ("name", "wanted"),
    [
        ("differential-far-above-supply", {"pin-beyond-limits"}),
        ("negative-pin-floats", {"pin-floats"}),
        ("negative-pin-unwired", {"negative-pin-not-wired"}),
        ("reference-pin-unwired", {"reference-not-wired"}),
        ("reference-pin-floats", {"reference-floats"}),
    ],
)
def test_pins_that_cannot_be_trusted_are_found(name: str, wanted: set[str]) -> None:
    assert wanted <= codes(case(f"circuit/{name}"))


@pytest.mark.parametrize("name", ["reference-pin-unwired", "reference-pin-floats"])
def test_a_reference_that_nobody_holds_wanders(name: str, take_of: Taken) -> None:
    design = case(f"circuit/{name}")
    proof = prove(design, take_of(design, 3.0))
    assert proof.count("fails") == 1
    assert proof.causes[0].cause == name.replace(
        "reference-pin-unwired", "reference-not-wired"
    ).replace("reference-pin-floats", "reference-floats")


def test_hum_trips_a_comparator_without_hysteresis(take_of: Taken) -> None:
    design = case("circuit/pick-up-over-comparator")
    figures = comparator_metrics(design, design.project.comparators[0])
    assert figures.edges > 1000
    assert "comparator-never-trips" not in codes(design)
    assert "comparator-chatters" in codes(design)
    take = take_of(design, 12.0)
    assert len(take.events) == pytest.approx(figures.crossings_hz * 12 * figures.edges, rel=0.1)
    assert prove(design, take).verdicts[0].outcome == "fails"


# Verdicts


@pytest.mark.parametrize("name", ["lost-by-interrupt-jitter", "handler-just-too-long"])
def test_losses_by_jitter_are_those_of_the_recursion(name: str, tmp_path: Path) -> None:
    design = case(f"verdicts/{name}")
    outcome = record_run(design, 1.0, tmp_path / "t.h5", fast=True)
    timing = retrieval_timing(design, design.project.chains[0])
    converted = float(timing.items_hz) * outcome.seconds
    assert outcome.lost_results / converted == pytest.approx(
        float(timing.lost_hz / timing.items_hz), rel=0.05, abs=3e-4
    )
    assert outcome.lost_results > 0
    assert "handler-too-slow" in codes(design)


def test_a_pair_is_compared_at_equal_times(take_of: Taken) -> None:
    design = case("verdicts/twin-with-one-stage")
    assert prove(design, take_of(design, 3.0)).all_hold
    assert "twin-stage-differs" in codes(design)


@pytest.mark.parametrize("name", ["m08_19", "m09_16"])
def test_a_step_that_a_chain_does_not_have_is_a_sentence(name: str) -> None:
    assert any("does not have" in finding.message for finding in find_all(case(f"verdicts/{name}")))


@pytest.mark.parametrize(
    ("name", "cause"),
    [
        ("m03_19", "slot-order"),
        ("m03_20", "slot-order"),
        ("m09_30", "startup-trigger"),
        ("m14_20", "loop-out-of-step"),
        ("m15_04", "sampling-too-short"),
        ("m15_05", "sampling-too-short"),
        ("m21_02", "sum-too-wide"),
        ("m22_23", "window-on-raw"),
    ],
)
def test_what_the_design_has_is_named_first(name: str, cause: str, take_of: Taken) -> None:
    design = case(f"verdicts/{name}")
    proof = prove(design, take_of(design, 3.0))
    assert proof.count("fails") > 0
    assert proof.causes[0].cause == cause


# Others


def test_what_a_route_puts_out_comes_back(take_of: Taken) -> None:
    """Each value that went out stands on the other input a conversion and a transfer later."""
    design = case("program/pass-through-and-back")
    assert "jumper-from-route" in codes(design)
    take = take_of(design, 0.05)
    given, back = take.raw("Line in"), take.raw("Line out")
    assert given is not None
    assert back is not None
    newest = np.searchsorted(given.times_s, back.times_s - 4e-6) - 1
    later = newest > 5
    off_v = np.abs(back.volts - given.volts[np.maximum(newest, 0)])[later]
    assert np.quantile(off_v, 0.9) < 6e-3  # the rest is where it settles
    assert {verdict.outcome for verdict in prove(design, take).verdicts} == {"holds"}


@needs_compiler
def test_it_comes_back_with_firmware_too(tmp_path: Path) -> None:
    design = case("program/pass-through-and-back")
    elf = built(design, tmp_path / "c").elf
    record_run(design, 0.05, tmp_path / "t.h5", board=f"image:{elf}", fast=True)
    with open_take(tmp_path / "t.h5") as take:
        assert {verdict.outcome for verdict in prove(design, take).verdicts} == {"holds"}


def test_nothing_is_expected_of_what_a_route_decides(take_of: Taken) -> None:
    design = case("program/pass-through-and-back")
    course = WaveformExpectation(signal="Line out", within_v=0.02)
    asked = Workspace(design.project.replaced(expectations=(course,)), design.part)
    proof = prove(asked, take_of(design, 0.05))
    assert [verdict.outcome for verdict in proof.verdicts] == ["open"]
    assert "B5" in proof.verdicts[0].note


def test_a_stop_that_was_meant_fails_nothing(take_of: Taken) -> None:
    """The threshold stops the chain for half a second each time; what it finds when it goes on is an
    event anew, and noise decides when it comes."""
    design = case("program/stop-and-restart")
    take = take_of(design, 2.0)
    watch = design.watches[0]
    crossed = crossings(take, watch)
    assert len(take.events) >= 3
    assert {event.entered for event in crossed.wanted} == {True}
    outcomes = [verdict.outcome for verdict in prove(design, take).verdicts]
    assert outcomes == ["open", "holds"]


@needs_compiler
def test_a_board_without_a_converter_runs_with_and_without_firmware(tmp_path: Path) -> None:
    """Bytes come in and set a duty; nothing is sampled, and the route is judged."""
    design = case("program/receiver-only")
    assert not design.project.chains
    result = built(design, tmp_path / "c")
    assert result.elf is not None
    assert result.warnings == 0
    values = []
    for number, board in enumerate(("virtual", f"image:{result.elf}")):
        path = tmp_path / f"{number}.h5"
        outcome = record_run(design, 2.0, path, board=board, fast=True)
        assert outcome.is_whole
        assert outcome.samples == 0
        with open_take(path) as take:
            proof = prove(design, take)
            assert [verdict.outcome for verdict in proof.verdicts] == ["fails"]
            assert proof.causes[0].cause == "route-tears"
            values.append(take.output(0).marked)
    assert len(values[0]) == 80
    assert np.array_equal(*values)


@needs_compiler
def test_a_duty_of_two_bytes_waits_for_both(tmp_path: Path) -> None:
    """The fix that is offered lets the timer load whole values only, on either board; and a part whose
    timers cannot do so refuses it."""
    torn = case("program/receiver-only")
    finding = next(one for one in find_all(torn) if one.code == "route-tears")
    assert finding.remedy is not None
    design = edited(torn, finding.remedy)
    assert design.project.pwm[0].whole
    assert "route-tears" not in codes(design)
    result = built(design, tmp_path / "c")
    values = []
    for number, board in enumerate(("virtual", f"image:{result.elf}")):
        path = tmp_path / f"{number}.h5"
        assert record_run(design, 2.0, path, board=board, fast=True).is_whole
        with open_take(path) as take:
            assert prove(design, take).all_hold
            seen = take.output(0)
            assert not seen.torn.any()
            values.append(seen.marked)
    assert np.array_equal(*values)
    # The source's own values, there and back between a tenth and nine tenths of twelve bits.
    at_s = np.arange(len(values[0])) * 0.05
    sent = 4095 * (0.1 + 0.8 * (1 - np.abs(1 - at_s / 2 % 2)))
    assert np.max(np.abs((values[0] & 0xFFFF) - sent)) <= 1
    unable = torn.part.replaced(
        timers=tuple(timer.replaced(loads_after_dma=False) for timer in torn.part.timers)
    )
    assert any("does not wait for DMA" in text for text in part_faults(design.project, unable))


def test_a_project_in_which_nothing_runs_says_so(tmp_path: Path) -> None:
    design = case("program/receiver-only")
    empty = Workspace(design.project.replaced(routes=(), pwm=(), expectations=()), design.part)
    with pytest.raises(LinkError, match="Nothing in this project runs"):
        record_run(empty, 1.0, tmp_path / "t.h5", fast=True)


RAMP_CODES = {"ramp-too-fast", "ramp-above-limit", "ramp-before-settled"}


def test_a_ramp_that_nothing_can_follow_is_found_and_slowed_down() -> None:
    """The program, the DAC's update limit and its settling are each too slow for a step of 2 µs."""
    design = case("program/fast-software-ramp")
    assert codes(design) >= RAMP_CODES
    finding = next(one for one in find_all(design) if one.code == "ramp-before-settled")
    assert finding.remedy is not None
    assert not codes(edited(design, finding.remedy)) & RAMP_CODES


@needs_compiler
def test_a_step_of_a_ramp_takes_as_long_as_is_said(tmp_path: Path) -> None:
    """Counted in two images that differ in the number of steps only."""
    design = case("program/fast-software-ramp")
    ramp = design.project.generators[0]
    assert isinstance(ramp.output, SoftwareRamp)
    seconds, busy = 0.02, []
    for dwell in ("10 us", "40 us"):
        generator = ramp.replaced(output=ramp.output.replaced(dwell_s=dwell))
        slower = edited(design, SetGenerator(ramp.name, generator))
        elf = built(slower, tmp_path / dwell).elf
        path = tmp_path / f"{dwell}.h5"
        record_run(slower, seconds, path, board=f"image:{elf}", fast=True)
        with open_take(path) as take:
            busy.append(take.totals["busy.main"] + take.totals["busy.isr"])
    steps = seconds / 10e-6 - seconds / 40e-6
    assert (busy[0] - busy[1]) / steps == pytest.approx(RAMP_STEP_CYCLES, rel=0.25)


@needs_compiler
def test_a_pin_follows_the_code_that_sets_its_duty(tmp_path: Path) -> None:
    """The hook gives the timer what the lever's newest code says, so that the filtered pulses go
    where the lever goes; the design's steady duty does not hold, and the line of C is named."""
    design = case("program/duty-written-by-own-code")
    course = WaveformExpectation(signal="Motor mean", within_v=0.05)
    design = Workspace(design.project.replaced(expectations=(course,)), design.part)
    folder = tmp_path / "c"
    write_firmware(design, folder)
    own = (FOLDER / "program/duty-written-by-own-code.own.c").read_text()
    (folder / "own.c").write_text(own)
    result = rebuilt(design, folder)
    assert result.elf is not None, result.output
    paths = [tmp_path / f"{number}.h5" for number in range(2)]
    for path in paths:
        record_run(design, 0.5, path, board=f"image:{result.elf}", fast=True)
    with open_take(paths[0]) as take, open_take(paths[1]) as again:
        lever, motor = take.raw("Feed lever"), take.raw("Motor mean")
        assert lever is not None
        assert motor is not None
        count = min(len(lever.volts), len(motor.volts))
        late = 38  # 13 ms behind the low-pass, and until the next samples are looked at
        off_v = np.abs(motor.volts[late:count] - lever.volts[: count - late])
        assert np.median(off_v) < 0.03
        assert np.ptp(motor.volts) > 4.0
        other = again.raw("Motor mean")
        assert other is not None
        assert np.array_equal(motor.items, other.items)
        proof = prove(design, take)
        line = 1 + own[: own.index("TIMER_PART")].count("\n")
        assert [verdict.outcome for verdict in proof.verdicts] == ["fails"]
        assert proof.causes[0].cause == "own-code-writes"
        assert f"own.c:{line} first wrote" in proof.causes[0].evidence


def test_a_route_with_nothing_wired_to_it_brings_nothing() -> None:
    design = case("program/receiver-with-nothing-wired")
    assert route_timing(design, design.project.routes[0]).transfers_hz == 0
    find_all(design)


def test_a_part_of_ones_own_goes_with_its_takes(tmp_path: Path) -> None:
    design = case("parts/own-part")
    record_run(design, 1.0, tmp_path / "t.h5", fast=True)
    with open_take(tmp_path / "t.h5") as take:
        assert take.workspace.part == design.part
        prove(design, take)


def test_a_description_nested_without_end_is_a_sentence() -> None:
    with pytest.raises(PartError, match="nested more than"):
        read_svd(FOLDER / "files" / "svd_deep_cluster_1000.svd")
