"""How rates, duties and counts of outputs came about."""

from __future__ import annotations

import math

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Given,
    Place,
    as_volts,
    looked_for,
    rounded,
    short,
    stated,
)
from wattigram.core.advise.explanations.timing import timer_clock
from wattigram.core.model.design import (
    ConstantLevel,
    Generator,
    Playback,
    PwmOutput,
    SoftwareRamp,
    TimerTrigger,
    Workspace,
)
from wattigram.core.model.part import Dac
from wattigram.core.predict.pins import input_poles_s, pwm_pin, pwm_timing
from wattigram.core.predict.waveform import dac_playback, output_spectrum


def _timer_rate(
    workspace: Workspace, title: str, timer: str, settings: tuple[int, int], there: Place
) -> Explanation:
    """Rate of a timer, by its prescaler and its counts."""
    prescaler, counts = settings
    return Explanation(
        title,
        "clock / (prescaler * counts)",
        (
            timer_clock(workspace, timer),
            Given("prescaler", "prescaler", prescaler, "", timer, there),
            Given("counts", "counts", counts, "", timer, there),
        ),
        "Hz",
        short(6),
    )


def pwm_rate(workspace: Workspace, pwm: PwmOutput) -> Explanation:
    """Pulses in a second."""
    setting = pwm_timing(workspace, pwm).setting
    counts = setting.prescaler, setting.period_counts
    return _timer_rate(workspace, "rate", pwm.timer, counts, _pwm_place(pwm))


def _pwm_place(pwm: PwmOutput) -> Place:
    return Place(section="pwm", output=pwm.name)


def _counts(workspace: Workspace, pwm: PwmOutput) -> Given:
    counts = pwm_timing(workspace, pwm).counts
    return Given("counts", "counts", counts, "", pwm.timer, _pwm_place(pwm))


def pwm_bits(workspace: Workspace, pwm: PwmOutput) -> Explanation:
    """Resolution of the duty."""
    return Explanation(
        "duty resolution",
        "log2(counts)",
        (_counts(workspace, pwm),),
        "bits",
        lambda value, unit: f"{float(value):.2f} {unit}",
    )


def pwm_duty(workspace: Workspace, pwm: PwmOutput) -> Explanation:
    """The duty that is wanted, in whole counts of the timer."""
    wanted = Given("wanted", "duty", pwm.duty, "", f"{pwm.name}: duty", _pwm_place(pwm))
    high = Explanation(
        "counts high",
        "floor(wanted * counts + 1 / 2)",
        (wanted, _counts(workspace, pwm)),
        "",
        short(8),
    )
    return Explanation(
        "duty, actual",
        "high / counts",
        (Derived("high", "counts high", high), _counts(workspace, pwm)),
        "",
        lambda value, _unit: f"{float(value) * 100:.5g} %",
    )


def pwm_mean(workspace: Workspace, pwm: PwmOutput) -> Explanation:
    """What a low-pass would leave of the pulses."""
    return Explanation(
        "average",
        "duty * supply",
        (
            Derived("duty", "duty, actual", pwm_duty(workspace, pwm)),
            Given(
                "supply",
                "supply",
                workspace.supply_v,
                "V",
                "project: supply",
                Place(facet="project"),
            ),
        ),
        "V",
        lambda value, unit: f"{float(value):.4f} {unit}",
    )


def pwm_settling(workspace: Workspace, pwm: PwmOutput) -> Explanation | None:
    """Until a full step is within half a step of the duty's resolution; None where nothing smooths it."""
    pin = pwm_pin(workspace, pwm)
    wired = next(
        (
            one
            for one in workspace.project.bench
            if one.source.kind == "jumper" and one.source.pin == pin
        ),
        None,
    )
    poles = input_poles_s(workspace, wired) if wired is not None else ()
    if wired is None or not poles:
        return None
    terms = tuple(
        Given(f"t{number}", f"time constant {number + 1}", pole, "s", f"bench: pin {wired.pin}")
        for number, pole in enumerate(poles)
    )
    total = " + ".join(term.name for term in terms)
    return Explanation(
        "settling time",
        f"({total}) * (bits + 1) * ln(2)",
        (*terms, Derived("bits", "bits", pwm_bits(workspace, pwm))),
        "s",
        rounded(3),
        "poles one after the other, at most their sum",
    )


