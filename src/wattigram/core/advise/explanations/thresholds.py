"""How trip points, differences and latencies of what judges a signal came about."""

from __future__ import annotations

from wattigram.core.advise.explanations.accuracy import (
    count_volts,
    filtered_noise,
    raw_noise,
    source_count_volts,
    wired_left,
)
from wattigram.core.advise.explanations.buffers import wrap_time
from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Found,
    Given,
    Place,
    as_volts,
    looked_for,
    rounded,
    short,
    stated,
)
from wattigram.core.advise.explanations.expression import Number
from wattigram.core.advise.explanations.filters import latency
from wattigram.core.advise.explanations.timing import (
    bus_clock,
    conversion,
    reference,
    sampling_instant,
)
from wattigram.core.advise.explanations.triggers import scan_rate, signal_rate
from wattigram.core.model.design import (
    Chain,
    Code,
    Comparator,
    Signal,
    Threshold,
    Workspace,
    stream_gain,
)
from wattigram.core.predict.accuracy import comparator_metrics, pair_metrics
from wattigram.core.predict.accuracy.redundant_pair import SIGMAS
from wattigram.core.predict.pins import comparator_inputs, input_extent_v, input_noise_v
from wattigram.core.predict.timing import retrieval_timing


def worst_latency(
    workspace: Workspace, chain: Chain, signal: Signal, window: Threshold
) -> Explanation:
    """From a lasting crossing at the pin to the event, at most."""
    place = chain.places_of(signal.name)[0]
    there = Place(chain.converter, place, signal.name, "thresholds")
    rate = Derived("rate", "rate", signal_rate(workspace, chain, place))
    each = Explanation("a value each", "1 / rate", (rate,), "s", rounded(4))
    if window.input == "filtered" and signal.later_filter is not None:
        each = latency(workspace, chain, signal) or each
    terms: list[Given | Derived] = [
        Derived("each", each.title, each),
        Given("times", "consecutive", window.consecutive, "", f"{signal.name}: threshold", there),
        Derived("conversion", "conversion", conversion(workspace, chain)),
    ]
    formula = "each * times + conversion"
    if window.done_in == "software":
        chains = [chain]
        other = window.minus_signal and workspace.project.chain_of(window.minus_signal)
        chains += [other] if other and other is not chain else []
        lies = [
            Derived(f"lies{number}", f"lies in {one.buffer.name}", why)
            for number, one in enumerate(chains)
            if (why := _in_memory(workspace, one)) is not None
        ]
        if lies:
            names = [one.name for one in lies]
            formula += f" + max({', '.join(names)})" if len(names) > 1 else f" + {names[0]}"
        terms += [*lies, Derived("service", "ISR and what follows", _service(workspace, chain))]
        formula += " + service"
    return Explanation("worst latency", formula, tuple(terms), "s", rounded(3))


def _in_memory(workspace: Workspace, chain: Chain) -> Explanation | None:
    """Longest time that a value lies in memory before the program takes it; None where it takes each at once."""
    if chain.read_period_s is not None:
        rate = Derived("rate", "scan rate", scan_rate(workspace, chain))
        return Explanation("a scan", "1 / rate", (rate,), "s", rounded(4))
    if chain.readout.kind != "dma":
        return None
    wrap = Derived("wrap", "wrap time", wrap_time(workspace, chain))
    return Explanation("half of the buffer", "wrap / 2", (wrap,), "s", rounded(4))


def _service(workspace: Workspace, chain: Chain) -> Explanation:
    """What the ISR, and the main loop after it, take."""
    cycles = retrieval_timing(workspace, chain).cycles
    there = Place(chain.converter, 0, chain.slots[0].signal, "transfer")
    given = Given("clocks", "clocks of the ISR", cycles, "clk", chain.buffer.name, there)
    return Explanation(
        "ISR and what follows", "clocks / clock", (given, bus_clock(workspace)), "s", short(4)
    )


