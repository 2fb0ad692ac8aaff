"""Panels of what goes out: generators and PWM."""

from __future__ import annotations

import math
from collections.abc import Callable
from fractions import Fraction

from wattigram.core.advise import explanations
from wattigram.core.base.errors import QuantityError
from wattigram.core.base.fields import read_interval
from wattigram.core.base.quantity import (
    exact_text,
    format_rounded,
    format_si,
    format_volts,
    parse_quantity,
)
from wattigram.core.base.validation import ModelError
from wattigram.core.model.design import (
    ChainFollow,
    ConstantLevel,
    Generator,
    GeneratorFollow,
    Playback,
    PwmOutput,
    SoftwareRamp,
    TimerTrigger,
    Workspace,
)
from wattigram.core.model.design.edits import Edit, SetGenerator, SetPwm
from wattigram.core.predict.pins import input_poles_s, pwm_pin, pwm_timing, settling_s
from wattigram.core.predict.waveform import codes_of, dac_playback, output_range_v
from wattigram.desktop.inspector.number_entry import whole_number
from wattigram.desktop.inspector.panel_model import Choice, Fact, Field, Panel, WhatIf

KINDS = {"constant": "constant", "ramp": "software ramp", "table": "table by DMA"}
BY = {"timer": "timer", "generator": "other generator", "chain": "converter's trigger"}
LOADS_AT = ("period end", "once written", "period end, when whole")
AT_END = ("hold", "repeat", "reverse")
YES, NO = "yes", "no"


def checked(make: Callable[[], Edit]) -> Edit:
    """The edit, or what is wrong with what was entered."""
    try:
        return make()
    except ModelError as fault:
        raise QuantityError(fault.first.message) from fault


def key_for(text: str, words: dict[str, str]) -> str:
    """The key of a shown word."""
    return next((key for key, value in words.items() if value == text), next(iter(words)))


def generator_panel(workspace: Workspace, generator: Generator) -> Panel:
    """A generator: what it plays, what starts a point, and what reaches the pin."""
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    made = dac_playback(workspace, generator)
    low_v, high_v = output_range_v(workspace, dac, generator.buffered)
    facts = [
        Fact("pin", dac.pin),
        Fact(
            "output swing",
            f"{format_volts(low_v)} to {format_volts(high_v)}",
            why=explanations.output_swing(workspace, generator),
        ),
        Fact(
            "1 LSB",
            format_rounded(made.lsb_v, "V", 4),
            why=explanations.dac_count(workspace, dac),
        ),
        Fact(
            "settling time",
            format_rounded(dac.settles_s(generator.buffered), "s", 3),
            why=explanations.dac_settling(dac, generator.buffered),
        ),
    ]

    def changed(**updates: object) -> Edit:
        return checked(lambda: SetGenerator(generator.name, generator.replaced(**updates)))

    def of_output(name: str, read: Callable[[str], object]) -> Callable[[str], Edit]:
        return lambda text: changed(output=checked_output(generator, name, read(text)))

    fields = [
        Field("name", generator.name, lambda text: changed(name=text.strip()), hint="any name"),
        Field(
            "DAC",
            generator.dac,
            lambda text: changed(dac=text),
            tuple(item.name for item in workspace.part.dacs),
        ),
        Field(
            "mode",
            KINDS[generator.output.kind],
            lambda text: _fresh(workspace, generator, text),
            tuple(KINDS.values()),
        ),
    ]
    if dac.references:
        fields.append(
            Field(
                "reference",
                workspace.dac_reference(dac),
                lambda text: changed(reference=text),
                dac.references,
            )
        )
    match generator.output:
        case ConstantLevel() as level:
            code = int(made.codes[0])
            whys = explanations.level_code(workspace, generator)
            exact_v = f"{float(made.levels_v[0]):.6f} V"
            facts += [
                Fact("code", f"{code} · 0x{code:X}", why=whys[0]),
                Fact("exact voltage", exact_v, made.clipped == 0, whys[1:] or None),
            ]
            fields.append(
                Field("voltage", exact_text(level.voltage_v, "V"), of_output("voltage_v", _volts))
            )
            fields.append(
                Field(
                    "adjustable",
                    f"{level.voltage_v:.3f} V",
                    of_output("voltage_v", _volts),
                    slider=(0.0, high_v, level.voltage_v),
                )
            )
        case SoftwareRamp() as ramp:
            facts += _ramp_facts(workspace, generator)
            fields += [
                Field("from", exact_text(ramp.from_v, "V"), of_output("from_v", _volts)),
                Field("to", exact_text(ramp.to_v, "V"), of_output("to_v", _volts)),
                Field(
                    "step",
                    exact_text(ramp.step_v, "V"),
                    of_output("step_v", lambda text: _step(text, made.lsb_v)),
                    hint="or 1 LSB",
                ),
                Field(
                    "dwell",
                    format_si(ramp.dwell_s, "s", 9),
                    of_output("dwell_s", lambda text: parse_quantity(text, "s")),
                ),
                Field(
                    "at the end",
                    ramp.at_end,
                    of_output("at_end", str),
                    AT_END,
                ),
            ]
        case Playback() as output:
            facts += [
                Fact(
                    "frequency",
                    format_rounded(made.wave_hz, "Hz", 7),
                    why=explanations.wave_rate(workspace, generator, 7, is_short=False),
                ),
                Fact(
                    "update rate",
                    format_si(1 / made.update_s, "Hz", 6),
                    made.update_s == made.asked_s,
                    explanations.update_rate(workspace, generator),
                ),
                Fact(
                    "period",
                    format_rounded(made.lap_s, "s", 5),
                    why=explanations.table_period(workspace, generator),
                ),
                Fact(
                    "start",
                    format_rounded(made.begin_s, "s", 3)
                    if made.begin_s
                    else "with the first trigger",
                ),
            ]
            fields += _playback_fields(workspace, generator, output, of_output, changed)
    fields += [
        Field(
            "output buffer",
            YES if generator.buffered else NO,
            lambda text: changed(buffered=text == YES),
            (YES, NO),
        ),
        Field(
            "double-buffered",
            YES if generator.double_buffered else NO,
            lambda text: changed(double_buffered=text == YES),
            (YES, NO),
        ),
    ]
    return Panel(f"Generator · {generator.name}", tuple(facts), tuple(fields))


