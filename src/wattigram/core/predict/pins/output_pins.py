"""What stands on the part's own output pins."""

from __future__ import annotations

from fractions import Fraction

import numpy as np

from wattigram.core.contract.shapes import PiecewiseWaveform, pulse_train
from wattigram.core.model.bench import ShapeSource
from wattigram.core.model.design.outputs import ConstantLevel, Generator, PwmOutput
from wattigram.core.model.design.reaction import program_outputs, start_levels
from wattigram.core.model.design.route import DacDestination, DutyDestination, PeriodDestination
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.pins.pwm import pwm_timing
from wattigram.core.predict.waveform import dac_playback

PUSHED_OHM = 40.0
"""Of a digital output."""


def generator_on(workspace: Workspace, pin: str) -> Generator | None:
    """The generator whose DAC has that pin."""
    names = {item.name for item in workspace.part.dacs if item.pin == pin}
    return next(
        (generator for generator in workspace.project.generators if generator.dac in names), None
    )


def pwm_on(workspace: Workspace, pin: str) -> PwmOutput | None:
    """The PWM output whose timer has that pin."""
    return next((pwm for pwm in workspace.project.pwm if pwm_pin(workspace, pwm) == pin), None)


def pwm_pin(workspace: Workspace, pwm: PwmOutput) -> str:
    """Where a PWM output comes out."""
    timer = workspace.part.timer(pwm.timer)
    assert timer is not None
    return timer.pwm_pins[pwm.timer]


def moved_pins(workspace: Workspace) -> tuple[str, ...]:
    """Output pins that a route or a reaction sets while the board runs: nobody knows beforehand
    what stands on them."""
    pins: list[str] = []
    for output in program_outputs(workspace.project.reactions):
        match output.kind:
            case "pins":
                pins += output.names
            case "duty" | "pulse-period":
                pwm = workspace.project.pwm_output(output.names[0])
                assert pwm is not None
                pins.append(pwm_pin(workspace, pwm))
            case "dac":
                dac = workspace.part.dac(output.names[0])
                assert dac is not None
                pins.append(dac.pin)
            case _:
                pass
    for route in workspace.project.routes:
        match route.destination:
            case DutyDestination(pwm=name) | PeriodDestination(pwm=name):
                pwm = workspace.project.pwm_output(name)
                assert pwm is not None
                pins.append(pwm_pin(workspace, pwm))
            case DacDestination(dac=name):
                dac = workspace.part.dac(name)
                assert dac is not None
                pins.append(dac.pin)
            case _:
                pass
    return tuple(pins)


def output_ohm(workspace: Workspace, pin: str) -> float:
    """Resistance of an output."""
    generator = generator_on(workspace, pin)
    if generator is not None:
        dac = workspace.part.dac(generator.dac)
        assert dac is not None
        return 1.0 if generator.buffered else dac.resistance_ohm
    if pwm_on(workspace, pin) is not None:
        return PUSHED_OHM
    port = workspace.part.port_of(pin)
    is_set = pin in start_levels(workspace.project.reactions)
    return port.resistance_ohm if port is not None and is_set else 0.0


def output_accuracy_v(workspace: Workspace, pin: str) -> float:
    """By how much a DAC's level may be off; 0 for a pin without one."""
    generator = generator_on(workspace, pin)
    if generator is None:
        return 0.0
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    return dac.accuracy_lsb * dac_playback(workspace, generator).lsb_v


def output_waveform(workspace: Workspace, pin: str, meant: bool = False) -> ShapeSource | None:
    """The voltage of an output pin over time; None where nothing comes out, or a route or a
    reaction decides.

    What is ``meant`` leaves out what the design's own mistakes make of it: what clips, what comes
    too fast, timer
    registers that are off by one.
    """
    if pin in moved_pins(workspace):
        return None
    generator = generator_on(workspace, pin)
    if generator is not None:
        dac = workspace.part.dac(generator.dac)
        assert dac is not None
        made = dac_playback(workspace, generator)
        if isinstance(generator.output, ConstantLevel):
            flat = np.zeros(1)
            levels = made.wanted_v if meant else made.levels_v
            level = PiecewiseWaveform(
                np.zeros(1), levels, flat, flat, before_v=made.before_v, always=True
            )
            return ShapeSource(level, None, noise_v=dac.noise_v, origin=generator.name)
        course = made.meant if meant else made.course
        return ShapeSource(course, made.period_s, noise_v=dac.noise_v, origin=generator.name)
    pwm = pwm_on(workspace, pin)
    if pwm is None:
        return None
    timing = pwm_timing(
        workspace, pwm.replaced(prescaler_register=None, period_register=None) if meant else pwm
    )
    high_s = float(timing.duty * timing.period_s)
    course = pulse_train(0.0, timing.high_v, high_s, float(timing.period_s))
    period: Fraction | None = timing.period_s if 0 < timing.duty < 1 else None
    return ShapeSource(course, period, origin=pwm.name)
