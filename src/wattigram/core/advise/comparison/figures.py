"""The figures of a design by name, and those of two designs in one table."""

from __future__ import annotations

import msgspec

from wattigram.core.advise.findings import find_all
from wattigram.core.base.quantity import format_counts, format_si
from wattigram.core.model.design import (
    Chain,
    Reaction,
    Signal,
    Workspace,
    rate_divisor,
    signal_scale,
)
from wattigram.core.predict.accuracy import (
    filter_metrics,
    signal_noise,
    slot_settling,
    threshold_latency_s,
)
from wattigram.core.predict.pins import pwm_timing
from wattigram.core.predict.program import do_texts, reaction_timing, when_text
from wattigram.core.predict.timing import buffer_timing, retrieval_timing, route_timing, scan_timing
from wattigram.core.predict.waveform import dac_playback

Value = float | str | None
Figures = dict[tuple[str, str], tuple[Value, str]]
"""(subject, figure) → (value, unit)"""


class DesignDifference(msgspec.Struct, frozen=True):
    """One figure of two designs; a value is None where the design has no such thing.

    ``better`` says which of the two is better, "a" or "b"; "" where neither is or it cannot be
    said.
    """

    subject: str
    figure: str
    unit: str
    a: Value
    b: Value
    better: str = ""

    @property
    def is_equal(self) -> bool:
        """Both have the same."""
        if isinstance(self.a, float) and isinstance(self.b, float):
            return _alike(self.a, self.b, self.unit)
        return self.a == self.b


_LESS_IS_BETTER = {
    "settling, as wired",
    "noise",
    "processor",
    "samples lost",
    "triggers missed",
    "memory",
    "event latency",
    "acts within",
    "errors",
    "warnings",
    "jitter",
    "overwritten",
    "points clipped",
    "torn",
}


def value_text(value: Value, unit: str) -> str:
    """A figure for people."""
    if isinstance(value, float):
        if unit == "LSB":
            return format_counts(value)
        return format_si(value, unit, 5) if unit else f"{value:g}"
    return "–" if value is None else value


def compare_designs(a: Workspace, b: Workspace) -> tuple[DesignDifference, ...]:
    """All figures of two designs, in the order of the first; those that only the second has come
    after."""
    left, right = design_figures(a), design_figures(b)
    keys = [*left, *(key for key in right if key not in left)]
    subjects = list(dict.fromkeys(subject for subject, _figure in keys))
    keys.sort(key=lambda key: subjects.index(key[0]))
    differences = []
    for subject, figure in keys:
        mine, unit = left.get((subject, figure), (None, ""))
        theirs, unit = right.get((subject, figure), (None, unit))
        differences.append(
            DesignDifference(
                subject, figure, unit, mine, theirs, _better(figure, unit, mine, theirs)
            )
        )
    return tuple(differences)


def _alike(mine: float, theirs: float, unit: str) -> bool:
    """Equal as far as anybody could tell; a thousandth of a count is none."""
    smallest = 1e-3 if unit == "LSB" else 0.0
    return abs(mine - theirs) <= max(smallest, 1e-9 * max(abs(mine), abs(theirs)))


def _better(figure: str, unit: str, mine: Value, theirs: Value) -> str:
    if (
        figure not in _LESS_IS_BETTER
        or not isinstance(mine, float)
        or not isinstance(theirs, float)
    ):
        return ""
    return "" if _alike(mine, theirs, unit) else "a" if mine < theirs else "b"


def design_figures(workspace: Workspace) -> Figures:
    """Rates, errors, load and memory of a design."""
    project = workspace.project
    figures: Figures = {}
    findings = [one for one in find_all(workspace) if not one.accepted]
    chains = project.chains
    whole = "whole design"
    figures[whole, "part"] = (workspace.part.name, "")
    figures[whole, "full scale"] = (workspace.reference_v, "V")
    figures[whole, "errors"] = (float(sum(finding.severity == "error" for finding in findings)), "")
    figures[whole, "warnings"] = (
        float(sum(finding.severity == "warning" for finding in findings)),
        "",
    )
    load = sum((retrieval_timing(workspace, chain).cpu_share for chain in chains), 0)
    figures[whole, "processor"] = (float(load), "%")
    figures[whole, "memory"] = (
        float(sum(buffer_timing(workspace, chain).bytes for chain in chains)),
        "B",
    )
    for chain in chains:
        figures |= _chain_figures(workspace, chain)
    for signal in project.signals:
        figures |= _signal_figures(workspace, signal)
    return figures | _output_figures(workspace)


