"""Outputs of a design as the silicon would have them."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.contract.board_config import EffectiveDac, EffectivePwm
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.outputs import ConstantLevel
from wattigram.core.model.design.route import DacDestination
from wattigram.core.predict.pins import pwm_pin, pwm_timing
from wattigram.core.predict.waveform import dac_lsb_v, dac_playback, output_range_v, settling_tau_s
from wattigram.core.silicon.deploy.program_config import written_dacs


def effective_dacs(workspace: Workspace) -> tuple[EffectiveDac, ...]:
    """One for each generator, and for each DAC that routes or reactions alone write to."""
    return (*_played(workspace), *_fed(workspace))


def _fed(workspace: Workspace) -> Iterator[EffectiveDac]:
    """DACs that stand at code 0 until something brings them another; their output is buffered."""
    played = {generator.dac for generator in workspace.project.generators}
    fed = [
        route.destination.dac
        for route in workspace.project.routes
        if isinstance(route.destination, DacDestination)
    ]
    fed += written_dacs(workspace)
    for name in dict.fromkeys(name for name in fed if name not in played):
        dac = workspace.part.dac(name)
        assert dac is not None
        low_v, high_v = output_range_v(workspace, dac, buffered=True)
        yield EffectiveDac(
            name=name,
            pin=dac.pin,
            codes=(0,),
            update_ticks=1.0,
            steady=True,
            bits=dac.bits,
            lsb_v=dac_lsb_v(workspace, dac),
            low_v=low_v,
            high_v=high_v,
            offset_lsb=dac.offset_lsb,
            gain_error=dac.gain_error,
            bend_lsb=dac.bend_lsb,
            carry_lsb=dac.carry_lsb,
            tau_s=settling_tau_s(dac, workspace.full_scale_v(dac), buffered=True),
            slew_v_s=dac.slew_v_s or 0.0,
        )


def _played(workspace: Workspace) -> tuple[EffectiveDac, ...]:
    tick_hz = workspace.bus_clock_hz.numerator
    dacs = []
    for generator in workspace.project.generators:
        dac = workspace.part.dac(generator.dac)
        assert dac is not None
        made = dac_playback(workspace, generator)
        low_v, high_v = output_range_v(workspace, dac, generator.buffered)
        dacs.append(
            EffectiveDac(
                name=generator.name,
                pin=dac.pin,
                codes=tuple(made.codes.tolist()),
                update_ticks=float(made.update_s * tick_hz),
                begin_ticks=float((made.begin_s + made.late_s) * tick_hz),
                repeat=made.repeat,
                steady=isinstance(generator.output, ConstantLevel),
                bits=dac.bits,
                lsb_v=made.lsb_v,
                low_v=low_v,
                high_v=high_v,
                offset_lsb=dac.offset_lsb,
                gain_error=dac.gain_error,
                bend_lsb=dac.bend_lsb,
                carry_lsb=dac.carry_lsb,
                tau_s=made.tau_s,
                slew_v_s=made.slew_v_s,
            )
        )
    return tuple(dacs)


def effective_pwm(workspace: Workspace) -> tuple[EffectivePwm, ...]:
    """One for each PWM output."""
    tick_hz = workspace.bus_clock_hz.numerator
    outputs = []
    for pwm in workspace.project.pwm:
        timing = pwm_timing(workspace, pwm)
        outputs.append(
            EffectivePwm(
                name=pwm.name,
                pin=pwm_pin(workspace, pwm),
                count_ticks=float(timing.period_s * tick_hz / timing.counts),
                counts=timing.counts,
                high_counts=timing.high_counts,
                high_v=timing.high_v,
                preload=pwm.preload,
            )
        )
    return tuple(outputs)
