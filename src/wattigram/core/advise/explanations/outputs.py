"""How rates, duties and counts of outputs came about."""

from __future__ import annotations

from wattigram.core.advise.explanations.explanation import (
    Derived,
    Explanation,
    Given,
    Place,
    rounded,
    short,
)
from wattigram.core.advise.explanations.timing import bus_clock
from wattigram.core.model.design import Generator, Playback, PwmOutput, TimerTrigger, Workspace
from wattigram.core.model.part import Dac
from wattigram.core.predict.pins import input_poles_s, pwm_pin, pwm_timing
from wattigram.core.predict.waveform import dac_playback


def _timer_rate(
    workspace: Workspace, title: str, timer: str, settings: tuple[int, int], there: Place
) -> Explanation:
    """Rate of a timer, by its prescaler and its counts."""
    prescaler, counts = settings
    return Explanation(
        title,
        "clock / (prescaler * counts)",
        (
            bus_clock(workspace),
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
    name = dac.reference or workspace.project.reference
    reference = Given(
        "reference",
        "reference",
        workspace.full_scale_v(dac),
        "V",
        f"reference {name}",
        Place(facet="project") if dac.reference is None else None,
    )
    formula = "2 ** bits - 1" if dac.full_scale == "2^N-1" else "2 ** bits"
    steps = Explanation("full scale", formula, (bits,), "", short(8))
    terms = (reference, Derived("steps", "full scale", steps))
    return Explanation("1 LSB", "reference / steps", terms, "V", rounded(4))


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