def signal_range(workspace: Workspace, chain: Chain, signal: Signal) -> tuple[Explanation, ...]:
    """Lowest and highest voltage of a signal that its converter can tell."""
    there = Place(chain.converter, chain.places_of(signal.name)[0], signal.name, "signal")
    terms = (
        reference(workspace),
        Given("scaling", "front end", signal.scaling, "", f"{signal.name}: front end", there),
    )
    highest = Explanation("highest", "reference / scaling", terms, "V", as_volts)
    if signal.negative is None:
        return (highest,)
    return Explanation("lowest", "-reference / scaling", terms, "V", as_volts), highest


def limits_in_volts(
    workspace: Workspace, chain: Chain, signal: Signal, window: Threshold
) -> tuple[Explanation, ...]:
    """The two limits of a threshold, of which one or both are stated as codes."""
    there = Place(chain.converter, chain.places_of(signal.name)[0], signal.name, "thresholds")
    count = Derived("count", "1 LSB", source_count_volts(workspace, chain, signal))
    gain = Given(
        "gain",
        "gain of the filter",
        stream_gain(signal, window),
        "",
        f"{signal.name}: filter",
        there,
    )
    whys = []
    for word, limit in (("lower", window.low), ("upper", window.high)):
        origin = f"{signal.name}: {word} limit"
        if isinstance(limit, Code):
            given = Given("limit", "code", float(limit), "", origin, there)
            terms = (given, count, gain)
            whys.append(Explanation(f"{word} limit", "limit * count / gain", terms, "V", _four))
        else:
            whys.append(stated(f"{word} limit", float(limit), "V", origin, there, _four))
    return tuple(whys)


def _four(value: Number, _unit: str) -> str:
    return f"{float(value):.4g}"


def _comparator_place(workspace: Workspace, comparator: Comparator) -> Place:
    chain = workspace.project.chain_of(comparator.signal)
    if chain is None:
        return Place(signal=comparator.signal, facet="comparator")
    place = chain.places_of(comparator.signal)[0]
    return Place(chain.converter, place, comparator.signal, "comparator")


def comparator_step(workspace: Workspace, comparator: Comparator) -> Explanation | None:
    """Between two thresholds that can be set; None where they come from elsewhere."""
    part = workspace.part.comparator(comparator.name)
    if part is None or comparator.against != "internal":
        return None
    terms = (
        reference(workspace),
        Given("steps", "steps", part.steps, "", f"part: {comparator.name}"),
    )
    return Explanation("one step", "reference / steps", terms, "V", as_volts)


def trip_point(workspace: Workspace, comparator: Comparator, *, rising: bool) -> Explanation:
    """The voltage at which a comparator's output rises, or falls."""
    what = comparator_inputs(workspace, comparator)
    there = _comparator_place(workspace, comparator)
    part = workspace.part.comparator(comparator.name)
    step = comparator_step(workspace, comparator)
    level: Given | Derived | Found = Given(
        "level", "threshold", what.level_v, "V", f"{comparator.name}: threshold", there
    )
    if step is not None and part is not None and part.fixed_step is None:
        nearest = Explanation(
            "threshold",
            "max(0, min(steps, round(wanted / step))) * step",
            (
                Given(
                    "wanted",
                    "threshold wanted",
                    comparator.threshold_v,
                    "V",
                    f"{comparator.name}: threshold",
                    there,
                ),
                Derived("step", "one step", step),
                Given("steps", "steps", part.steps, "", f"part: {comparator.name}"),
            ),
            "V",
            as_volts,
        )
        level = Derived("level", "threshold", nearest)
    elif step is not None:
        level = Derived("level", "the only step", step)
    elif comparator.against != "internal":
        of = {"dac": "the DAC that is the threshold", "pin": "what is wired to the threshold's pin"}
        level = Found(
            "level", "threshold", what.level_v, "V", f"the middle of {of[comparator.against]}"
        )
    hysteresis = Given(
        "hysteresis",
        "hysteresis",
        comparator.hysteresis_v,
        "V",
        f"{comparator.name}: hysteresis",
        there,
    )
    sign = "+" if (what.rising_v >= what.level_v) == rising else "-"
    title = f"trips {'rising' if rising else 'falling'}"
    return Explanation(title, f"level {sign} hysteresis / 2", (level, hysteresis), "V", as_volts)


