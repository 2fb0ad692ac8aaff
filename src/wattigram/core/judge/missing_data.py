"""What of a signal's stream is missing although it was due: whatever was judged rests on the rest
alone."""

from __future__ import annotations

from wattigram.core.base.quantity import format_si
from wattigram.core.capture.take import Take
from wattigram.core.contract.link import REDUCED_STREAM
from wattigram.core.judge.judgement import single_run_items
from wattigram.core.judge.threshold_events import crossings
from wattigram.core.model.design import Chain, Workspace, rate_divisor, tap_index
from wattigram.core.predict.expected import band_half_width_v
from wattigram.core.predict.timing import buffer_timing, scan_timing

MOST_LOST = 0.25
"""Share of the items; of fewer an expectation of the rate tells."""
FEWEST_BLOCKS = 4
LONGEST_SILENCE = 0.25
"""Share of the take at its end, beyond what waits for a mark."""


def missing_text(take: Take, name: str) -> str:
    """In what a signal's stream falls short of a whole one, for people; "" where it does not.

    Chains that may be silent, for they are started by events or stopped by windows or once over,
    are not judged.
    """
    chain = take.workspace.project.chain_of(name)
    if chain is None or take.has_only_samples or not _goes_on(take, chain):
        return ""
    stream = take.workspace.project.chains.index(chain)
    if not take.item_count(stream):
        return ""
    lap_s = 2 * float(buffer_timing(take.workspace, chain).half_s)
    ticks = take.frame_rows(stream)["ticks"]
    last_s = (
        int(ticks[-1]) / take.tick_hz + lap_s if len(ticks) else take.seconds
    )  # a take that was mended may have none
    if (
        single_run_items(take, chain) is None
        and last_s + lap_s - take.begins_s < (1 - LONGEST_SILENCE) * take.span_s
    ):
        return f"nothing more came of {name} after about {format_si(last_s, 's', 2)} of {format_si(take.seconds, 's', 2)}"
    lost = take.lost_items(stream) / max(1, take.recorded_count(stream))
    if jumps := take.totals.get(f"jumps.{stream}", 0):
        return f"the numbers of its samples went where they cannot be, {jumps} time{'s' if jumps > 1 else ''}"
    if lost > MOST_LOST:
        return f"{lost * 100:.0f} % of {name} never came"
    return _stage_text(take, chain, name)


def _stage_text(take: Take, chain: Chain, name: str) -> str:
    """That a signal's stage gave nothing although it had enough to work with."""
    signal = take.workspace.project.signal(name)
    index = tap_index(take.workspace.project, name)
    if signal.later_filter is None or index is None or take.item_count(REDUCED_STREAM + index):
        return ""
    samples = take.recorded_cycles(chain) * len(chain.places_of(name))
    enough = FEWEST_BLOCKS * rate_divisor(signal.later_filter) + chain.buffer.samples
    return f"the stage of {name} gave nothing" if samples > enough else ""


def may_pause(workspace: Workspace, chain: Chain) -> bool:
    """A window, a pair or a reaction of the design stops the chain and starts it again: pauses are
    intended."""
    signals = workspace.project.signals_of(chain)
    return workspace.project.is_controlled(chain) or any(
        window.pauses for signal in signals for window in signal.thresholds
    )


def has_paused(take: Take, chain: Chain) -> bool:
    """A window of the design stopped the chain, by what the board told, and readings as sure as
    they are may do that."""
    if not may_pause(take.workspace, chain):
        return False
    if take.workspace.project.is_controlled(chain):
        return True  # how long it was off, events and periods decide
    names = {slot.signal for slot in chain.slots}
    for watch in take.workspace.watches:
        if watch.kind != "window" or watch.signal not in names:
            continue
        window = watch.window(take.workspace.project)
        if window.action != "stop" or not any(
            entered for _at, entered in crossings(take, watch).came
        ):
            continue
        unsure_v = band_half_width_v(
            take.workspace, chain, watch.signal, window.input == "filtered"
        )
        if any(crossings(take, watch, off_v=off_v).wanted for off_v in (0.0, -unsure_v, unsure_v)):
            return True
    return False


def _goes_on(take: Take, chain: Chain) -> bool:
    cycle = scan_timing(take.workspace, chain)
    stops = take.workspace.project.is_stopped_by_events(chain)
    return cycle.trigger.pace in {"pattern", "self"} and not stops
