"""How counts, settling and noise came about."""

from __future__ import annotations

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Given,
    Place,
    rounded,
    short,
)
from wattigram.core.advise.explanations.timing import sampling
from wattigram.core.base.quantity import format_counts
from wattigram.core.model.design import Chain, Signal, Workspace, signal_scale
from wattigram.core.predict.pins import input_noise_v, pin_impedance
from wattigram.core.predict.timing import scan_timing


def count_volts(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation:
    """Volts of one count at the pin."""
    scale = signal_scale(workspace, chain, signal.name)
    reference = Given(
        "reference",
        "reference",
        workspace.reference_v,
        "V",
        f"reference {workspace.project.reference}",
        Place(facet="project"),
    )
    steps = _steps(workspace, chain, signal)
    formula = "2 * reference / steps" if scale.signed else "reference / steps"
    terms = (reference, steps)
    return Explanation("1 LSB", formula, terms, "V", rounded(4))


def source_count_volts(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation:
    """Volts of one count before the front end."""
    there = Place(chain.converter, chain.places_of(signal.name)[0], signal.name, "signal")
    return Explanation(
        "1 LSB",
        "count / scaling",
        (
            Derived("count", "1 LSB at the pin", count_volts(workspace, chain, signal)),
            Given("scaling", "front end", signal.scaling, "", f"{signal.name}: front end", there),
        ),
        "V",
        rounded(4),
    )


def _steps(workspace: Workspace, chain: Chain, signal: Signal) -> Derived:
    """Counts of full scale."""
    scale = signal_scale(workspace, chain, signal.name)
    clock = Place(chain.converter, facet="clock")
    bits = Given("bits", "resolution", chain.bits, "", f"{chain.converter}: resolution", clock)
    formula = "2 ** bits" if scale.steps == 1 << chain.bits else "2 ** bits - 1"
    why = Explanation("full scale", formula, (bits,), "", short(8))
    return Derived("steps", "full scale", why)


def _circuit(workspace: Workspace, chain: Chain, place: int) -> tuple[Given, ...] | None:
    """Source, switch and sampling capacitor of a slot that is converted once and whose pin has no
    capacitor; None for any other."""
    signal = workspace.project.signal(chain.slots[place].signal)
    converter = workspace.converter(chain)
    pins = [pin for pin in (signal.pin, signal.negative) if pin is not None]
    impedances = [pin_impedance(workspace, pin) for pin in pins]
    timing = scan_timing(workspace, chain).slots[place]
    if (
        timing.repeats > 1
        or converter.tracks
        or any(farads and ohm for ohm, farads in impedances)
        or len(pins) > 1
    ):
        return None
    there = Place(chain.converter, place, signal.name, "front end")
    part = f"part: {chain.converter}"
    return (
        Given("source", "source", impedances[0][0], "Ω", f"bench: pin {pins[0]}", there),
        Given("switch", "switch", converter.switch_resistance_ohm, "Ω", part),
        Given("held", "sampling capacitor", converter.sampling_capacitor_f, "F", part),
    )


def settling_time(workspace: Workspace, chain: Chain, place: int) -> Explanation | None:
    """Sampling that settles a full-scale step within ½ LSB; None where a capacitor at the pin makes it
    longer than a formula says."""
    circuit = _circuit(workspace, chain, place)
    if circuit is None:
        return None
    signal = workspace.project.signal(chain.slots[place].signal)
    return Explanation(
        "settling time",
        "(source + switch) * held * ln(2 * steps)",
        (*circuit, _steps(workspace, chain, signal)),
        "s",
        rounded(3),
        "first-order settling within ½ LSB of a full-scale step",
    )


def step_left(workspace: Workspace, chain: Chain, place: int) -> Explanation | None:
    """Counts that a full-scale step of the slot before leaves; None with a capacitor at the pin."""
    circuit = _circuit(workspace, chain, place)
    if circuit is None:
        return None
    signal = workspace.project.signal(chain.slots[place].signal)
    time = Derived("time", "sampling", sampling(workspace, chain, place))
    return Explanation(
        "full-scale step",
        "steps * exp(-time / ((source + switch) * held))",
        (_steps(workspace, chain, signal), time, *circuit),
        "LSB",
        lambda value, _unit: format_counts(float(value)),
        "first-order settling",
    )


def converter_noise(workspace: Workspace, chain: Chain) -> Explanation:
    """Noise of the converter at the chain's resolution, that of a clock above its limit included."""
    converter, part = workspace.converter(chain), f"part: {chain.converter}"
    highest = max(converter.bits)
    clock_hz = scan_timing(workspace, chain).clock_hz
    terms: list[Given] = [Given("own", "noise", converter.noise_lsb, "LSB", part)]
    formula = "own"
    if clock_hz > converter.clock_high_hz:
        formula = "sqrt(own ** 2 + ((clock / limit - 1) * over) ** 2)"
        clock = Place(chain.converter, facet="clock")
        terms += [
            Given("clock", "clock", clock_hz, "Hz", f"{chain.converter}: clock", clock),
            Given("limit", "limit", converter.clock_high_hz, "Hz", part),
            Given("over", "noise at twice the limit", converter.overclock_noise_lsb, "LSB", part),
        ]
    if chain.bits < highest:
        formula = f"({formula}) / 2 ** (highest - bits)"
        clock = Place(chain.converter, facet="clock")
        terms += [
            Given("highest", "bits of the part", highest, "", part),
            Given("bits", "resolution", chain.bits, "", f"{chain.converter}: resolution", clock),
        ]
    return Explanation("converter's noise", formula, tuple(terms), "LSB", rounded(3))


def raw_noise(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation:
    """Noise of each code: source, converter and quantisation, which are independent of each other."""
    scale = signal_scale(workspace, chain, signal.name)
    place = chain.places_of(signal.name)[0]
    wired = Place(chain.converter, place, signal.name, "front end")
    step = Given(
        "step", "last place", 1 + scale.dropped_lsb, "LSB", f"{chain.buffer.name}: element width"
    )
    return Explanation(
        "noise expected",
        "sqrt((pin / count) ** 2 + own ** 2 + step ** 2 / 12)",
        (
            Given(
                "pin",
                "noise at the pin",
                input_noise_v(workspace, signal),
                "V",
                f"bench: pin {signal.pin}, as wired",
                wired,
            ),
            Derived("count", "1 LSB", count_volts(workspace, chain, signal)),
            Derived("own", "converter's noise", converter_noise(workspace, chain)),
            step,
        ),
        "LSB",
        lambda value, unit: f"{float(value):.2f} {unit} rms",
        "IEEE 1241: quantisation of a step q has q / √12 rms",
    )
