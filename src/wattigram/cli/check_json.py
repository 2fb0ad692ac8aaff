"""The figures of a design as plain values; ``docs/cli.md`` explains the keys."""

from __future__ import annotations

from typing import Any

from wattigram.cli.outputs_json import outputs_json
from wattigram.core.advise.findings import Finding
from wattigram.core.model.design import Chain, Signal, Workspace, limits_v, signal_scale
from wattigram.core.model.design.edits import describe
from wattigram.core.model.design.former_words import former_value
from wattigram.core.predict.accuracy import (
    comparator_metrics,
    filter_metrics,
    pair_metrics,
    signal_noise,
    slot_settling,
    threshold_latency_s,
)
from wattigram.core.predict.timing import (
    buffer_timing,
    gap_cycles,
    isr_service_s,
    looks_for_results,
    main_cycles,
    retrieval_timing,
    right_order,
    scan_timing,
    startup,
)

Values = dict[str, Any]


def check_json(workspace: Workspace, findings: tuple[Finding, ...]) -> Values:
    """All that ``check --json`` prints."""
    project = workspace.project
    return {
        "project": project.name,
        "part": workspace.part.name,
        "build_mark": workspace.build_id,
        "pins": [_pin(workspace, signal) for signal in project.signals],
        "converters": [_converter(workspace, chain) for chain in project.chains],
        "startup": [
            {"converter": chain.converter, **step}
            for chain in project.chains
            for step in _startup(workspace, chain)
        ],
        "loops": [_loop(workspace, chain) for chain in project.chains],
        "windows": [
            _window(workspace, signal, index)
            for signal in project.signals
            for index in range(len(signal.thresholds))
        ],
        "comparators": [_comparator(workspace, index) for index in range(len(project.comparators))],
        **outputs_json(workspace),
        "twins": [
            values for signal in project.signals if (values := _twin(workspace, signal)) is not None
        ],
        "findings": [
            {
                "code": finding.code,
                "severity": finding.severity,
                "where": finding.where,
                "message": finding.message,
                "why": finding.why or None,
                "remedy": finding.fix or None,
                "accepted": finding.accepted or None,
                "edit": describe(finding.remedy) if finding.remedy else None,
            }
            for finding in findings
        ],
    }


def _pin(workspace: Workspace, signal: Signal) -> Values:
    chain = workspace.project.chain_of(signal.name)
    converters = [workspace.converter(chain)] if chain else list(workspace.part.converters)
    channel = next(
        (converter.channel(signal.pin, signal.negative) for converter in converters), None
    )
    others = [
        other.name
        for other in workspace.project.signals
        if other is not signal and signal.pin in (other.pin, other.negative)
    ]
    return {
        "signal": signal.name,
        "pin": signal.pin,
        "negative": signal.negative,
        "converter": chain.converter if chain else None,
        "channel": channel,
        "shared_with": others,
        "wired": workspace.wiring(signal.pin) is not None,
    }


def _converter(workspace: Workspace, chain: Chain) -> Values:
    cycle = scan_timing(workspace, chain)
    retrieval = retrieval_timing(workspace, chain)
    each = chain.buffer.round_cycles if looks_for_results(chain) else None
    return {
        "name": chain.converter,
        "clock_hz": float(cycle.clock_hz),
        "trigger": former_value(chain.trigger, "kind"),
        "per_trigger": former_value(chain, "per_trigger"),
        "period_s": float(cycle.period_s),
        "cycle_s": float(cycle.cycle_s),
        "cycle_rate_hz": 0.0 if cycle.items_limit is not None else float(cycle.cycle_rate_hz),
        "busy_s": float(cycle.busy_s),
        "slack_s": float(cycle.slack_s),
        "jitter_s": float(cycle.jitter_s),
        "missed_rate_hz": float(cycle.missed_hz),
        "items_limit": cycle.items_limit,
        "retrieval": {
            "kind": retrieval.kind,
            "events_hz": float(retrieval.events_hz),
            "cpu_load": float(retrieval.cpu_share),
            "isr_s": float(isr_service_s(workspace, chain)),
            "main_s": float(main_cycles(chain) / workspace.bus_clock_hz),
            "round_s": float(each / workspace.bus_clock_hz) if each is not None else None,
            "gap_s": float(gap_cycles(chain) / workspace.bus_clock_hz),
            "held_up_s": float(retrieval.held_up_s),
            "deadline_s": float(retrieval.deadline_s) if retrieval.overwrites else None,
            "lost_rate_hz": float(retrieval.lost_hz),
            "reason": retrieval.reason,
        },
        "startup": _startup(workspace, chain),
        "slots": [_slot(workspace, chain, place) for place in range(len(chain.slots))],
    }


def _startup(workspace: Workspace, chain: Chain) -> list[Values]:
    why = dict(right_order(workspace, chain))
    return [{"step": step, "why": why.get(step, "")} for step in startup(workspace, chain).order]


