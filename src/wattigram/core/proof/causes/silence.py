"""Too little comes: nothing at all, one value, one bufferful, or a share of what should."""

from __future__ import annotations

from wattigram.core.design import TimerTrigger
from wattigram.core.proof.causes.base import Case, LikelyCause, tester
from wattigram.core.quantity import brief
from wattigram.core.timing import retrieval_timing

FEWEST_EXPECTED = 8
_NEVER_STARTED = ("startup-converter", "startup-trigger", "never-triggered")
_NEVER_FETCHED = ("startup-memory", "startup-interrupt", "polling-times-out", "handler-too-slow")


def _due(case: Case) -> float:
    """Items that the chain should have brought in the time that the board ran."""
    cycle = case.cycle
    trigger = case.take.workspace.project.own_trigger(case.chain)
    rate_hz = float(cycle.cycle_rate_hz)
    if isinstance(trigger, TimerTrigger):
        units = len(case.chain.slots) if case.chain.per_trigger == "conversion" else 1
        rate_hz = float(1 / trigger.every) / units
    return case.take.seconds * rate_hz * len(case.chain.slots)


@tester
def nothing_came(case: Case) -> LikelyCause | None:
    """Not one item; the board's own count of conversions tells a converter that stands still from one unheard."""
    if case.take.item_count(case.stream) or _due(case) < FEWEST_EXPECTED:
        return None
    converted = case.take.totals.get(f"converted.{case.stream}")
    codes: tuple[str, ...] = (*_NEVER_FETCHED, *_NEVER_STARTED)
    if converted is not None:
        codes = _NEVER_FETCHED if converted > 0 else _NEVER_STARTED
    for code in codes:
        finding = case.of_chain(code)
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
                f"no item in {brief(case.take.seconds, 's', 3)}, {_due(case):.0f} were due{known}. {finding.message}",
                finding.remedy,
                whole=True,
            )
    return None


@tester
def one_value_came(case: Case) -> LikelyCause | None:
    """Exactly one value, or one pass, then silence."""
    items = case.take.item_count(case.stream)
    limit = case.cycle.items_limit
    if not items or limit is None or items != limit:
        return None
    finding = case.of_chain("started-once")
    if finding is None:
        return None
    ran = brief(case.take.seconds, "s", 3)
    what = "one value" if items == 1 else f"one pass of {items} values"
    return case.cause(
        "started-once", finding.title, 1.0, f"exactly {what} came in {ran}, then nothing", finding.remedy, whole=True
    )


@tester
def one_bufferful_came(case: Case) -> LikelyCause | None:
    """As many items as the loop holds, then silence."""
    items = case.take.item_count(case.stream)
    due = _due(case)
    if items != case.chain.loop.items or due < 1.5 * items:
        return None
    finding = case.of_chain("dma-not-endless")
    return case.cause(
        "dma-not-endless",
        f"{case.chain.loop.name} fills once and freezes",
        1.0 if finding is not None else 0.6,
        f"exactly {items} items came, as many as {case.chain.loop.name} holds; {due:.0f} were due in "
        f"{brief(case.take.seconds, 's', 3)}",
        finding.remedy if finding is not None else None,
        whole=True,
    )


@tester
def some_are_lost(case: Case) -> LikelyCause | None:
    """The share that is missing is the share that a handler of this length loses."""
    timing = retrieval_timing(case.take.workspace, case.chain)
    if timing.lost_hz == 0 or timing.reason not in {"handler too slow", "no processor time"}:
        return None
    produced = float(timing.items_hz) * case.take.seconds
    came = case.take.item_count(case.stream) - case.take.lost_items(case.stream)
    if produced < FEWEST_EXPECTED or came >= produced:
        return None
    lost, predicted = 1 - came / produced, float(timing.lost_hz / timing.items_hz)
    finding = case.of_chain("handler-too-slow")
    return case.cause(
        "handler-too-slow",
        f"The handler of {case.chain.loop.name} is longer than its deadline",
        1 - abs(lost - predicted) / max(lost, predicted),
        f"{lost * 100:.3g} % of the items never came, {predicted * 100:.3g} % predicted of a handler of "
        f"{brief(timing.service_s, 's', 3)} with {brief(timing.deadline_s, 's', 3)} to spare",
        finding.remedy if finding is not None else None,
        whole=True,
    )
