"""Whether reactions came in time, and what they put out."""

from __future__ import annotations

import numpy as np

from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.capture.take import Take
from wattigram.core.judge.judgement import Judgement, not_judged, within
from wattigram.core.judge.reaction_effects import (
    SentText,
    causes_of,
    effects_of,
    samples_of,
    sent_texts,
)
from wattigram.core.judge.verdict import Outcome
from wattigram.core.model.design import (
    BarAction,
    BytesAction,
    ConverterAction,
    DacAction,
    DutyAction,
    EndAction,
    PeriodAction,
    Reaction,
    ReactionExpectation,
    TextAction,
    TextExpectation,
    TextValue,
    output_of,
    text_pieces,
)
from wattigram.core.predict.expected import ReadingBand, expected_program_values, setter_of
from wattigram.core.predict.pins import set_while_running
from wattigram.core.predict.program import reaction_timing, wire_s

NEARLY_ALL = 0.995
"""Share of the values that must be what they should."""


def judge_reaction(take: Take, expectation: ReactionExpectation) -> Judgement:
    """Each effect comes within its time, none is missing, and none comes by itself; what is put
    into a register is what it should be."""
    reaction = take.workspace.project.reaction(expectation.signal)
    if reaction is None:
        return not_judged("the take's design has no such reaction")
    within_s = float(expectation.within_s)
    seen = effects_of(take, reaction, within_s)
    if seen is None:
        return not_judged(
            "what it does shows in the samples only"
            if isinstance(reaction.do, (ConverterAction, EndAction))
            else "nobody sees what own code does"
        )
    if not seen.due and not seen.unexpected:
        return not_judged("nothing was to happen in this take")
    worst_s = float(seen.latencies_s.max(initial=0.0))
    least_s = float(seen.latencies_s.min(initial=worst_s))
    note = (
        f"{len(seen.latencies_s)} of {seen.due} times, {format_si(least_s, 's', 4)} … "
        f"{format_si(worst_s, 's', 4)} after its cause"
    )
    late = int(np.count_nonzero(seen.latencies_s > within_s))
    outcome: Outcome = "holds"
    for count, what in (
        (seen.missing, "did not come"),
        (late, "too late"),
        (seen.unexpected, "without a cause"),
    ):
        if count:
            note += f"; {count} {what}"
            outcome = "fails"
    if isinstance(reaction.do, (BarAction, DutyAction, PeriodAction, DacAction)):
        share = matched_share(take, reaction)
        output = output_of(reaction)
        if share is not None:
            note += f"; {share * 100:.4g} % of the values as they should be"
            outcome = "fails" if share < NEARLY_ALL else outcome
        elif outcome == "holds":
            is_alone = output is not None and setter_of(take.workspace, output) is not None
            why = "nobody can foretell them" if is_alone else "others set the same"
            note += f"; its values are not judged, for {why}"
            outcome = "open"
    return Judgement(outcome, worst_s, "s", None, within_s, len(seen.latencies_s), note)


def matched_share(take: Take, reaction: Reaction) -> float | None:
    """Share of what was put into a register that is what it should be; None where nobody can
    say."""
    output = output_of(reaction)
    if output is None or setter_of(take.workspace, output) is None:
        return None
    seen = samples_of(take, output)
    kept = ~seen.overwritten
    times_s, values = seen.times_s[kept], seen.values[kept]
    if output.kind == "pins":
        times_s, values = times_s[1:], values[1:]
        if isinstance(reaction.do, BarAction) and reaction.do.shows == "bar":
            values = np.array([int(value).bit_count() for value in values.tolist()])
    if not len(times_s):
        return None
    wanted = expected_program_values(take.workspace, reaction, times_s)
    if wanted is None:
        return None
    return float(np.mean((values >= wanted.low) & (values <= wanted.high)))


def judge_text(take: Take, expectation: TextExpectation) -> Judgement:
    """Every text came, reads as it should, and has the values that its signals had."""
    workspace = take.workspace
    reaction = workspace.project.reaction(expectation.signal)
    if reaction is None or not isinstance(reaction.do, (TextAction, BytesAction)):
        return not_judged("the take's design has no such text")
    texts, strays = sent_texts(take, reaction.do.uart)
    mine = [text for text in texts if text.reaction == reaction.name]
    due = len(causes_of(take, reaction))
    if not due and not mine:
        return not_judged("nothing was to be sent in this take")
    latest_s = float(
        reaction_timing(workspace, reaction).latest_s + 2 * wire_s(workspace, reaction)
    )
    seen = effects_of(take, reaction, latest_s)
    missing = seen.missing if seen is not None else 0
    worst_v = _worst_v(take, reaction, mine, latest_s)
    note = f"{len(mine)} texts"
    outcome: Outcome = "holds"
    if missing:
        outcome, note = "fails", f"{note}; {missing} did not come"
    if strays:
        outcome, note = "fails", f"{note}; {strays} bytes read as nothing that is sent"
    if worst_v is None:
        return Judgement(outcome, None, "V", None, expectation.within_v, len(mine), note)
    note = f"{note}; values at most {format_volts(worst_v)} off"
    if within(worst_v, None, expectation.within_v) == "fails":
        outcome = "fails"
    return Judgement(outcome, worst_v, "V", None, expectation.within_v, len(mine), note)


def _worst_v(
    take: Take, reaction: Reaction, texts: list[SentText], latest_s: float
) -> float | None:
    """By how much a value was beside all that its signal had while it could be read; None without
    values that anybody can foretell."""
    workspace = take.workspace
    readings = list(_streams(reaction))
    worst_v: float | None = None
    times_s = np.array([text.time_s for text in texts])
    for place, (name, stream) in enumerate(readings):
        if set_while_running(workspace, workspace.project.signal(name)) or not len(times_s):
            continue
        low_v, high_v = ReadingBand(workspace, name, stream).settled_at(times_s, latest_s)
        said_v = np.array([text.values_v[place] for text in texts])
        off_v = np.maximum(np.maximum(low_v - said_v, said_v - high_v), 0.0)
        worst_v = max(worst_v or 0.0, float(off_v.max()))
    return worst_v


def _streams(reaction: Reaction) -> list[tuple[str, str]]:
    """Signal and stream of each value in a text, in its order."""
    if isinstance(reaction.do, BytesAction):
        return [(signal, reaction.do.input) for signal in reaction.do.signals]
    assert isinstance(reaction.do, TextAction)
    return [
        (piece.signal, piece.input)
        for piece in text_pieces(reaction.do.text)
        if isinstance(piece, TextValue)
    ]
