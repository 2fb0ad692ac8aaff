"""How rate, latency and width of a stage came about."""

from __future__ import annotations

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Found,
    Given,
    Place,
    rounded,
    short,
)
from wattigram.core.advise.explanations.timing import conversion, sampling
from wattigram.core.advise.explanations.triggers import signal_rate
from wattigram.core.model.design import (
    Chain,
    LowPassFilter,
    MovingAverage,
    Signal,
    SumFilter,
    Workspace,
)
from wattigram.core.predict.accuracy.averaging import block_average_cutoff_hz
from wattigram.core.predict.timing import scan_timing


def _place(chain: Chain, signal: Signal) -> Place:
    return Place(chain.converter, chain.places_of(signal.name)[0], signal.name, "filter")


def raw_rate(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation:
    """Samples that go into a stage: one for each slot, or in hardware one for each conversion within it."""
    place = chain.places_of(signal.name)[0]
    if signal.slot_filter is not None or not scan_timing(workspace, chain).slots[place].rate_hz:
        terms = (
            Derived("sampling", "sampling", sampling(workspace, chain, place)),
            Derived("conversion", "conversion", conversion(workspace, chain)),
        )
        return Explanation("raw rate", "1 / (sampling + conversion)", terms, "Hz", short(5))
    rate = Derived("rate", "rate", signal_rate(workspace, chain, place))
    return Explanation("raw rate", "rate", (rate,), "Hz", short(5))


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
    """Values that a stage gives; None without one."""
    stage = signal.filter
    if stage is None:
        return None
    if signal.slot_filter is not None:
        rate = signal_rate(workspace, chain, chain.places_of(signal.name)[0])
        return Explanation("output rate", "rate", (Derived("rate", "rate", rate),), "Hz", short(5))
    given = Derived("rate", "raw rate", raw_rate(workspace, chain, signal))
    if isinstance(stage, (MovingAverage, LowPassFilter)):
        return Explanation("output rate", "rate", (given,), "Hz", short(5))
    terms = (given, _count(chain, signal))
    return Explanation("output rate", "rate / count", terms, "Hz", short(5))


def latency(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation | None:
    """Until a stage has decided: the samples of a block; of a low-pass the time to 63 % of a step; None without a
    stage."""
    stage = signal.filter
    if stage is None:
        return None
    given = Derived("rate", "raw rate", raw_rate(workspace, chain, signal))
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
    """−3 dB of a stage: of a low-pass by formula, of a mean as a share of the rate that its response has; None without
    a stage."""
    stage = signal.filter
    if stage is None:
        return None
    rate = Derived("rate", "raw rate", raw_rate(workspace, chain, signal))
    if isinstance(stage, LowPassFilter):
        return _low_pass_cutoff(chain, signal, rate)
    how = "the share x of the rate at which sin(π·count·x) / (count·sin(π·x)) = √½"
    share = block_average_cutoff_hz(stage.count, 1.0)
    half = Found("half", "half-power share", share, "", how, (_count(chain, signal),))
    source = "Dirichlet kernel: response of a mean of count samples"
    return Explanation("−3 dB at", "half * rate", (half, rate), "Hz", rounded(4), source)


def _low_pass_cutoff(chain: Chain, signal: Signal, rate: Derived) -> Explanation:
    share = Explanation("share", "1 / 2 ** shift", (_shift(chain, signal),), "", short(6))
    turn = Explanation("a whole turn", "2 * acos(-1)", (), "", rounded(6))
    return Explanation(
        "−3 dB at",
        "acos(max(-1, (1 + (1 - a) ** 2 - 2 * a * a) / (2 * (1 - a)))) / turn * rate",
        (Derived("a", "a", share), Derived("turn", "2π", turn), rate),
        "Hz",
        rounded(4),
        "|H(ω)|² = ½ of y += (x − y) · a",
    )


def noise_share(chain: Chain, signal: Signal) -> Explanation:
    """What a stage leaves of white noise."""
    if isinstance(signal.filter, LowPassFilter):
        share = Explanation("a", "1 / 2 ** shift", (_shift(chain, signal),), "", short(6))
        return Explanation(
            "share of noise",
            "sqrt(a / (2 - a))",
            (Derived("a", "a", share),),
            "",
            rounded(4),
            "white noise after y += (x − y) · a",
        )
    return Explanation(
        "share of noise",
        "1 / sqrt(count)",
        (_count(chain, signal),),
        "",
        rounded(4),
        "standard error of a mean",
    )


def last_place(chain: Chain, signal: Signal) -> Explanation | None:
    """The last place of what a stage gives, in LSB of what goes in; None where its shift cuts nothing off."""
    stage = signal.filter
    if stage is None or stage.shift == 0:
        return None
    if not isinstance(stage, SumFilter):
        return Explanation("last place", "1", (), "LSB", rounded(4))
    terms = (_count(chain, signal), _shift(chain, signal))
    return Explanation("last place", "2 ** shift / count", terms, "LSB", rounded(4))


def truncation(chain: Chain, signal: Signal) -> Explanation | None:
    """By which a stage's values read low on average; None where they do not."""
    step = last_place(chain, signal)
    if step is None or isinstance(signal.filter, LowPassFilter):
        return None
    terms = (_shift(chain, signal), Derived("place", "last place", step))
    return Explanation(
        "truncation",
        "-(2 ** shift - 1) / (2 * 2 ** shift) * place",
        terms,
        "LSB",
        lambda value, unit: f"{float(value):+.3f} {unit}",
        "mean of what sum >> shift cuts off, its low bits equally likely",
    )