def comparator_noise(workspace: Workspace, comparator: Comparator) -> Explanation:
    """Noise at a comparator's input."""
    signal = workspace.project.signal(comparator.signal)
    volts = input_noise_v(workspace, signal)
    origin, place = f"bench: pin {signal.pin}, as wired", _comparator_place(workspace, comparator)
    return stated("noise", volts, "V", origin, place, as_volts)


def crossing_slope(workspace: Workspace, comparator: Comparator) -> Explanation:
    """How fast what moves goes through the threshold."""
    metrics = comparator_metrics(workspace, comparator)
    how = "the slowest of its crossings, on the source as it is wired"
    level = Derived("level", "trips rising", trip_point(workspace, comparator, rising=True))
    return looked_for("slope there", metrics.slope_v_s, "V/s", how, (level,), short(3))


def crossing_edges(workspace: Workspace, comparator: Comparator) -> Explanation:
    """Edges that a crossing makes, noise and all."""
    part = workspace.part.comparator(comparator.name)
    assert part is not None
    metrics = comparator_metrics(workspace, comparator)
    there = _comparator_place(workspace, comparator)
    terms = (
        Derived("noise", "noise", comparator_noise(workspace, comparator)),
        Derived("slope", "slope there", crossing_slope(workspace, comparator)),
        Given("response", "response", part.response_s, "s", f"part: {comparator.name}"),
        Given(
            "hysteresis",
            "hysteresis",
            comparator.hysteresis_v,
            "V",
            f"{comparator.name}: hysteresis",
            there,
        ),
    )
    how = "expected crossings of both trip points by source and noise, looked at once each response"
    return looked_for("edges a crossing", round(metrics.edges), "", how, terms, short(6))


def pair_difference(workspace: Workspace, signal: Signal) -> dict[str, Explanation]:
    """What makes a signal and its twin differ, each by its label, and all together; nothing where one of the two
    is not converted."""
    metrics = pair_metrics(workspace, signal)
    if metrics is None or signal.redundant_pair is None:
        return {}
    other = workspace.project.signal(signal.redundant_pair.paired_with)
    chains = workspace.project.chain_of(signal.name), workspace.project.chain_of(other.name)
    if chains[0] is None or chains[1] is None:
        return {}
    both = ((chains[0], signal), (chains[1], other))
    there = Place(chains[0].converter, chains[0].places_of(signal.name)[0], signal.name, "signal")
    scaling = Given("scaling", "front end", signal.scaling, "", f"{signal.name}: front end", there)
    offset = _offsets(workspace, both, scaling)
    gain = _gains(workspace, both, scaling)
    noise = _noises(workspace, both, scaling)
    settling = _settlings(workspace, both, scaling)
    skew = looked_for(
        "skew",
        metrics.skew_v,
        "V",
        "what the source can move between the two sampling instants, or half the slower's period",
        tuple(
            Derived(
                f"t{number}",
                f"sampling instant of {one.name}",
                sampling_instant(workspace, chain, chain.places_of(one.name)[0]),
            )
            for number, (chain, one) in enumerate(both)
        ),
        as_volts,
    )
    terms = (
        Derived("offset", "offset", offset),
        Derived("gain", "gain", gain),
        Derived("skew", "skew", skew),
        Derived("settling", "settling", settling),
        Given("sigmas", "σ", SIGMAS, "", "band: one sample in two million falls outside of 5 σ"),
        Derived("noise", "noise", noise),
    )
    worst = Explanation(
        "worst difference", "offset + gain + skew + settling + sigmas * noise", terms, "V", as_volts
    )
    return {
        "offset": offset,
        "gain": gain,
        "noise": noise,
        "skew": skew,
        "settling": settling,
        "worst difference": worst,
    }


