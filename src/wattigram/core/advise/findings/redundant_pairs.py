"""Rules on twins: two readings of one thing, held against each other."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.fixes import round_up
from wattigram.core.base.errors import WattigramError
from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.model.design import Chain, FollowTrigger, Signal, Workspace
from wattigram.core.model.design.edits import (
    Edit,
    SetFilter,
    SetRedundantPair,
    SetTrigger,
    apply_edit,
)
from wattigram.core.predict.accuracy import PairMetrics, pair_metrics, pair_rates_hz


@rule("twin-too-tight", cell="thresholds")
def pair_tolerance_too_tight(workspace: Workspace) -> Iterator[Finding]:
    """The pair trips although nothing is wrong."""
    for signal in workspace.project.signals:
        figures = pair_metrics(workspace, signal)
        if (
            figures is None
            or signal.redundant_pair is None
            or figures.within_v is None
            or figures.worst_v <= figures.within_v
        ):
            continue
        yield Finding(
            "twin-too-tight",
            "error",
            signal.name,
            f"{signal.name} and {figures.of} differ by themselves",
            f"Offset {format_volts(figures.offset_v)}, gain {format_volts(figures.gain_v)}, noise "
            f"{format_volts(figures.noise_v)} "
            f"rms, {format_si(figures.skew_s, 's', 3)} of skew {format_volts(figures.skew_v)} and "
            "settling "
            f"{format_volts(figures.settling_v)} make up to {format_volts(figures.worst_v)}; "
            f"{format_volts(figures.within_v)} is "
            "allowed.",
            _wider(workspace, signal, figures),
            signal=signal.name,
        )


@rule("twin-on-one-converter", cell="thresholds")
def paired_signal_not_converted(workspace: Workspace) -> Iterator[Finding]:
    """The pair is never compared."""
    for signal in workspace.project.signals:
        if signal.partner is None:
            continue
        chains = [workspace.project.chain_of(name) for name in (signal.name, signal.partner)]
        if chains[0] is not None and chains[0] is chains[1]:
            yield Finding(
                "twin-on-one-converter",
                "warning",
                signal.name,
                f"{signal.name} and its pair share a converter",
                f"Both are converted by {chains[0].converter}, one after the other: what is wrong "
                "with it is wrong with both.",
                signal=signal.name,
            )


@rule("twin-stage-differs")
def only_one_is_reduced(workspace: Workspace) -> Iterator[Finding]:
    """One of a pair is averaged and the other is not: their noise and their instants are not
    alike."""
    for signal in workspace.project.signals:
        if signal.redundant_pair is None:
            continue
        other = workspace.project.signal(signal.redundant_pair.paired_with)
        chains = [workspace.project.chain_of(one.name) for one in (signal, other)]
        if None in chains or (signal.later_filter is None) == (other.later_filter is None):
            continue
        reduced, raw = (signal, other) if signal.later_filter is not None else (other, signal)
        stage = reduced.later_filter
        assert stage is not None
        yield Finding(
            "twin-stage-differs",
            "warning",
            signal.name,
            f"Only one of {signal.name} and {other.name} is filtered",
            f"{reduced.name} comes from a stage over {stage.count} samples, {raw.name} does not: "
            "their values come at "
            f"unequal rates, and the program compares the samples before the stage.",
            SetFilter(raw.name, stage),
            signal=signal.name,
        )


@rule("twin-out-of-step", cell="thresholds")
def pairs_out_of_step(workspace: Workspace) -> Iterator[Finding]:
    """Each value is held against the other's nearest in time; where one of the two comes faster,
    they are apart."""
    for signal in workspace.project.signals:
        rates = pair_rates_hz(workspace, signal)
        if rates is None or signal.redundant_pair is None or rates[0] == rates[1]:
            continue
        other = signal.redundant_pair.paired_with
        yield Finding(
            "twin-out-of-step",
            "warning",
            signal.name,
            f"{signal.name} and {other} do not keep step",
            f"{signal.name} gives values at {format_si(rates[0], 'Hz', 5)} and {other} at "
            f"{format_si(rates[1], 'Hz', 5)}. Each is "
            f"held against the nearest one of {other}, up to "
            f"{format_si(1 / rates[1] / 2, 's', 3)} away.",
            _in_step(workspace, signal),
            signal=signal.name,
        )


@rule("twin-pauses", cell="thresholds")
def only_one_pauses(workspace: Workspace) -> Iterator[Finding]:
    """While the converter of one of a pair is off, nothing is compared."""
    for signal in workspace.project.signals:
        if pair_rates_hz(workspace, signal) is None or signal.redundant_pair is None:
            continue
        for name in (signal.name, signal.redundant_pair.paired_with):
            chain = workspace.project.chain_of(name)
            if chain is not None and _pauses(workspace, chain):
                yield Finding(
                    "twin-pauses",
                    "warning",
                    signal.name,
                    f"{signal.name} and {signal.redundant_pair.paired_with} do not pause together",
                    f"A threshold stops {chain.converter} and starts it again, while the other goes "
                    "on: in its pauses the two "
                    "are not compared.",
                    signal=signal.name,
                )


def _in_step(workspace: Workspace, signal: Signal) -> Edit | None:
    """Let the signal's converter follow its twin's, where that makes their rates one."""
    assert signal.redundant_pair is not None
    mine, theirs = (
        workspace.project.chain_of(name)
        for name in (signal.name, signal.redundant_pair.paired_with)
    )
    if mine is None or theirs is None or isinstance(theirs.trigger, FollowTrigger):
        return None
    edit = SetTrigger(mine.converter, FollowTrigger(follows=theirs.converter))
    try:
        rates = pair_rates_hz(apply_edit(workspace, edit), signal)
    except WattigramError:
        return None
    return edit if rates is not None and rates[0] == rates[1] else None


def _pauses(workspace: Workspace, chain: Chain) -> bool:
    """A window of its signals stops it for a while."""
    signals = workspace.project.signals_of(chain)
    return any(window.pauses for signal in signals for window in signal.thresholds)


def _wider(workspace: Workspace, signal: Signal, figures: PairMetrics) -> Edit | None:
    """A limit that holds what is to be expected; none where that would no longer tell a failed
    sensor."""
    within_v = round_up(figures.worst_v)
    if signal.redundant_pair is None or within_v > 0.2 * workspace.reference_v / float(
        signal.scaling
    ):
        return None
    return SetRedundantPair(signal.name, signal.redundant_pair.replaced(tolerance_v=within_v))