def dac_count(workspace: Workspace, dac: Dac) -> Explanation:
    """Volts of one count of a DAC."""
    bits = Given("bits", "resolution", dac.bits, "", f"part: {dac.name}")
    reference = _reference(workspace, dac)
    formula = "2 ** bits - 1" if dac.full_scale == "2^N-1" else "2 ** bits"
    steps = Explanation("full scale", formula, (bits,), "", short(8))
    terms = (reference, Derived("steps", "full scale", steps))
    return Explanation("1 LSB", "reference / steps", terms, "V", rounded(4))


def _reference(workspace: Workspace, dac: Dac) -> Given:
    """The project's reference, one that is chosen for the DAC, or the one that it always has."""
    volts, name = workspace.full_scale_v(dac), workspace.dac_reference(dac)
    if dac.reference is not None:
        return Given("reference", "reference", volts, "V", f"part: reference {name}")
    origin, place = f"reference {name}", Place(facet="project")
    output = next((one for one in workspace.project.generators if one.dac == dac.name), None)
    if dac.references and output is not None:
        place = Place(section="generators", output=output.name)
    return Given("reference", "reference", volts, "V", origin, place)


def update_rate(workspace: Workspace, generator: Generator) -> Explanation | None:
    """Points in a second; None where a timer of its own does not make it alone."""
    output = generator.output
    if not isinstance(output, Playback) or not isinstance(output.update_trigger, TimerTrigger):
        return None
    made = dac_playback(workspace, generator)
    if made.timer is None or made.update_s != made.asked_s:
        return None
    settings = made.timer.prescaler, made.timer.period_counts
    there = Place(section="generators", output=generator.name)
    return _timer_rate(workspace, "update rate", output.update_trigger.timer, settings, there)


def wave_rate(
    workspace: Workspace, generator: Generator, digits: int, *, is_short: bool
) -> Explanation | None:
    """Periods of a table in a second, where its points come at the timer's rate."""
    rate, output = update_rate(workspace, generator), generator.output
    table = workspace.project.table(output.table) if isinstance(output, Playback) else None
    if rate is None or table is None:
        return None
    origin = f"table {table.name}"
    write = short(digits) if is_short else rounded(digits)
    return Explanation(
        "frequency",
        "periods * rate / points",
        (
            Given("periods", "periods", table.periods, "", origin),
            Derived("rate", "update rate", rate),
            Given("points", "points", table.points, "", origin),
        ),
        "Hz",
        write,
    )


def output_swing(workspace: Workspace, generator: Generator) -> tuple[Explanation, ...]:
    """Lowest and highest voltage that an output reaches."""
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    there = Place(section="generators", output=generator.name)
    reference = _reference(workspace, dac)
    if not generator.buffered:
        return (Explanation("highest", "reference", (reference,), "V", as_volts),)
    margin = Given(
        "margin", "the buffer keeps away by", dac.buffer_margin_v, "V", f"part: {dac.name}", there
    )
    supply = Given(
        "supply", "supply", workspace.supply_v, "V", "project: supply", Place(facet="project")
    )
    return (
        Explanation("lowest", "margin", (margin,), "V", as_volts),
        Explanation(
            "highest", "min(reference, supply - margin)", (reference, supply, margin), "V", as_volts
        ),
    )


def dac_settling(dac: Dac, buffered: bool) -> Explanation:
    """Until a full step is within half a count."""
    return stated(
        "settling time", dac.settles_s(buffered), "s", f"part: {dac.name}", None, rounded(3)
    )


def level_code(workspace: Workspace, generator: Generator) -> tuple[Explanation, ...]:
    """The code of a constant level, and what it really is."""
    dac, output = workspace.part.dac(generator.dac), generator.output
    assert dac is not None
    assert isinstance(output, ConstantLevel)
    there = Place(section="generators", output=generator.name)
    count = Derived("count", "1 LSB", dac_count(workspace, dac))
    code = Explanation(
        "code",
        "max(0, min(2 ** bits - 1, floor(volts / count + 1 / 2)))",
        (
            Given("volts", "voltage", output.voltage_v, "V", f"{generator.name}: voltage", there),
            count,
            Given("bits", "resolution", dac.bits, "", f"part: {dac.name}"),
        ),
        "",
        lambda value, _unit: f"{int(value)}",
    )
    if float(dac_playback(workspace, generator).levels_v[0]) != float(code.value * count.value):
        return (code,)
    exact = Explanation(
        "exact voltage",
        "code * count",
        (Derived("code", "code", code), count),
        "V",
        lambda value, unit: f"{float(value):.6f} {unit}",
    )
    return code, exact


