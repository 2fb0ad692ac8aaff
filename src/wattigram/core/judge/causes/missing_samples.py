"""Too little comes, or too much: nothing at all, one value, one bufferful, a share of what should,
or the same twice."""

from __future__ import annotations

from wattigram.core.base.quantity import format_percent, format_si
from wattigram.core.judge.causes.base import FailingSignal, LikelyCause, register_cause
from wattigram.core.judge.judgement import due_items
from wattigram.core.model.design import Dma
from wattigram.core.predict.timing import HELD_UP, retrieval_timing

FEWEST_EXPECTED = 8
FEWEST_HALVES = 2
_NEVER_STARTED = ("startup-converter", "startup-trigger", "never-triggered")
_NEVER_FETCHED = ("startup-memory", "startup-interrupt", "polling-times-out", "handler-too-slow")


@register_cause("never-sent")
def nothing_came(case: FailingSignal) -> LikelyCause | None:
    """Not one item; the board's own count of conversions tells a converter that stands still from
    one unheard."""
    due = due_items(case.take, case.chain)
    came = case.take.recorded_count(case.stream)
    # What DMA has moved since the last mark is told when the board is stopped, ISR or none.
    is_tail = isinstance(case.chain.readout, Dma) and 0 < came < case.chain.buffer.samples
    if (came > case.chain.results_per_isr and not is_tail) or due < FEWEST_EXPECTED + came:
        return None
    converted = case.take.totals.get(f"converted.{case.stream}")
    codes: tuple[str, ...] = (*_NEVER_FETCHED, *_NEVER_STARTED)
    if converted is not None:
        codes = _NEVER_FETCHED if converted > 0 else _NEVER_STARTED
    for code in codes:
        finding = case.of_chain(code)
        if came and code != ("startup-interrupt" if is_tail else "polling-times-out"):
            continue  # a program that waits too shortly may still find the very first
        if finding is not None and finding.severity == "error":
            known = (
                ""
                if converted is None
                else f"; it converted {converted} times"
                if converted
                else "; it never converted"
            )
            return case.cause(
                code,
                finding.title,
                1.0 if converted is not None else 0.8,
                f"{came or 'no'} sample{'s' if came > 1 else ''} in "
                f"{format_si(case.take.span_s, 's', 3)}, {due:.0f} were due{known}. "
                f"{finding.message}",
                finding.remedy,
                whole=True,
            )
    if not converted or came:
        return None
    return case.cause(
        "never-sent",
        f"The firmware sends nothing of {case.chain.converter}",
        0.9,
        f"no sample in {format_si(case.take.span_s, 's', 3)}, {due:.0f} were due; it converted "
        f"{converted} times, and nothing in "
        "the design keeps them from coming",
        None,
        whole=True,
    )


@register_cause("polling-times-out")
def results_given_up(case: FailingSignal) -> LikelyCause | None:
    """The program found results late, and says how many of them it let go."""
    finding = case.of_chain("polling-times-out")
    lost = case.take.lost_items(case.stream)
    given_up = case.take.totals.get(f"overruns.{case.stream}", 0)
    if finding is None or not lost or not given_up:
        return None
    return case.cause(
        finding.code,
        finding.title,
        min(lost, given_up) / max(lost, given_up),
        f"{lost} of {case.take.totals.get(f'items.{case.stream}', lost)} results are missing, and the program gave "
        f"{given_up} up. "
        f"{finding.message}",
        finding.remedy,
        whole=True,
    )


@register_cause("started-once")
def one_value_came(case: FailingSignal) -> LikelyCause | None:
    """Exactly one value, or one pass, then silence."""
    items = case.take.recorded_count(case.stream)
    limit = case.cycle.items_limit
    if not items or limit is None or items != limit:
        return None
    finding = case.of_chain("started-once")
    if finding is None:
        return None
    ran = format_si(case.take.span_s, "s", 3)
    what = "one value" if items == 1 else f"one scan of {items} values"
    return case.cause(
        "started-once",
        finding.title,
        1.0,
        f"exactly {what} came in {ran}, then nothing",
        finding.remedy,
        whole=True,
    )


@register_cause("dma-not-endless")
def one_bufferful_came(case: FailingSignal) -> LikelyCause | None:
    """As many items as the loop holds, then silence."""
    items = case.take.recorded_count(case.stream)
    due = due_items(case.take, case.chain)
    if items != case.chain.buffer.samples or due < 1.5 * items:
        return None
    finding = case.of_chain("dma-not-endless")
    return case.cause(
        "dma-not-endless",
        f"{case.chain.buffer.name} fills once and freezes",
        1.0 if finding is not None else 0.6,
        f"exactly {items} samples came, as many as {case.chain.buffer.name} holds; {due:.0f} were due "
        "in "
        f"{format_si(case.take.span_s, 's', 3)}",
        finding.remedy if finding is not None else None,
        whole=True,
    )