def checked_output(generator: Generator, name: str, value: object) -> object:
    """The output with one field changed, or what is wrong with it."""
    try:
        return generator.output.replaced(**{name: value})
    except ModelError as fault:
        raise QuantityError(fault.first.message) from fault


def _volts(text: str) -> float:
    return float(parse_quantity(text, "V"))


def _step(text: str, lsb_v: float) -> float:
    return (
        float(parse_quantity(text, "LSB")) * lsb_v if text.strip().endswith("LSB") else _volts(text)
    )


def _ramp_facts(workspace: Workspace, generator: Generator) -> list[Fact]:
    made = dac_playback(workspace, generator)
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    assert isinstance(generator.output, SoftwareRamp)
    steps = len(made.codes) - 1
    step_codes = generator.output.step_v / made.lsb_v
    low, high = codes_of(workspace, dac, made.wanted_v[:1])[0], int(made.codes.max())
    whys = explanations.ramp_sweep(workspace, generator)
    return [
        Fact(
            "step count",
            f"{steps}, {step_codes:.4g} LSB each",
            why=(whys["steps"], whys["each"]),
        ),
        Fact("codes", f"{int(low)} to {high}"),
        Fact("sweep time", format_rounded(made.lap_s, "s", 4), why=whys["sweep time"]),
        Fact("clipped", f"{made.clipped} levels" if made.clipped else "nowhere", made.clipped == 0),
    ]


def _fresh(workspace: Workspace, generator: Generator, text: str) -> Edit | None:
    """Another kind of output, with figures that make sense on this part."""
    kind = key_for(text, KINDS)
    if kind == generator.output.kind:
        return None
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    full_v = workspace.full_scale_v(dac)
    output: ConstantLevel | SoftwareRamp | Playback
    if kind == "constant":
        output = ConstantLevel(voltage_v=round(full_v / 2, 3))
    elif kind == "ramp":
        output = SoftwareRamp(
            from_v=round(full_v / 4, 3), to_v=round(full_v * 3 / 4, 3), step_v=0.01, dwell_s="1 ms"
        )
    else:
        project = workspace.project
        if not project.tables:
            raise QuantityError("The project has no table.", cure="Add one on the Wave page first.")
        output = Playback(
            table=project.tables[0].name,
            update_trigger=TimerTrigger(timer=free_timer(workspace), period_s=Fraction(1, 10_000)),
            channel=free_channel(workspace),
        )
    return SetGenerator(generator.name, generator.replaced(output=output))


