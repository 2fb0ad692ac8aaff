"""Figures of what goes out as plain values; ``docs/cli.md`` explains the keys."""

from __future__ import annotations

import math
from typing import Any

from wattigram.core.base.models import plain_values
from wattigram.core.model.design import (
    Generator,
    Playback,
    PwmOutput,
    Reaction,
    Route,
    UartSetup,
    Workspace,
    output_of,
)
from wattigram.core.model.design.former_words import former_value
from wattigram.core.predict.clocks import uart_timing
from wattigram.core.predict.pins import input_poles_s, pwm_pin, pwm_timing, settling_s
from wattigram.core.predict.program import reaction_timing
from wattigram.core.predict.timing import route_timing
from wattigram.core.predict.waveform import dac_playback, output_spectrum

Values = dict[str, Any]


def outputs_json(workspace: Workspace) -> Values:
    """The parts of ``check --json`` that speak of outputs."""
    project = workspace.project
    return {
        "generators": [_generator(workspace, generator) for generator in project.generators],
        "pwm": [_pwm(workspace, pwm) for pwm in project.pwm],
        "uarts": [_uart(workspace, uart) for uart in project.uarts],
        "routes": [_route(workspace, route) for route in project.routes],
        "reactions": [_reaction(workspace, reaction) for reaction in project.reactions],
    }


def _decibels(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _generator(workspace: Workspace, generator: Generator) -> Values:
    made = dac_playback(workspace, generator)
    values: Values = {
        "name": generator.name,
        "dac": generator.dac,
        "kind": former_value(generator.output, "kind"),
        "update_hz": float(1 / made.update_s),
        "points": len(made.wanted_v),
        "wave_hz": float(made.wave_hz),
        "error_ppm": float(made.error * 1_000_000),
        "lsb_v": made.lsb_v,
        "droop_db": None,
        "image_dbc": None,
        "clipped_points": made.clipped,
        "low_code": int(made.codes.min()),
        "high_code": int(made.codes.max()),
        "low_v": float(made.levels_v.min()),
        "high_v": float(made.levels_v.max()),
        "lap_s": float(made.lap_s),
        "begin_s": float(made.begin_s + made.late_s),
        "skipped": made.skipped,
        "bytes": 2 * len(made.wanted_v) if isinstance(generator.output, Playback) else 0,
    }
    if isinstance(generator.output, Playback):
        spectrum = output_spectrum(made)
        values |= {
            "droop_db": _decibels(spectrum.droop_db),
            "image_dbc": _decibels(spectrum.image_dbc),
        }
    return values


def _pwm(workspace: Workspace, pwm: PwmOutput) -> Values:
    timing = pwm_timing(workspace, pwm)
    pin = pwm_pin(workspace, pwm)
    wired = [
        wiring
        for wiring in workspace.project.bench
        if wiring.source.kind == "jumper" and wiring.source.pin == pin
    ]
    poles = input_poles_s(workspace, wired[0]) if wired else ()
    return {
        "name": pwm.name,
        "pin": pin,
        "rate_hz": float(1 / timing.period_s),
        "counts": timing.counts,
        "bits": timing.bits,
        "duty": float(timing.duty),
        "mean_v": timing.mean_v,
        "ripple_v": timing.ripple_v(poles) if poles else None,
        "settling_s": settling_s(poles, timing.bits) if poles else None,
    }


def _uart(workspace: Workspace, uart: UartSetup) -> Values:
    timing = uart_timing(workspace, uart)
    return {
        "name": uart.name,
        "baud": float(timing.baud_hz),
        "error_ppm": float(timing.error * 1_000_000),
        "bytes_hz": float(timing.bytes_hz),
    }


def _reaction(workspace: Workspace, reaction: Reaction) -> Values:
    timing = reaction_timing(workspace, reaction)
    output = output_of(reaction)
    return {
        "name": reaction.name,
        "when": plain_values(reaction.when, with_none=True),
        "do": plain_values(reaction.do, with_none=True),
        "moves": output.title if output is not None else None,
        "least_s": float(timing.least_s),
        "most_s": float(timing.most_s),
        "filter_s": float(timing.filter_s),
        "load_s": float(timing.load_s),
        "wire_s": float(timing.wire_s),
        "cycles": reaction.cycles,
        "busy": None if timing.busy is None else float(timing.busy),
    }


def _route(workspace: Workspace, route: Route) -> Values:
    timing = route_timing(workspace, route)
    source, sink = (
        plain_values(route.source, with_none=True),
        plain_values(route.destination, with_none=True),
    )
    return {
        "name": route.name,
        "from": " ".join(str(value) for value in source.values() if value is not None),
        "to": " ".join(str(value) for value in sink.values()),
        "trigger": former_value(route, "request"),
        "source_rate_hz": float(timing.source_hz),
        "write_rate_hz": float(timing.transfers_hz),
        "sink_rate_hz": float(timing.sink_hz),
        "effective_rate_hz": timing.effective_hz,
        "overwritten_rate_hz": timing.overwritten_hz,
        "repeated_rate_hz": timing.repeated_hz,
        "torn_rate_hz": timing.torn_hz,
        "value_bits": timing.value_bits,
        "carried_bits": timing.carried_bits,
        "latency_s": timing.latency_s,
    }
