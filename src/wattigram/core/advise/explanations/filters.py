"""How rate, latency and width of a stage came about."""

from __future__ import annotations

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Given,
    Place,
    rounded,
    short,
)
from wattigram.core.advise.explanations.timing import signal_rate
from wattigram.core.model.design import (
    Chain,
    LowPassFilter,
    MovingAverage,
    Signal,
    Workspace,
)


def _place(chain: Chain, signal: Signal) -> Place:
    return Place(chain.converter, chain.places_of(signal.name)[0], signal.name, "filter")


def raw_rate(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation | None:
    """Samples that go into a stage, where software or the converter has one for each slot."""
    if signal.slot_filter is not None:
        return None
    rate = signal_rate(workspace, chain, chain.places_of(signal.name)[0])
    if rate is None:
        return None
    terms = (Derived("rate", "rate", rate),)
    return Explanation("raw rate", "rate", terms, "Hz", short(5))


def _count(chain: Chain, signal: Signal) -> Given:
    stage = signal.filter
    assert stage is not None
    there = _place(chain, signal)
    return Given("count", "count", stage.count, "", f"{signal.name}: filter", there)


def _shift(chain: Chain, signal: Signal) -> Given:
    stage = signal.filter
    assert stage is not None
    there = _place(chain, signal)
    return Given("shift", "shift", stage.shift, "", f"{signal.name}: filter", there)


def output_rate(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation | None:
    """Values that a stage gives."""
    rate, stage = raw_rate(workspace, chain, signal), signal.filter
    if rate is None or stage is None:
        return None
    given = Derived("rate", "raw rate", rate)
    if isinstance(stage, (MovingAverage, LowPassFilter)):
        return Explanation("output rate", "rate", (given,), "Hz", short(5))
    terms = (given, _count(chain, signal))
    return Explanation("output rate", "rate / count", terms, "Hz", short(5))


def latency(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation | None:
    """Until a stage has decided: the samples of a block; of a low-pass the time to 63 % of a step."""
    rate, stage = raw_rate(workspace, chain, signal), signal.filter
    if rate is None or stage is None:
        return None
    given = Derived("rate", "raw rate", rate)
    if isinstance(stage, LowPassFilter):
        of_shift = (given, _shift(chain, signal))
        formula = "-1 / (rate * ln(1 - 1 / 2 ** shift))"
        source = "y += (x − y) / 2^shift, to 63 % of a step"
        return Explanation("latency", formula, of_shift, "s", rounded(3), source)
    terms = (_count(chain, signal), given)
    return Explanation("latency", "count / rate", terms, "s", rounded(3))


def accumulator(_workspace: Workspace, chain: Chain, signal: Signal) -> Explanation | None:
    """Bits that a stage's register needs."""
    stage = signal.filter
    if stage is None:
        return None
    clock = Place(chain.converter, facet="clock")
    bits = Given("bits", "resolution", chain.bits, "", f"{chain.converter}: resolution", clock)
    is_low_pass = isinstance(stage, LowPassFilter)
    terms = (bits, _shift(chain, signal) if is_low_pass else _count(chain, signal))
    formula = "bits + shift" if is_low_pass else "bits + ceil(log2(count))"
    return Explanation("accumulator width", formula, terms, "", short(4))


def cutoff(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation | None:
    """−3 dB of a low-pass; that of a mean is looked for on its exact response, and has no formula."""
    rate, stage = raw_rate(workspace, chain, signal), signal.filter
    if rate is None or not isinstance(stage, LowPassFilter) or stage.shift < 1:
        return None
    share = Explanation("share", "1 / 2 ** shift", (_shift(chain, signal),), "", short(6))
    turn = Explanation("a whole turn", "2 * acos(-1)", (), "", rounded(6))
    return Explanation(
        "−3 dB at",
        "acos((1 + (1 - a) ** 2 - 2 * a * a) / (2 * (1 - a))) / turn * rate",
        (
            Derived("a", "a", share),
            Derived("turn", "2π", turn),
            Derived("rate", "raw rate", rate),
        ),
        "Hz",
        rounded(4),
        "|H(ω)|² = ½ of y += (x − y) · a",
    )