def free_timer(workspace: Workspace, with_pwm: bool = False) -> str:
    """A timer that nothing uses, or :class:`QuantityError`."""
    project = workspace.project
    used = {pwm.timer for pwm in project.pwm}
    used |= {
        chain.trigger.timer for chain in project.chains if isinstance(chain.trigger, TimerTrigger)
    }
    for generator in project.generators:
        if isinstance(generator.output, Playback) and isinstance(
            generator.output.update_trigger, TimerTrigger
        ):
            used.add(generator.output.update_trigger.timer)
    names = [
        name
        for group in workspace.part.timers
        for name in (group.pwm_pins if with_pwm else group.names)
    ]
    for name in names:
        if name not in used:
            return name
    raise QuantityError(
        f"Every timer of {workspace.part.name} is in use.", cure="Free one, or share one's rate."
    )


def free_channel(workspace: Workspace) -> str:
    """A DMA channel that nothing uses, or :class:`QuantityError`."""
    used = workspace.project.dma_channels
    for group in workspace.part.dma:
        for name in group.names:
            if name not in used:
                return name
    raise QuantityError(f"{workspace.part.name} has no DMA channel left.", cure="Free one first.")


OfOutput = Callable[[str, Callable[[str], object]], Callable[[str], Edit]]


def _playback_fields(
    workspace: Workspace,
    generator: Generator,
    output: Playback,
    of_output: OfOutput,
    changed: Callable[..., Edit],
) -> list[Field]:
    """A table that DMA brings to the DAC: which, at what pace, and from where on."""
    project = workspace.project
    channels = tuple(name for group in workspace.part.dma for name in group.names)
    starts = ("the program", *(chain.converter for chain in project.chains))
    return [
        Field(
            "table",
            output.table,
            of_output("table", str),
            tuple(table.name for table in project.tables),
        ),
        *_update_trigger_fields(workspace, generator, output, changed),
        Field(
            "start index",
            str(output.start_index),
            of_output("start_index", lambda text: whole_number(text, "points")),
            hint="sets its phase",
        ),
        Field("DMA", output.channel, of_output("channel", str), channels),
        Field(
            "repeats",
            YES if output.repeat else NO,
            of_output("repeat", lambda text: text == YES),
            (YES, NO),
        ),
        Field(
            "started by",
            output.starts_with or starts[0],
            of_output("starts_with", lambda text: None if text == starts[0] else text),
            starts,
        ),
    ]


def _update_trigger_fields(
    workspace: Workspace, generator: Generator, output: Playback, changed: Callable[..., Edit]
) -> list[Field]:
    """What asks for the next point: a timer, or what another chain or generator has."""
    project, trigger = workspace.project, output.update_trigger
    leaders = {
        "chain": tuple(chain.converter for chain in project.chains),
        "generator": tuple(
            other.name
            for other in project.generators
            if other.name != generator.name
            and isinstance(other.output, Playback)
            and not isinstance(other.output.update_trigger, GeneratorFollow)
        ),
    }

    def put(fresh: object) -> Edit:
        return changed(output=checked_output(generator, "update_trigger", fresh))

    def by(text: str) -> Edit | None:
        kind = key_for(text, BY)
        if kind == trigger.kind:
            return None
        if kind == "timer":
            period_s = dac_playback(workspace, generator).asked_s
            return put(TimerTrigger(timer=free_timer(workspace), period_s=period_s))
        if not leaders[kind]:
            raise QuantityError("There is none to be in step with.", cure="Add one first.")
        follow = GeneratorFollow if kind == "generator" else ChainFollow
        return put(follow(follows=leaders[kind][0]))

    def of_trigger(name: str, read: Callable[[str], object]) -> Callable[[str], Edit]:
        return lambda text: put(trigger.replaced(**{name: read(text)}))

    chosen = Field("update trigger", BY[trigger.kind], by, tuple(BY.values()))
    if not isinstance(trigger, TimerTrigger):
        of = Field("of", trigger.follows, of_trigger("follows", str), leaders[trigger.kind])
        return [chosen, of]
    timers = tuple(
        name for group in workspace.part.timers if group.can_trigger for name in group.names
    )
    return [
        chosen,
        Field("timer", trigger.timer, of_trigger("timer", str), timers),
        Field(
            "period",
            format_si(trigger.period_s, "s", 9),
            of_trigger("period_s", read_interval),
            hint="40 us or 25 kHz",
        ),
        *(
            Field(
                f"{what} register",
                _register(getattr(trigger, f"{what}_register")),
                of_trigger(f"{what}_register", _read_register),
                hint="as solved",
            )
            for what in ("prescaler", "period")
        ),
    ]


def _register(value: int | None) -> str:
    return "" if value is None else str(value)


def _read_register(text: str) -> int | None:
    return whole_number(text, "") if text.strip() else None


