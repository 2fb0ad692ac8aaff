"""Values that the program puts through a scale: from a signal's codes to a register's."""

from __future__ import annotations

import msgspec
import numpy as np

from wattigram.core.model.design import ScaledAction, Workspace, later_gain, signal_scale
from wattigram.core.model.design.reaction import (
    BarAction,
    DutyAction,
    Input,
    PeriodAction,
)
from wattigram.core.predict.pins import pwm_timing
from wattigram.core.predict.waveform import codes_of


class ScaledEnds(msgspec.Struct, frozen=True):
    """A straight line between two points, and no further.

    Attributes
    ----------
    from_code, to_code : float
        What the program has at either end of the input.
    from_out, to_out : int
        What the register gets there.
    most : int
        The largest number that the register can hold, or all pins lit.
    """

    from_code: float
    to_code: float
    from_out: int
    to_out: int
    most: int

    def of(self, code: float) -> float:
        """What comes out for a code, before it is rounded."""
        share = (code - self.from_code) / (self.to_code - self.from_code)
        return self.from_out + min(max(share, 0.0), 1.0) * (self.to_out - self.from_out)


def volts_per_code(workspace: Workspace, signal: str, stream: Input) -> float:
    """Volts of the signal that one count of the program's value stands for; 0 for a signal that
    nothing converts."""
    chain = workspace.project.chain_of(signal)
    if chain is None:
        return 0.0
    known = workspace.project.signal(signal)
    scale = signal_scale(workspace, chain, signal)
    gain = scale.gain * (later_gain(known) if stream == "filtered" else 1.0)
    return scale.lsb_v / gain / 2.0**scale.shift / float(known.scaling)


def scaled_ends(workspace: Workspace, action: ScaledAction) -> ScaledEnds | None:
    """The two ends of an action's scale; None for a signal that nothing converts."""
    count_v = volts_per_code(workspace, action.signal, action.input)
    if not count_v:
        return None
    low, high, most = _registers(workspace, action)
    return ScaledEnds(action.from_v / count_v, action.to_v / count_v, low, high, most)


def _registers(workspace: Workspace, action: ScaledAction) -> tuple[int, int, int]:
    match action:
        case BarAction(pins=pins, shows=shows):
            most = len(pins) if shows == "bar" else (1 << len(pins)) - 1
            return 0, most, most
        case DutyAction() | PeriodAction():
            pwm = workspace.project.pwm_output(action.pwm)
            assert pwm is not None
            timing = pwm_timing(workspace, pwm)
            if isinstance(action, DutyAction):
                low, high = (round(share * timing.counts) for share in (action.low, action.high))
                return low, high, timing.counts
            part = workspace.part.timer(pwm.timer)
            assert part is not None
            count_s = timing.period_s / timing.counts
            low, high = (max(1, round(end / count_s)) for end in (action.low_s, action.high_s))
            return low, high, 1 << part.counter_bits
        case _:
            dac = workspace.part.dac(action.dac)
            assert dac is not None
            ends = codes_of(workspace, dac, np.array([action.low_v, action.high_v]))
            return int(ends[0]), int(ends[1]), (1 << dac.bits) - 1
