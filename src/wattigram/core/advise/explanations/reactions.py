"""How times, codes and registers of the program's reactions came about."""

from __future__ import annotations

from fractions import Fraction

from wattigram.core.advise.explanations.accuracy import source_count_volts
from wattigram.core.advise.explanations.buffers import wrap_time
from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Found,
    Given,
    Place,
    rounded,
    short,
)
from wattigram.core.advise.explanations.filters import raw_rate
from wattigram.core.advise.explanations.outputs import dac_count, pwm_rate
from wattigram.core.advise.explanations.timing import bus_clock, conversion
from wattigram.core.advise.explanations.triggers import scan_rate, signal_rate
from wattigram.core.model.design import (
    Chain,
    ComparatorSwitched,
    DacAction,
    DutyAction,
    InputChanged,
    LowPassFilter,
    PeriodAction,
    Reaction,
    Signal,
    Workspace,
    later_gain,
    signal_scale,
)
from wattigram.core.model.design.reaction import BarAction, Input
from wattigram.core.predict.pins import pwm_timing
from wattigram.core.predict.program import reaction_rate_hz, reaction_timing, scaled_ends


def processor_share(workspace: Workspace, reaction: Reaction) -> Explanation | None:
    """How much of the processor's time a reaction takes; None where nobody knows how often it comes."""
    rate_hz = reaction_rate_hz(workspace, reaction)
    if reaction.cycles is None or rate_hz is None:
        return None
    there = Place(section="reactions", output=reaction.name)
    return Explanation(
        "keeps the processor",
        "clocks / clock * rate",
        (
            Given("clocks", "clocks", reaction.cycles, "clk", f"{reaction.name}: clocks", there),
            bus_clock(workspace),
            Given("rate", "how often", rate_hz, "Hz", f"{reaction.name}: when", there),
        ),
        "",
        lambda value, _unit: f"{float(value):.3%}",
    )


def _notice(workspace: Workspace, reaction: Reaction, *, oldest: bool) -> Found | Given | None:
    """From what causes a reaction until the program knows of it; None where that is at once."""
    timing = reaction_timing(workspace, reaction)
    there = Place(section="reactions", output=reaction.name)
    when = reaction.when
    waits_s = (
        timing.most_s - timing.work_s - timing.others_s
        if oldest
        else timing.least_s - timing.work_s
    )
    if isinstance(when, InputChanged):
        value = when.look_period_s if oldest else Fraction(0)
        return Given(
            "wait",
            "looks every" if oldest else "seen at once",
            value,
            "s",
            f"{reaction.name}: looks every",
            there,
        )
    if isinstance(when, ComparatorSwitched):
        part = f"part: {when.comparator}"
        return Given("wait", "response" if oldest else "at once", waits_s, "s", part)
    if not waits_s:
        return None
    project = workspace.project
    name = getattr(when, "converter", None)
    signal = getattr(when, "signal", None)
    chain = project.chain(name) if name else project.chain_of(signal) if signal else None
    terms: tuple[Given | Derived, ...] = ()
    if chain is not None:
        terms = (
            Derived("scan", "scan rate", scan_rate(workspace, chain)),
            Derived("wrap", "wrap time", wrap_time(workspace, chain)),
            Derived("conversion", "conversion", conversion(workspace, chain)),
        )
    which = "oldest" if oldest else "newest"
    how = f"from the sampling instant of the {which} value that is taken together with others until it is taken"
    return Found("wait", "wait", waits_s, "s", how, terms)


def acts_after(workspace: Workspace, reaction: Reaction, *, oldest: bool) -> Explanation:
    """From the value, edge or byte that causes a reaction until the program has acted: the least, or the
    most, when other reactions come before it."""
    there = Place(section="reactions", output=reaction.name)
    notice = _notice(workspace, reaction, oldest=oldest)
    terms: list[Given | Derived | Found] = [] if notice is None else [notice]
    names = [term.name for term in terms]
    if reaction.cycles is not None:
        terms.append(
            Given("clocks", "own clocks", reaction.cycles, "clk", f"{reaction.name}: clocks", there)
        )
        names.append("clocks / clock")
    others = sum(
        one.cycles or 0 for one in workspace.project.reactions if one.name != reaction.name
    )
    if oldest and others:
        terms.append(_others(workspace, reaction))
        names.append("others / clock")
    terms.append(bus_clock(workspace))
    title = "acts at the latest after" if oldest else "acts at the earliest after"
    return Explanation(title, " + ".join(names) or "0", tuple(terms), "s", rounded(4))