def table_period(workspace: Workspace, generator: Generator) -> Explanation | None:
    """Time of all points of a table; None where a timer of its own does not make their rate alone."""
    rate, output = update_rate(workspace, generator), generator.output
    table = workspace.project.table(output.table) if isinstance(output, Playback) else None
    if rate is None or table is None:
        return None
    points = Given("points", "points", table.points, "", f"table {table.name}")
    terms = (points, Derived("rate", "update rate", rate))
    return Explanation("period", "points / rate", terms, "s", rounded(5))


def ramp_sweep(workspace: Workspace, generator: Generator) -> dict[str, Explanation]:
    """Steps of a ramp that software makes, and the time of all of them, by the labels of what is shown."""
    dac, output = workspace.part.dac(generator.dac), generator.output
    assert dac is not None
    assert isinstance(output, SoftwareRamp)
    made = dac_playback(workspace, generator)
    there = Place(section="generators", output=generator.name)
    name = generator.name
    step = Given("step", "step", output.step_v, "V", f"{name}: step", there)
    count = Derived("count", "1 LSB", dac_count(workspace, dac))
    from_v = Given("start", "from", output.from_v, "V", f"{name}: from", there)
    to_v = Given("end", "to", output.to_v, "V", f"{name}: to", there)
    how = "steps from the one end to the other, and what happens there"
    ends = (from_v, to_v, step)
    steps = looked_for("step count", len(made.codes) - 1, "", how, ends, short(8))
    dwell = Given("dwell", "dwell", output.dwell_s, "s", f"{name}: dwell", there)
    each = Explanation("a step", "step / count", (step, count), "LSB", short(4))
    found = {"steps": steps, "each": each}
    whole = looked_for(
        "sweep time",
        made.lap_s,
        "s",
        "all levels, each for its dwell",
        (dwell, *ends),
        rounded(4),
    )
    return {**found, "sweep time": whole}


def pwm_ripple(workspace: Workspace, pwm: PwmOutput) -> Explanation | None:
    """What a low-pass leaves of the pulses, peak to peak; None where nothing smooths them."""
    settling = pwm_settling(workspace, pwm)
    if settling is None:
        return None
    poles = [term for term in settling.terms if isinstance(term, Given)]
    ripple_v = pwm_timing(workspace, pwm).ripple_v(tuple(float(pole.value) for pole in poles))
    how = "the steady state of the pulses behind the low-passes, highest less lowest"
    terms: tuple[Given | Derived, ...] = (
        Derived("rate", "rate", pwm_rate(workspace, pwm)),
        Derived("duty", "duty, actual", pwm_duty(workspace, pwm)),
        *poles,
    )
    return looked_for("ripple", ripple_v, "V", how, terms, rounded(3))


def table_spectrum(
    workspace: Workspace, generator: Generator
) -> dict[str, tuple[Explanation, ...]]:
    """What holding each point makes of a table's wave, by the labels of what is shown."""
    made = dac_playback(workspace, generator)
    spectrum, table = output_spectrum(made), made.table
    if table is None or not math.isfinite(spectrum.droop_db):
        return {}
    origin = f"table {table.name}"
    points = Given("points", "points", table.points, "", origin)
    periods = Given("periods", "periods", table.periods, "", origin)
    half_turn = Explanation("half a turn", "acos(-1)", (), "", rounded(6))
    angle = Explanation(
        "angle of a point",
        "turn * periods / points",
        (Derived("turn", "π", half_turn), periods, points),
        "",
        rounded(6),
    )
    terms = (Derived("x", "x", angle),)
    source = "held steps: sinc(f / update rate)"
    formula = "20 * log10(max(sin(x) / x, -sin(x) / x))"
    droop = Explanation(
        "droop", formula, terms, "dB", lambda value, unit: f"{float(value):.4f} {unit}", source
    )
    of_image: tuple[Given | Derived, ...] = (points, periods)
    rate = update_rate(workspace, generator)
    if rate is not None:
        of_image = (*of_image, Derived("rate", "update rate", rate))
    how = "the line at update rate less frequency, against the wave, of the levels' discrete Fourier transform with each held"
    image = looked_for(
        "nearest image",
        spectrum.image_dbc,
        "dBc",
        how,
        of_image,
        lambda value, unit: f"{float(value):.1f} {unit}",
    )
    image_hz = looked_for(
        "its frequency", spectrum.image_hz, "Hz", "update rate less frequency", of_image, short(5)
    )
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    count = (Derived("count", "1 LSB", dac_count(workspace, dac)),)
    how = "rms of the levels less what is wanted, their mean taken off"
    off = looked_for("quantisation", spectrum.quantisation_v, "V", how, count, rounded(3))
    return {"droop": (droop,), "nearest image": (image, image_hz), "quantisation": (off,)}