def pwm_panel(workspace: Workspace, pwm: PwmOutput) -> Panel:
    """A PWM output: what remains of the timer, and what a filter makes of it."""
    timing = pwm_timing(workspace, pwm)
    pin = pwm_pin(workspace, pwm)
    facts = [
        Fact("pin", pin),
        Fact(
            "rate",
            format_si(1 / timing.period_s, "Hz", 6),
            why=explanations.pwm_rate(workspace, pwm),
        ),
        Fact(
            "duty resolution",
            f"{timing.counts}, {timing.bits:.2f} bits",
            timing.bits >= 8,
            explanations.pwm_bits(workspace, pwm),
        ),
        Fact(
            "duty, actual",
            f"{float(timing.duty) * 100:.5g} %",
            why=explanations.pwm_duty(workspace, pwm),
        ),
        Fact("average", f"{timing.mean_v:.4f} V", why=explanations.pwm_mean(workspace, pwm)),
    ]
    wired = [
        wiring
        for wiring in workspace.project.bench
        if wiring.source.kind == "jumper" and wiring.source.pin == pin
    ]
    for wiring in wired[:1]:
        poles = input_poles_s(workspace, wiring)
        if poles:
            facts += [
                Fact(
                    f"ripple at {wiring.pin}",
                    format_rounded(timing.ripple_v(poles), "V", 3),
                    why=explanations.pwm_ripple(workspace, pwm),
                ),
                Fact(
                    "settling time",
                    format_rounded(settling_s(poles, timing.bits), "s", 3),
                    why=explanations.pwm_settling(workspace, pwm),
                ),
            ]

    def changed(**updates: object) -> Edit:
        return checked(lambda: SetPwm(pwm.name, pwm.replaced(**updates)))

    def duty(text: str) -> Edit:
        share = float(parse_quantity(text, "%")) if "%" in text else float(parse_quantity(text, ""))
        return changed(duty=share)

    timers = tuple(name for group in workspace.part.timers for name in group.pwm_pins)
    fields = [
        Field("name", pwm.name, lambda text: changed(name=text.strip()), hint="any name"),
        Field("timer", pwm.timer, lambda text: changed(timer=text), timers),
        Field(
            "period",
            format_si(pwm.period_s, "s", 9),
            lambda text: changed(period_s=read_interval(text)),
            hint="50 us or 20 kHz",
        ),
        Field("duty", format_si(pwm.duty, "%", 9), duty, hint="40 %"),
        Field(
            "adjustable",
            f"{pwm.duty * 100:.2f} %",
            lambda text: changed(duty=float(text)),
            slider=(0.0, 1.0, pwm.duty),
        ),
        Field(
            "prescaler register",
            _register(pwm.prescaler_register),
            lambda text: changed(prescaler_register=_read_register(text)),
            hint="as solved",
        ),
        Field(
            "period register",
            _register(pwm.period_register),
            lambda text: changed(period_register=_read_register(text)),
            hint="as solved",
        ),
        Field(
            "loads at",
            LOADS_AT[2 if pwm.whole else not pwm.preload],
            lambda text: changed(preload=text != LOADS_AT[1], whole=text == LOADS_AT[2]),
            LOADS_AT if _waits_for_dma(workspace, pwm) else LOADS_AT[:2],
        ),
    ]
    return Panel(f"PWM · {pwm.name}", tuple(facts), tuple(fields), _pwm_what_if(workspace, pwm))


def _waits_for_dma(workspace: Workspace, pwm: PwmOutput) -> bool:
    timer = workspace.part.timer(pwm.timer)
    return timer is not None and timer.loads_after_dma


def _pwm_what_if(workspace: Workspace, pwm: PwmOutput) -> WhatIf:
    """Bits of duty against rate."""
    choices = []
    now = pwm_timing(workspace, pwm).counts
    powers = [1 << power for power in range(6, 17)]
    timer = workspace.part.timer(pwm.timer)
    assert timer is not None
    for counts in sorted({*powers, now}):
        if counts > 1 << timer.counter_bits:
            continue
        rate_hz = workspace.bus_clock_hz / counts
        changed = pwm.replaced(period_s=1 / rate_hz, prescaler_register=None, period_register=None)
        tip = f"resolution {counts} steps, {format_si(rate_hz, 'Hz', 5)}"
        bits = f"{math.log2(counts):.3g}"
        edit = SetPwm(pwm.name, changed)
        choices.append(Choice(bits, float(rate_hz), counts >= 256, counts == now, tip, edit))
    return WhatIf("Duty resolution · rate in Hz", tuple(choices))