@register_cause("single-run-circular")
def single_run_went_on(case: FailingSignal) -> LikelyCause | None:
    """More came than a single run has: the channel goes round."""
    readout = case.chain.readout
    items, wanted = case.take.recorded_count(case.stream), case.chain.buffer.samples
    if not readout.single_run or items <= wanted:
        return None
    finding = case.of_chain("single-run-circular")
    return case.cause(
        "single-run-circular",
        f"{case.chain.buffer.name} goes on after its single run",
        1.0 if finding is not None else 0.6,
        f"{items} samples came; {wanted} are wanted and no more",
        finding.remedy if finding is not None else None,
        whole=True,
    )


@register_cause("half-not-served")
def half_never_came(case: FailingSignal) -> LikelyCause | None:
    """Of each lap the same half is missing: its mark is not served."""
    rows = case.take.gaps
    firsts, counts = (
        rows[name][rows["stream"] == case.stream].astype(int) for name in ("first", "count")
    )
    items = case.chain.buffer.samples
    shares = []
    if len(counts) < FEWEST_HALVES or not isinstance(case.chain.readout, Dma):
        return None
    for begin, end in ((0, items // 2), (items // 2, items)):
        mine = (firsts % items == begin) & (counts == end - begin)
        shares.append(float(counts[mine].sum()) / float(counts.sum()))
    half = 0 if shares[0] >= shares[1] else 1
    return case.cause(
        "half-not-served",
        f"The {('first', 'second')[half]} half of {case.chain.buffer.name} is never sent",
        shares[half],
        f"{counts.sum()} samples never came; {shares[half] * 100:.0f} % of them are the "
        f"{('first', 'second')[half]} halves of "
        f"{len(counts)} wraps: the ISR of {case.chain.readout.channel} does nothing at the "
        f"{('half', 'full')[half]} mark, or is not told of it",
        None,
        whole=True,
    )


@register_cause("numbers-jump")
def numbers_jump(case: FailingSignal) -> LikelyCause | None:
    """Items have numbers to which no converter could have come: their count was taken from
    elsewhere."""
    jumps = case.take.totals.get(f"jumps.{case.stream}", 0)
    if not jumps:
        return None
    return case.cause(
        "numbers-jump",
        f"The firmware counts samples of {case.chain.converter} wrongly",
        1.0,
        f"the numbers of samples went {jumps} time{'s' if jumps > 1 else ''} further than there was "
        "time for: the count that "
        "an ISR passes on is not that of its own converter",
        None,
        whole=True,
    )


@register_cause("sent-again")
def sent_again(case: FailingSignal) -> LikelyCause | None:
    """Items come again in portions of a half: a handler serves marks that are no longer there."""
    rows = case.take.repeats
    counts = rows["count"][rows["stream"] == case.stream]
    came = case.take.recorded_count(case.stream)
    if not len(counts) or not came:
        return None
    portion = case.chain.buffer.samples - case.chain.buffer.samples // 2
    whole = float(counts[counts % portion == 0].sum()) / float(counts.sum())
    what = "mark's" if isinstance(case.chain.readout, Dma) else "result's"
    return case.cause(
        "sent-again",
        f"A {what} flag is served without being taken",
        0.5 + 0.5 * whole,
        f"{counts.sum()} samples of {case.chain.buffer.name} came again, {came} came once; "
        f"{whole * 100:.0f} % of them in portions of {portion}, as half of {case.chain.buffer.name} "
        "holds",
        None,
        whole=True,
    )


@register_cause("handler-too-slow")
def some_are_lost(case: FailingSignal) -> LikelyCause | None:
    """The share that is missing is the share that a handler of this length loses."""
    timing = retrieval_timing(case.take.workspace, case.chain)
    if timing.reason not in {"ISR too slow", "no processor time"}:
        return None
    return _lost_as_predicted(
        case,
        "handler-too-slow",
        f"The ISR of {case.chain.buffer.name} is longer than its deadline",
        f"an ISR of {format_si(timing.service_s, 's', 3)} with "
        f"{format_si(timing.deadline_s, 's', 3)} to spare",
    )


@register_cause("isr-held-up")
def others_come_first(case: FailingSignal) -> LikelyCause | None:
    """The share that is missing is the share that is overwritten while other ISRs run."""
    timing = retrieval_timing(case.take.workspace, case.chain)
    if timing.reason != HELD_UP:
        return None
    return _lost_as_predicted(
        case,
        "isr-held-up",
        f"The ISR of {case.chain.buffer.name} waits too long for others",
        f"ISRs that take {format_si(timing.held_up_s, 's', 3)}, with "
        f"{format_si(timing.deadline_s, 's', 3)} from one to the next",
    )


def _lost_as_predicted(
    case: FailingSignal, code: str, says: str, of_what: str
) -> LikelyCause | None:
    timing = retrieval_timing(case.take.workspace, case.chain)
    produced = float(timing.items_hz) * case.take.span_s
    came = case.take.recorded_count(case.stream) - case.take.lost_items(case.stream)
    if produced < FEWEST_EXPECTED or came >= produced:
        return None
    lost, predicted = 1 - came / produced, float(timing.lost_hz / timing.items_hz)
    finding = case.of_chain(code)
    return case.cause(
        code,
        says,
        1 - abs(lost - predicted) / max(lost, predicted),
        f"{format_percent(lost)} of the samples never came, {format_percent(predicted)} predicted of {of_what}",
        finding.remedy if finding is not None else None,
        whole=True,
    )
