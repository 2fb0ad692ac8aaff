"""How counts, settling and noise came about."""

from __future__ import annotations

import msgspec

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
from wattigram.core.advise.explanations.filters import last_place, noise_share, truncation
from wattigram.core.advise.explanations.timing import reference, sampling
from wattigram.core.base.quantity import format_counts, format_si
from wattigram.core.model.design import Chain, Signal, Workspace, signal_scale
from wattigram.core.predict.accuracy import signal_noise, slot_settling
from wattigram.core.predict.accuracy.noise import DITHER_LSB
from wattigram.core.predict.expected.stream import BAND_SIGMAS
from wattigram.core.predict.pins import (
    input_accuracy_v,
    input_extent_v,
    input_noise_v,
    input_source,
    pin_impedance,
    pin_tolerances,
    tolerance_error_v,
)
from wattigram.core.predict.timing import scan_timing


def count_volts(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation:
    """Volts of one count at the pin."""
    scale = signal_scale(workspace, chain, signal.name)
    steps = _steps(workspace, chain, signal)
    formula = "2 * reference / steps" if scale.signed else "reference / steps"
    terms = (reference(workspace), steps)
    return Explanation("1 LSB", formula, terms, "V", rounded(4))


def full_scale(workspace: Workspace) -> tuple[Explanation, ...]:
    """What the converters measure against, and by how much that may be off, where that is stated."""
    name, project = workspace.project.reference, Place(facet="project")
    pin = workspace.reference_pin
    own = next((one for one in workspace.project.references if one.name == name), None)
    stated_here = own is not None and own.voltage_v is not None
    origin = f"project: {name}" if stated_here else f"part: reference {name}"
    volts = stated(
        "full scale",
        workspace.reference_v,
        "V",
        f"bench: pin {pin}" if pin is not None else origin,
        project,
        as_volts,
    )
    tolerance = workspace.tolerance_of(name)
    if not tolerance:
        return (volts,)
    of_project = own is not None and own.tolerance is not None
    origin = f"project: {name}" if of_project else f"part: reference {name}"
    within = stated(
        "tolerance",
        tolerance,
        "",
        origin,
        project,
        lambda value, _unit: format_si(float(value), "%"),
    )
    return volts, within


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


class _Circuit(msgspec.Struct, frozen=True):
    """Source, switch and sampling capacitor of a slot; ``is_plain`` where it is converted once and its pin
    has no capacitor, so that a formula tells its settling."""

    terms: tuple[Given, ...]
    is_plain: bool


def _circuit(workspace: Workspace, chain: Chain, place: int) -> _Circuit:
    signal = workspace.project.signal(chain.slots[place].signal)
    converter = workspace.converter(chain)
    pins = [pin for pin in (signal.pin, signal.negative) if pin is not None]
    impedances = [pin_impedance(workspace, pin) for pin in pins]
    timing = scan_timing(workspace, chain).slots[place]
    there = Place(chain.converter, place, signal.name, "front end")
    part = f"part: {chain.converter}"
    at_pins: list[Given] = []
    for number, (pin, (ohm, farads)) in enumerate(zip(pins, impedances, strict=True)):
        more = str(number + 1) if number else ""
        at_pins.append(Given(f"source{more}", "source", ohm, "Ω", f"bench: pin {pin}", there))
        if farads:
            at_pins.append(
                Given(f"pin{more}", "capacitor", farads, "F", f"bench: pin {pin}", there)
            )
    terms = (
        *at_pins,
        Given("switch", "switch", converter.switch_resistance_ohm, "Ω", part),
        Given("held", "sampling capacitor", converter.sampling_capacitor_f, "F", part),
    )
    is_loaded = any(farads and ohm for ohm, farads in impedances)
    return _Circuit(
        terms, not (timing.repeats > 1 or converter.tracks or is_loaded or len(pins) > 1)
    )


def source_resistance(workspace: Workspace, chain: Chain, place: int) -> Explanation:
    """What feeds a slot, as wired; of a pair of pins both together, or the larger."""
    shown = slot_settling(workspace, chain, place).source_ohm
    terms = tuple(term for term in _circuit(workspace, chain, place).terms if term.word == "source")
    formula = " + ".join(term.name for term in terms)
    if sum(term.value for term in terms) != shown:
        formula = f"max({', '.join(term.name for term in terms)})"
    return Explanation("source", formula, terms, "Ω", short(4))


def pin_capacitor(workspace: Workspace, chain: Chain, place: int) -> Explanation:
    """The capacitor at a slot's pin, the larger one of a pair."""
    terms = tuple(
        term for term in _circuit(workspace, chain, place).terms if term.word == "capacitor"
    )
    formula = terms[0].name if len(terms) == 1 else f"max({', '.join(term.name for term in terms)})"
    return Explanation("capacitor", formula, terms, "F", short(4))


_FOLLOWED = "the charge that pin and sampling capacitor hand to each other, scan by scan, in the steady state"


def settling_time(workspace: Workspace, chain: Chain, place: int) -> Explanation:
    """Sampling that settles a full-scale step within ½ LSB."""
    circuit = _circuit(workspace, chain, place)
    signal = workspace.project.signal(chain.slots[place].signal)
    steps = _steps(workspace, chain, signal)
    if not circuit.is_plain:
        needed_s = slot_settling(workspace, chain, place).needed_s or 0.0
        how = f"the shortest sampling that leaves ½ LSB of a full-scale step: {_FOLLOWED}"
        return looked_for("settling time", needed_s, "s", how, (*circuit.terms, steps), rounded(3))
    return Explanation(
        "settling time",
        "(source + switch) * held * ln(2 * steps)",
        (*circuit.terms, steps),
        "s",
        rounded(3),
        "first-order settling within ½ LSB of a full-scale step",
    )


def step_left(workspace: Workspace, chain: Chain, place: int) -> Explanation:
    """Counts that a full-scale step of the slot before leaves."""
    circuit = _circuit(workspace, chain, place)
    signal = workspace.project.signal(chain.slots[place].signal)
    time = Derived("time", "sampling", sampling(workspace, chain, place))
    steps = _steps(workspace, chain, signal)
    if not circuit.is_plain:
        left = slot_settling(workspace, chain, place).carry
        share = Found("share", "share left", left, "", _FOLLOWED, (time, *circuit.terms))
        return Explanation("full-scale step", "share * steps", (share, steps), "LSB", _counts)
    return Explanation(
        "full-scale step",
        "steps * exp(-time / ((source + switch) * held))",
        (steps, time, *circuit.terms),
        "LSB",
        _counts,
        "first-order settling",
    )


def _counts(value: Number, _unit: str) -> str:
    return format_counts(float(value))


def wired_left(workspace: Workspace, chain: Chain, place: int) -> Explanation:
    """Counts that the slot before can leave at most, with the sources as they are wired."""
    signal = workspace.project.signal(chain.slots[place].signal)
    settling = slot_settling(workspace, chain, place)
    before = workspace.project.signal(settling.neighbour)
    terms: list[Given | Derived | Found] = [
        Derived("left", "left of a full-scale step", step_left(workspace, chain, place)),
        _steps(workspace, chain, signal),
        Derived("count", "1 LSB", count_volts(workspace, chain, signal)),
    ]
    names = []
    for name, one in (("own", signal), ("before", before)):
        number = chain.places_of(one.name)[0]
        there = Place(chain.converter, number, one.name, "front end")
        origin = f"bench: pin {one.pin}, as wired"
        ends = input_extent_v(workspace, one)
        for end, volts in zip(("low", "high"), ends, strict=True):
            terms.append(Given(f"{name}_{end}", f"{one.name} {end}", volts, "V", origin, there))
            names.append(f"{name}_{end}")
        if before == signal:
            break
    apart = "own_high - own_low"
    if before != signal:
        apart = "max(own_high - before_low, before_low - own_high, before_high - own_low, own_low - before_high)"
    return Explanation(
        "as wired", f"left / steps * ({apart}) / count", tuple(terms), "LSB", _counts
    )


def converter_noise(workspace: Workspace, chain: Chain) -> Explanation:
    """Noise of the converter at the chain's resolution, that of a clock above its limit included."""
    converter, part = workspace.converter(chain), f"part: {chain.converter}"
    highest = max(converter.bits)
    clock_hz = scan_timing(workspace, chain).clock_hz
    terms: list[Given] = [Given("own", "noise", converter.noise_lsb, "LSB", part)]
    formula = "own"
    limit_hz = converter.clock_limit_hz(chain.bits)
    if clock_hz > limit_hz:
        formula = "sqrt(own ** 2 + ((clock / limit - 1) * over) ** 2)"
        clock = Place(chain.converter, facet="clock")
        terms += [
            Given("clock", "clock", clock_hz, "Hz", f"{chain.converter}: clock", clock),
            Given("limit", "limit", limit_hz, "Hz", part),
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


def stated_noise(workspace: Workspace, chain: Chain) -> Explanation:
    """Noise of the converter at its highest resolution, as its sheet has it."""
    converter = workspace.converter(chain)
    return stated(
        "noise",
        converter.noise_lsb,
        "LSB",
        f"part: {chain.converter}",
        None,
        lambda value, unit: f"{float(value):g} {unit}",
    )


def _input_noise(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation:
    """Noise before quantisation: of the source and of the converter."""
    wired = Place(chain.converter, chain.places_of(signal.name)[0], signal.name, "front end")
    volts = input_noise_v(workspace, signal)
    return Explanation(
        "noise at the input",
        "sqrt((pin / count) ** 2 + own ** 2)",
        (
            Given(
                "pin", "noise at the pin", volts, "V", f"bench: pin {signal.pin}, as wired", wired
            ),
            Derived("count", "1 LSB", count_volts(workspace, chain, signal)),
            Derived("own", "converter's noise", converter_noise(workspace, chain)),
        ),
        "LSB",
        rounded(3),
    )


def _step(workspace: Workspace, chain: Chain, signal: Signal) -> Given:
    scale = signal_scale(workspace, chain, signal.name)
    place = Place(chain.converter, 0, chain.slots[0].signal, "transfer")
    origin = f"{chain.buffer.name}: element width"
    return Given("step", "last place of a code", 1 + scale.dropped_lsb, "LSB", origin, place)


def raw_noise(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation:
    """Noise of each code: source, converter and quantisation, which are independent of each other; after
    a stage in hardware, of what that gives."""
    if signal.slot_filter is not None:
        after = filtered_noise(workspace, chain, signal)
        terms = (Derived("after", "filtered noise", after),)
        return Explanation("noise expected", "after", terms, "LSB", _rms)
    return Explanation(
        "noise expected",
        "sqrt(input ** 2 + step ** 2 / 12)",
        (
            Derived("input", "noise at the input", _input_noise(workspace, chain, signal)),
            _step(workspace, chain, signal),
        ),
        "LSB",
        _rms,
        "IEEE 1241: quantisation of a step q has q / √12 rms",
    )


def _rms(value: Number, unit: str) -> str:
    return f"{float(value):.2f} {unit} rms"


def filtered_noise(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation:
    """Noise of what a signal's stage gives; quantisation averages with noise enough, else it stays."""
    of_input = _input_noise(workspace, chain, signal)
    step, share = _step(workspace, chain, signal), noise_share(chain, signal)
    is_dithered = float(of_input.value) >= float(step.value) * DITHER_LSB
    terms: list[Given | Derived | Found] = [
        Derived("input", "noise at the input", of_input),
        Derived("share", "share of noise", share),
        step,
    ]
    formula = "(input * share) ** 2 + step ** 2 / 12"
    source = "below ½ LSB of noise at the input quantisation does not average out"
    if is_dithered:
        formula = "(input * share) ** 2 + (step * share) ** 2 / 12"
        source = "with ½ LSB of noise at the input quantisation averages like white noise"
        own = last_place(chain, signal)
        if own is not None:
            terms.append(Derived("own", "last place of the stage", own))
            formula += " + own ** 2 / 12"
    return Explanation("filtered noise", f"sqrt({formula})", tuple(terms), "LSB", _rms, source)


def accuracy(workspace: Workspace, chain: Chain, signal: Signal, *, filtered: bool) -> Explanation:
    """By how much a reading may be off apart from noise, at the pin: half a count, the limit that the part's sheet
    gives for offset and gain together, and what is wired."""
    converter, part = workspace.converter(chain), f"part: {chain.converter}"
    place = Place(chain.converter, facet="clock")
    highest = max(converter.bits)
    terms: list[Given | Derived | Found] = [
        Given("limit", "offset and gain", converter.accuracy_lsb, "LSB", part),
        Derived("count", "1 LSB", count_volts(workspace, chain, signal)),
    ]
    limit = "limit"
    if chain.bits < highest:
        terms += [
            Given("highest", "bits of the part", highest, "", part),
            Given("bits", "resolution", chain.bits, "", f"{chain.converter}: resolution", place),
        ]
        limit = "limit / 2 ** (highest - bits)"
    formula = f"1 / 2 + {limit}"
    dropped = signal_scale(workspace, chain, signal.name).dropped_lsb
    if dropped:
        buffer = Place(chain.converter, 0, chain.slots[0].signal, "transfer")
        origin = f"{chain.buffer.name}: element width"
        terms.append(Given("dropped", "bits dropped", dropped, "LSB", origin, buffer))
        formula += " + dropped"
    noise = signal_noise(workspace, chain, signal)
    bias = truncation(chain, signal)
    if noise.bias_spread_lsb and bias is not None and (filtered or signal.slot_filter is not None):
        terms.append(Derived("still", "truncation of a still input", bias))
        formula += " - still"
    formula = f"({formula}) * count"
    wired_v = input_accuracy_v(workspace, signal)
    if wired_v:
        there = Place(chain.converter, chain.places_of(signal.name)[0], signal.name, "front end")
        origin = f"bench: pin {signal.pin}, the DAC that is wired to it"
        terms.append(Given("wired", "the DAC's own", wired_v, "V", origin, there))
        formula += " + wired"
    if tolerance_error_v(workspace, signal):
        off = _off_by_tolerances(workspace, chain, signal)
        terms.append(Derived("off", "tolerances", off))
        formula += " + off"
    return Explanation("accuracy", formula, tuple(terms), "V", rounded(4))


def _off_by_tolerances(workspace: Workspace, chain: Chain, signal: Signal) -> Explanation:
    """What stated tolerances leave in doubt, of the largest voltage at each pin."""
    wired = Place(chain.converter, chain.places_of(signal.name)[0], signal.name, "front end")
    terms: list[Given | Derived | Found] = []
    parts = []
    for number, pin in enumerate(pin for pin in (signal.pin, signal.negative) if pin is not None):
        shares = []
        for at, (name, share) in enumerate(pin_tolerances(workspace, pin).items()):
            is_reference = name.startswith("reference")
            origin = name if is_reference else f"bench: pin {pin}"
            place = Place(facet="project") if is_reference else wired
            key = f"share{number}_{at}"
            terms.append(Given(key, f"tolerance of {name}", share, "", origin, place))
            shares.append(key)
        if shares:
            ends = input_source(workspace, pin).extent_v
            largest = max(abs(volts) for volts in ends)
            word = "largest voltage" if signal.negative is None else f"largest voltage at {pin}"
            terms.append(
                Given(f"largest{number}", word, largest, "V", f"bench: pin {pin}, as wired", wired)
            )
            parts.append(f"({' + '.join(shares)}) * largest{number}")
    return Explanation("tolerances", " + ".join(parts), tuple(terms), "V", rounded(4))


def band(workspace: Workspace, chain: Chain, signal: Signal, *, filtered: bool) -> Explanation:
    """Half the height of a signal's expected band, in its own volts."""
    noise = (
        filtered_noise(workspace, chain, signal)
        if filtered or signal.slot_filter is not None
        else raw_noise(workspace, chain, signal)
    )
    terms: list[Given | Derived | Found] = [
        Given(
            "sigmas", "σ", BAND_SIGMAS, "", "band: one sample in two million falls outside of 5 σ"
        ),
        Derived("noise", noise.title, noise),
        Derived("count", "1 LSB", count_volts(workspace, chain, signal)),
        Derived("accuracy", "accuracy", accuracy(workspace, chain, signal, filtered=filtered)),
    ]
    formula = "sigmas * noise * count + accuracy"
    if signal.scaling != 1:
        there = Place(chain.converter, chain.places_of(signal.name)[0], signal.name, "signal")
        terms.append(
            Given("scaling", "front end", signal.scaling, "", f"{signal.name}: front end", there)
        )
        formula = f"({formula}) / scaling"
    return Explanation("band", formula, tuple(terms), "V", rounded(3))


def wired_extent(workspace: Workspace, chain: Chain, signal: Signal) -> tuple[Explanation, ...]:
    """Lowest and highest value of a signal, in its own volts, as its pins are wired."""
    there = Place(chain.converter, chain.places_of(signal.name)[0], signal.name, "front end")
    own = Place(chain.converter, there.place, signal.name, "signal")
    scaling = Given("scaling", "front end", signal.scaling, "", f"{signal.name}: front end", own)
    whys = []
    pins = signal.pin if signal.negative is None else f"{signal.pin} − {signal.negative}"
    for title, volts in zip(("lowest", "highest"), input_extent_v(workspace, signal), strict=True):
        at_pin = Given("pin", f"{title} at the pin", volts, "V", f"bench: {pins}, as wired", there)
        whys.append(
            Explanation(
                title,
                "pin / scaling",
                (at_pin, scaling),
                "V",
                as_volts,
            )
        )
    return tuple(whys)