def _others(workspace: Workspace, reaction: Reaction) -> Given:
    others = [
        one for one in workspace.project.reactions if one.name != reaction.name and one.cycles
    ]
    clocks = sum(one.cycles or 0 for one in others)
    origin = f"clocks of: {', '.join(one.name for one in others)}"
    return Given("others", "clocks of others", clocks, "clk", origin)


def others_first(workspace: Workspace, reaction: Reaction) -> Explanation:
    """What all other reactions may take before it."""
    terms = (_others(workspace, reaction), bus_clock(workspace))
    return Explanation("other reactions", "others / clock", terms, "s", rounded(4))


def filter_of_reaction(workspace: Workspace, reaction: Reaction) -> Explanation | None:
    """By how much the value that causes a reaction is behind the pin; None without a filter."""
    name = getattr(reaction.when, "signal", None)
    chain = workspace.project.chain_of(name) if name else None
    if name is None or chain is None or workspace.project.signal(name).filter is None:
        return None
    return _filter_behind(workspace, chain, workspace.project.signal(name))


def _filter_behind(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation:
    """By how much a filter's value is behind the pin."""
    stage, place = signal.filter, chain.places_of(signal.name)[0]
    assert stage is not None
    there = Place(chain.converter, place, signal.name, "filter")
    count = Given("count", "count", stage.count, "", f"{signal.name}: filter", there)
    if signal.slot_filter is not None:
        each = Derived("rate", "raw rate", raw_rate(workspace, chain, signal))
    else:
        each = Derived("rate", "rate", signal_rate(workspace, chain, place))
    if isinstance(stage, LowPassFilter):
        source = "time constant of y += (x − y) / count"
        return Explanation("behind by", "count / rate", (count, each), "s", rounded(3), source)
    source = "middle of the samples that a mean is taken of"
    return Explanation(
        "behind by", "(count - 1) / 2 / rate", (count, each), "s", rounded(3), source
    )


def takes_effect(workspace: Workspace, reaction: Reaction) -> Explanation | None:
    """Until a register that is loaded at the end of a period takes effect, at most; None where it does at once."""
    do = reaction.do
    if not isinstance(do, (DutyAction, PeriodAction)):
        return None
    pwm = workspace.project.pwm_output(do.pwm)
    if pwm is None or not pwm.preload:
        return None
    there = Place(section="reactions", output=reaction.name)
    if isinstance(do, PeriodAction):
        terms = (
            Given("low", "period at the low end", do.low_s, "s", f"{reaction.name}: scale", there),
            Given(
                "high", "period at the high end", do.high_s, "s", f"{reaction.name}: scale", there
            ),
        )
        return Explanation("takes effect within", "max(low, high)", terms, "s", rounded(3))
    rate = Derived("rate", "rate", pwm_rate(workspace, pwm))
    return Explanation("takes effect within", "1 / rate", (rate,), "s", rounded(3))


def code_of_scale(workspace: Workspace, reaction: Reaction) -> Explanation | None:
    """Volts of a count of what a reaction's scale begins with; None where nothing converts it."""
    do = reaction.do
    assert isinstance(do, (BarAction, DutyAction, PeriodAction, DacAction))
    chain = workspace.project.chain_of(do.signal)
    if chain is None:
        return None
    return code_volts(workspace, chain, workspace.project.signal(do.signal), do.input)


def code_volts(workspace: Workspace, chain: Chain, signal: Signal, stream: Input) -> Explanation:
    """Volts of the signal that one count of the program's value stands for."""
    scale = signal_scale(workspace, chain, signal.name)
    there = Place(chain.converter, chain.places_of(signal.name)[0], signal.name, "filter")
    terms: list[Given | Derived] = [
        Derived("count", "1 LSB", source_count_volts(workspace, chain, signal))
    ]
    formula = "count"
    gain = scale.gain * (later_gain(signal) if stream == "filtered" else 1.0)
    if gain != 1:
        terms.append(Given("gain", "gain of the filter", gain, "", f"{signal.name}: filter", there))
        formula += " / gain"
    if scale.shift:
        place = Place(chain.converter, facet="clock")
        terms.append(
            Given("shift", "left by", scale.shift, "bit", f"{chain.converter}: alignment", place)
        )
        formula += " / 2 ** shift"
    return Explanation("1 code", formula, tuple(terms), "V", rounded(4))


def scale_ends(
    workspace: Workspace, reaction: Reaction
) -> tuple[tuple[Explanation, ...], tuple[Explanation, ...]]:
    """Codes of either end of a reaction's scale, and what the register gets there; none where nothing converts
    the signal."""
    do = reaction.do
    assert isinstance(do, (BarAction, DutyAction, PeriodAction, DacAction))
    chain, signal = workspace.project.chain_of(do.signal), workspace.project.signal(do.signal)
    ends = scaled_ends(workspace, do)
    if chain is None or ends is None:
        return (), ()
    there = Place(section="reactions", output=reaction.name)
    one = Derived("code", "1 code", code_volts(workspace, chain, signal, do.input))
    codes = tuple(
        Explanation(
            f"code at the {end} end",
            "volts / code",
            (Given("volts", "input", volts, "V", f"{reaction.name}: scale", there), one),
            "",
            lambda value, _unit: f"{float(value):.1f}",
        )
        for end, volts in (("low", do.from_v), ("high", do.to_v))
    )
    return codes, tuple(
        _register(workspace, reaction, end, value)
        for end, value in (("low", ends.from_out), ("high", ends.to_out))
    )


def _register(workspace: Workspace, reaction: Reaction, end: str, value: int) -> Explanation:
    """What the register gets at an end of the scale."""
    do, there = reaction.do, Place(section="reactions", output=reaction.name)
    title, origin = f"register at the {end} end", f"{reaction.name}: scale"
    write = short(8)
    if isinstance(do, BarAction):
        pins = Given("pins", "pins", len(do.pins), "", f"{reaction.name}: pins", there)
        formula = "0" if end == "low" else "pins" if do.shows == "bar" else "2 ** pins - 1"
        return Explanation(title, formula, (pins,), "", write)
    if isinstance(do, DacAction):
        dac = workspace.part.dac(do.dac)
        assert dac is not None
        volts = do.low_v if end == "low" else do.high_v
        bits = Given("bits", "resolution", dac.bits, "", f"part: {dac.name}")
        terms = (
            Given("volts", "output", volts, "V", origin, there),
            Derived("count", "1 LSB", dac_count(workspace, dac)),
            bits,
        )
        return Explanation(
            title, "max(0, min(2 ** bits - 1, floor(volts / count + 1 / 2)))", terms, "", write
        )
    assert isinstance(do, (DutyAction, PeriodAction))
    pwm = workspace.project.pwm_output(do.pwm)
    assert pwm is not None
    counts = pwm_timing(workspace, pwm)
    whole = Given(
        "counts", "counts", counts.counts, "", pwm.timer, Place(section="pwm", output=pwm.name)
    )
    if isinstance(do, DutyAction):
        share = do.low if end == "low" else do.high
        given = Given("share", "duty", share, "", origin, there)
        return Explanation(title, "round(share * counts)", (given, whole), "", write)
    period_s = do.low_s if end == "low" else do.high_s
    rate = Derived("rate", "rate", pwm_rate(workspace, pwm))
    given = Given("each", "period", period_s, "s", origin, there)
    return Explanation(
        title, "max(1, round(each * rate * counts))", (given, rate, whole), "", write
    )


def steps_per_code(workspace: Workspace, reaction: Reaction) -> Explanation | None:
    """Steps of the register for a code; None where nothing converts the signal."""
    codes, registers = scale_ends(workspace, reaction)
    if not codes:
        return None
    terms = (
        Derived("low", "register at the low end", registers[0]),
        Derived("high", "register at the high end", registers[1]),
        Derived("from_", "code at the low end", codes[0]),
        Derived("to", "code at the high end", codes[1]),
    )
    formula = "max(high - low, low - high) / max(to - from_, from_ - to)"
    return Explanation(
        "steps per code", formula, terms, "", lambda value, _unit: f"{float(value):.3g}"
    )