Both = tuple[tuple[Chain, Signal], tuple[Chain, Signal]]


def _offsets(workspace: Workspace, both: Both, scaling: Given) -> Explanation:
    terms: list[Given | Derived] = [scaling]
    names = []
    for number, (chain, one) in enumerate(both):
        converter = workspace.converter(chain)
        is_raw = converter.needs_calibration and not chain.calibrate
        counts = converter.offset_uncalibrated_lsb if is_raw else converter.offset_calibrated_lsb
        word = f"offset of {chain.converter}"
        less, clock = max(converter.bits) - chain.bits, Place(chain.converter, facet="clock")
        terms += [
            Given(f"o{number}", word, counts, "LSB", f"part: {chain.converter}"),
            Given(
                f"more{number}",
                "bits less than its highest",
                less,
                "",
                f"{chain.converter}: resolution",
                clock,
            ),
            Derived(
                f"count{number}", f"1 LSB of {chain.converter}", count_volts(workspace, chain, one)
            ),
        ]
        names.append(f"o{number} * count{number} / 2 ** more{number}")
    formula = f"max({names[0]} - {names[1]}, {names[1]} - {names[0]}) / scaling"
    return Explanation("offset", formula, tuple(terms), "V", as_volts)


def _gain_error(workspace: Workspace, chain: Chain, number: int) -> Given:
    share = workspace.converter(chain).gain_error
    return Given(
        f"g{number}", f"gain error of {chain.converter}", share, "", f"part: {chain.converter}"
    )


def _gains(workspace: Workspace, both: Both, scaling: Given) -> Explanation:
    other = both[1][1]
    low_v, high_v = input_extent_v(workspace, other)
    wired = Place(
        both[1][0].converter, both[1][0].places_of(other.name)[0], other.name, "front end"
    )
    highest_v = max(abs(low_v), abs(high_v))
    terms = (
        *(_gain_error(workspace, chain, number) for number, (chain, _one) in enumerate(both)),
        Given(
            "highest", "highest reading", highest_v, "V", f"bench: pin {other.pin}, as wired", wired
        ),
        scaling,
    )
    return Explanation("gain", "max(g0 - g1, g1 - g0) * highest / scaling", terms, "V", as_volts)


def _noises(workspace: Workspace, both: Both, scaling: Given) -> Explanation:
    terms: list[Given | Derived] = [scaling]
    for number, (chain, one) in enumerate(both):
        why = (
            raw_noise(workspace, chain, one)
            if one.filter is None
            else filtered_noise(workspace, chain, one)
        )
        terms += [
            Derived(f"n{number}", f"{why.title} of {one.name}", why),
            Derived(
                f"count{number}", f"1 LSB of {chain.converter}", count_volts(workspace, chain, one)
            ),
        ]
    formula = "sqrt((n0 * count0) ** 2 + (n1 * count1) ** 2) / scaling"
    return Explanation("noise", formula, tuple(terms), "V", as_volts)


def _settlings(workspace: Workspace, both: Both, scaling: Given) -> Explanation:
    terms: list[Given | Derived] = [scaling]
    for number, (chain, one) in enumerate(both):
        left = wired_left(workspace, chain, chain.places_of(one.name)[0])
        terms += [
            Derived(f"s{number}", f"as wired, {one.name}", left),
            Derived(
                f"count{number}", f"1 LSB of {chain.converter}", count_volts(workspace, chain, one)
            ),
        ]
    return Explanation(
        "settling", "(s0 * count0 + s1 * count1) / scaling", tuple(terms), "V", as_volts
    )