def _slot(workspace: Workspace, chain: Chain, place: int) -> Values:
    timing = scan_timing(workspace, chain).slots[place]
    signal = workspace.project.signal(timing.signal)
    settling = slot_settling(workspace, chain, place)
    reduce = _reduce(workspace, chain, signal)
    return {
        "signal": signal.name,
        "pin": signal.pin,
        "sampling_s": float(timing.sampling_s),
        "conversion_s": float(timing.conversion_s),
        "repeats": timing.repeats,
        "start_s": float(timing.start_s),
        "held_s": float(timing.held_s),
        "rate_hz": float(timing.rate_hz),
        "reduced_rate_hz": reduce["rate_hz"] if reduce else float(timing.rate_hz),
        "noise_lsb": signal_noise(workspace, chain, signal).raw_lsb,
        "reduce": reduce,
        "lsb_v": signal_scale(workspace, chain, signal.name).lsb_v,
        "settling_error_lsb": settling.full_scale_error_lsb,
        "settling_error_wired_lsb": settling.wired_error_lsb,
    }


def _reduce(workspace: Workspace, chain: Chain, signal: Signal) -> Values | None:
    stage = signal.filter
    if stage is None:
        return None
    slot = scan_timing(workspace, chain).slots[chain.places_of(signal.name)[0]]
    inside = signal.slot_filter is not None
    figures = filter_metrics(
        stage, float(1 / slot.each_s) if inside else float(slot.rate_hz), chain.bits
    )
    return {
        "kind": former_value(stage, "kind"),
        "by": stage.done_in,
        "count": stage.count,
        "shift": stage.shift,
        "rate_hz": float(slot.rate_hz) if inside else figures.rate_hz,
        "noise_lsb": signal_noise(workspace, chain, signal).reduced_lsb,
        "bias_lsb": signal_noise(workspace, chain, signal).bias_lsb,
        "cutoff_hz": figures.cutoff_hz,
        "latency_s": figures.latency_s,
        "bits": figures.bits,
        "gain": float(stage.gain_ratio),
    }


def _loop(workspace: Workspace, chain: Chain) -> Values:
    loop = buffer_timing(workspace, chain)
    return {
        "name": loop.name,
        "items": loop.items,
        "bytes": loop.bytes,
        "lap_s": float(loop.lap_s),
        "half_s": float(loop.half_s),
        "read_period_s": None if loop.read_period_s is None else float(loop.read_period_s),
        "newest_age_s": None if loop.read_period_s is None else float(loop.oldest_s),
        "in_step": loop.in_step,
    }


def _window(workspace: Workspace, signal: Signal, index: int) -> Values:
    window = signal.thresholds[index]
    low_v, high_v = limits_v(workspace, signal, window)
    chain = workspace.project.chain_of(signal.name)
    lsb_v = signal_scale(workspace, chain, signal.name).lsb_v if chain else None
    return {
        "signal": signal.name,
        "name": window.name,
        "low_v": low_v,
        "high_v": high_v,
        "low_code": signal.at_pin(low_v) / lsb_v if lsb_v else None,
        "high_code": signal.at_pin(high_v) / lsb_v if lsb_v else None,
        "condition": window.condition,
        "on": "deviation" if window.on_deviation else former_value(window, "input"),
        "target": window.minus_signal or window.minus_v,
        "hysteresis_v": window.hysteresis_v,
        "times": window.consecutive,
        "when": former_value(window, "on"),
        "action": window.action,
        "by": window.done_in,
        "latency_s": threshold_latency_s(workspace, signal, window),
    }


def _comparator(workspace: Workspace, index: int) -> Values:
    comparator = workspace.project.comparators[index]
    figures = comparator_metrics(workspace, comparator)
    return {
        "name": comparator.name,
        "signal": comparator.signal,
        "against": comparator.against,
        "threshold_v": figures.threshold_v,
        "rising_v": figures.rising_v,
        "falling_v": figures.falling_v,
        "hysteresis_v": comparator.hysteresis_v,
        "noise_v": figures.noise_v,
        "slope_v_s": figures.slope_v_s,
        "crossings_hz": figures.crossings_hz,
        "edges_per_crossing": figures.edges,
        "edges_per_crossing_low": figures.edges_low,
    }


def _twin(workspace: Workspace, signal: Signal) -> Values | None:
    figures = pair_metrics(workspace, signal)
    if figures is None:
        return None
    return {
        "signal": figures.signal,
        "of": figures.of,
        "within_v": figures.within_v,
        "offset_v": figures.offset_v,
        "gain_v": figures.gain_v,
        "noise_v": figures.noise_v,
        "skew_s": figures.skew_s,
        "skew_v": figures.skew_v,
        "settling_v": figures.settling_v,
        "worst_v": figures.worst_v,
    }