def _output_figures(workspace: Workspace) -> Figures:
    project = workspace.project
    figures: Figures = {}
    for generator in project.generators:
        made = dac_playback(workspace, generator)
        figures[generator.name, "frequency"] = (float(made.wave_hz), "Hz")
        figures[generator.name, "update rate"] = (float(1 / made.update_s), "Hz")
        figures[generator.name, "points clipped"] = (float(made.clipped), "")
        figures[generator.name, "table"] = (2.0 * len(made.wanted_v), "B")
    for pwm in project.pwm:
        timing = pwm_timing(workspace, pwm)
        figures[pwm.name, "pulse rate"] = (float(1 / timing.period_s), "Hz")
        figures[pwm.name, "duty"] = (float(timing.duty), "%")
        figures[pwm.name, "duty resolution"] = (float(timing.counts), "")
    for route in project.routes:
        rates = route_timing(workspace, route)
        figures[route.name, "throughput"] = (rates.effective_hz, "Hz")
        figures[route.name, "overwritten"] = (rates.overwritten_hz, "Hz")
        figures[route.name, "torn"] = (rates.torn_hz, "Hz")
    for reaction in project.reactions:
        figures |= _reaction_figures(workspace, reaction)
    return figures


def _reaction_figures(workspace: Workspace, reaction: Reaction) -> Figures:
    name, timing = reaction.name, reaction_timing(workspace, reaction)
    figures: Figures = {
        (name, "when"): (when_text(workspace, reaction), ""),
        (name, "does"): (", ".join(text for text in do_texts(reaction) if text), ""),
        (name, "acts within"): (float(timing.latest_s), "s"),
    }
    if timing.wire_s:
        figures[name, "time on the wire"] = (float(timing.wire_s), "s")
    return figures


def _chain_figures(workspace: Workspace, chain: Chain) -> Figures:
    cycle, timing = scan_timing(workspace, chain), retrieval_timing(workspace, chain)
    name = chain.converter
    deadline: Figures = {}
    if timing.overwrites:
        deadline = {(name, "deadline"): (float(timing.deadline_s), "s")}
    return {
        (name, "trigger"): (chain.trigger.kind, ""),
        (name, "readout"): (chain.readout.kind, ""),
        (name, "clock"): (float(cycle.clock_hz), "Hz"),
        (name, "scan rate"): (float(cycle.cycle_rate_hz), "Hz"),
        (name, "scan time"): (float(cycle.busy_s), "s"),
        (name, "jitter"): (float(cycle.jitter_s), "s"),
        (name, "triggers missed"): (float(cycle.missed_hz), "Hz"),
        (name, "processor"): (float(timing.cpu_share), "%"),
        **deadline,
        (name, "samples lost"): (float(timing.lost_hz), "S/s"),
        (name, "memory"): (float(buffer_timing(workspace, chain).bytes), "B"),
    }


def _signal_figures(workspace: Workspace, signal: Signal) -> Figures:
    name = signal.name
    by_name: Figures = {
        (name, "pin"): (
            signal.pin if signal.negative is None else f"{signal.pin} − {signal.negative}",
            "",
        )
    }
    chain = workspace.project.chain_of(name)
    if chain is None:
        return by_name
    place = chain.places_of(name)[0]
    slot = scan_timing(workspace, chain).slots[place]
    noise = signal_noise(workspace, chain, signal)
    gain = float(signal.scaling)
    settling = slot_settling(workspace, chain, place)
    by_name[name, "sampling instant"] = (float(slot.held_s), "s")
    by_name[name, "rate"] = (float(slot.rate_hz) / rate_divisor(signal.later_filter), "Hz")
    by_name[name, "1 LSB"] = (signal_scale(workspace, chain, name).lsb_v / gain, "V")
    by_name[name, "settling, as wired"] = (settling.wired_error_lsb, "LSB")
    by_name[name, "noise"] = (noise.reduced_lsb, "LSB")
    if signal.filter is not None:
        inside = signal.slot_filter is not None
        rate_hz = float(1 / slot.each_s) if inside else float(slot.rate_hz)
        figures = filter_metrics(signal.filter, rate_hz, chain.bits)
        by_name[name, "−3 dB at"] = (figures.cutoff_hz, "Hz")
    if signal.thresholds:
        latency_s = threshold_latency_s(workspace, signal, signal.thresholds[0])
        if latency_s is not None:
            by_name[name, "event latency"] = (latency_s, "s")
    return by_name
