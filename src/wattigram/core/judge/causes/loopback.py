"""Outputs that come back wrong, and wires that were exchanged."""

from __future__ import annotations

import numpy as np

from wattigram.core.advise.findings import Finding
from wattigram.core.analysis import explained_share, fit_line
from wattigram.core.base.quantity import format_volts
from wattigram.core.judge.causes.base import (
    FEWEST_SAMPLES,
    MOST_SAMPLES,
    FailingSignal,
    LikelyCause,
    register_cause,
)
from wattigram.core.model.bench import Jumper, resolve_source
from wattigram.core.model.design import Generator
from wattigram.core.model.design.edits import SwapWires
from wattigram.core.predict.expected import expected_settled
from wattigram.core.predict.pins import generator_on, pwm_on
from wattigram.core.predict.waveform import dac_lsb_v

EXCHANGED = 0.8
"""Share of the error that must be gone."""
SHAPES_WAVES = (
    "table-not-codes",
    "table-wraps",
    "table-clips",
    "level-out-of-reach",
    "dma-too-slow",
    "update-above-limit",
    "update-faster-than-settling",
    "update-timer-off",
    "dacs-not-in-step",
    "timer-shared",
)
"""Findings of an output that change what comes out, the gravest first."""


def _output_pin(case: FailingSignal) -> str | None:
    workspace = case.take.workspace
    wiring = workspace.wiring(case.signal.pin)
    source = resolve_source(wiring, workspace.project.bench) if wiring is not None else None
    return source.pin if isinstance(source, Jumper) else None


def _generator(case: FailingSignal) -> Generator | None:
    pin = _output_pin(case)
    return generator_on(case.take.workspace, pin) if pin is not None else None


def _output_finding(case: FailingSignal) -> Finding | None:
    pin = _output_pin(case)
    if pin is None:
        return None
    workspace = case.take.workspace
    names = [
        one.name
        for one in (generator_on(workspace, pin), pwm_on(workspace, pin))
        if one is not None
    ]
    for code in SHAPES_WAVES:
        for name in names:
            finding = case.about(name, code)
            if finding is not None:
                return finding
    return None


@register_cause()
def output_as_designed(case: FailingSignal) -> LikelyCause | None:
    """What came back is what the output's own mistake makes of it."""
    finding = _output_finding(case)
    if finding is None or case.captured is None:
        return None
    predicted = case.expected.predicted_v[: len(case.valid)][case.valid] * case.gain
    share = explained_share(case.measured_v, case.settled_v, predicted)
    worst = float(np.abs(predicted - case.settled_v).max())
    return case.cause(
        finding.code,
        finding.title,
        share,
        f"what was read follows what such an output gives, up to {format_volts(worst)} beside "
        "what was meant",
        finding.remedy,
    )


@register_cause("table-not-codes")
def codes_forgotten(case: FailingSignal) -> LikelyCause | None:
    """Everything is too small or too large by the same factor: that of millivolts taken for
    codes."""
    generator = _generator(case)
    if generator is None or case.captured is None or _output_finding(case) is not None:
        return None
    workspace = case.take.workspace
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    factor = 1000 * dac_lsb_v(workspace, dac)
    line = fit_line(case.settled_v, case.measured_v)
    if line.share < 0.98 or abs(factor - 1) < 0.02:
        return None
    fit = 1 - abs(line.slope - factor) / abs(factor - 1)
    return case.cause(
        "table-not-codes",
        f"Millivolts went to {dac.name} as if they were codes",
        fit * line.share,
        f"readings are {line.slope:.4f} times what was meant, and a thousand counts a volt make "
        f"{factor:.4f}",
        None,
    )


@register_cause("output-stops-short")
def output_stops_short(case: FailingSignal) -> LikelyCause | None:
    """The wave has a flat top or bottom that nobody designed."""
    generator = _generator(case)
    if (
        generator is None
        or case.captured is None
        or not case.is_off
        or _output_finding(case) is not None
    ):
        return None
    low_v, high_v = float(case.measured_v.min()), float(case.measured_v.max())
    cut = np.clip(case.settled_v, low_v, high_v)
    share = explained_share(case.measured_v, case.settled_v, cut)
    return case.cause(
        "output-stops-short",
        f"The output behind {case.signal.pin} stops short of what was meant",
        share,
        f"everything between {format_volts(low_v)} and {format_volts(high_v)} comes, nothing beyond",
        None,
    )


@register_cause("wires-exchanged")
def wires_exchanged(case: FailingSignal) -> LikelyCause | None:
    """Two signals read what the other should."""
    project = case.take.workspace.project
    best = exchanged_with(case)
    if best[0] < EXCHANGED:
        return None
    partner = project.signal(best[1])
    wirings = [project.wired(pin) for pin in (case.signal.pin, partner.pin)]
    order = [signal.name for signal in project.signals]
    names = sorted((case.signal.name, partner.name), key=order.index)
    faulty = next(
        (wiring for wiring in wirings if wiring is not None and wiring.swapped_with is not None),
        None,
    )
    return case.cause(
        "wires-exchanged",
        f"The wires{'' if faulty is not None else ', or the slots,'} of {' and '.join(names)} are "
        "exchanged",
        best[0],
        f"each reads what the other should, {best[0] * 100:.0f} % of the error is gone when they "
        "are taken so",
        SwapWires(faulty.pin, None) if faulty is not None else None,
    )


def exchanged_with(case: FailingSignal) -> tuple[float, str]:
    """Share of the error that is gone when a signal and another of its chain are taken for each
    other, and which."""
    if case.captured is None or not case.is_off:
        return 0.0, ""
    project = case.take.workspace.project
    best: tuple[float, str] = (0.0, "")
    for other in project.signals:
        chain = project.chain_of(other.name)
        if (
            other.name == case.signal.name
            or chain is not case.chain
            or other.negative
            or case.signal.negative
        ):
            continue
        share = min(
            _reads_as(case, case.signal.name, other.name),
            _reads_as(case, other.name, case.signal.name),
        )
        best = max(best, (share, other.name))
    return best


def _reads_as(case: FailingSignal, name: str, other: str) -> float:
    """Share of one signal's error that vanishes when it is taken for another, at its own held
    instants."""
    take, chain = case.take, case.chain
    samples = take.head(name, MOST_SAMPLES)
    if samples is None or samples.count < FEWEST_SAMPLES:
        return 0.0
    first = int(samples.cycles[0])
    end = min(int(samples.cycles[-1]) + 1, first + (1 << 16))
    instants = take.instants(chain, first, end)
    gains = [float(take.workspace.project.signal(one).scaling) for one in (name, other)]
    mine = expected_settled(take.history, chain.converter, name, first, end, instants) * gains[0]
    theirs = expected_settled(take.history, chain.converter, other, first, end, instants) * gains[1]
    count = min(len(mine), len(theirs), len(samples.volts))
    valid = samples.valid[:count]
    measured = samples.volts[:count][valid] * gains[0]
    return explained_share(measured, mine[:count][valid], theirs[:count][valid])
