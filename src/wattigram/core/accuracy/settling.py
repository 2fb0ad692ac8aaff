"""Settling of the sampling capacitor: why a reading leans towards its neighbour."""

from __future__ import annotations

import math
from dataclasses import dataclass

from wattigram.core.design.model import Chain
from wattigram.core.design.scale import signal_scale
from wattigram.core.design.workspace import Workspace, worked_out_once
from wattigram.core.pins import input_capacitor_f, input_extent_v, input_resistance_ohm
from wattigram.core.timing import cycle_timing


def settling_residue(step_v: float, sampling_s: float, tau_s: float) -> float:
    """Voltage still missing when the capacitor is cut off: step · exp(−t/τ), same sign as the step."""
    return step_v * math.exp(-sampling_s / tau_s) if tau_s > 0 else 0.0


def adequate_sampling_s(tau_s: float, bits: int) -> float:
    """Shortest sampling that settles a full-scale step within ½ LSB: τ · (N + 1) · ln 2."""
    return tau_s * (bits + 1) * math.log(2)


def carry_over(
    sampling_s: float, source_ohm: float, switch_ohm: float, sample_f: float, external_f: float, rate_hz: float
) -> float:
    """Share of the difference to the slot before that is left in a reading, 0 to 1.

    Without an external capacitor exp(−t/τ). With one much larger than the sampling capacitor the
    larger of charge sharing, C/(C + C_ext), and the mean shift f · C · R_source.
    """
    if external_f > 0:
        return min(1.0, max(charge_sharing(sample_f, external_f), rate_hz * sample_f * source_ohm))
    return settling_residue(1.0, sampling_s, (source_ohm + switch_ohm) * sample_f)


def charge_sharing(sample_f: float, external_f: float) -> float:
    """Share of a step that charge sharing with the external capacitor leaves: C / (C + C_ext)."""
    return sample_f / (sample_f + external_f)


@dataclass(frozen=True)
class SlotSettling:
    """How well one slot settles on the bench as wired."""

    signal: str
    place: int
    neighbour: str
    source_ohm: float
    external_f: float
    tau_s: float
    sampling_s: float
    needed_s: float | None
    """Shortest adequate sampling; None where an external capacitor decides instead."""
    carry: float
    """Share of the difference to the slot before that is left."""
    carry_once: float
    """The same for a single conversion, where the slot repeats several."""
    sharing: float
    mean_shift: float
    full_scale_error_lsb: float
    """What a full-scale step from the slot before leaves."""
    wired_error_lsb: float
    """The worst that the sources as wired can leave."""
    lsb_v: float

    @property
    def adequate(self) -> bool:
        """A full-scale step settles within ½ LSB."""
        return self.full_scale_error_lsb <= 0.5


@worked_out_once
def slot_settling(workspace: Workspace, chain: Chain, place: int, sampling_cycles: int | None = None) -> SlotSettling:
    """Settling of one slot, as designed or with another sampling time.

    A pin with nothing wired to it is taken as an ideal source.
    """
    project = workspace.project
    converter = workspace.converter(chain)
    slot = chain.slots[place]
    cycle = cycle_timing(workspace, chain)
    cycles = slot.sampling_cycles if sampling_cycles is None else sampling_cycles
    sampling_s = float(cycles / cycle.clock_hz)
    signal = project.signal(slot.signal)
    neighbour = project.signal(chain.slots[place - 1].signal)
    source_ohm = input_resistance_ohm(workspace, signal)
    external_f = input_capacitor_f(workspace, signal)
    sample_f = converter.sampling_capacitor_f
    rate_hz = float(cycle.slots[place].rate_hz)
    once = carry_over(sampling_s, source_ohm, converter.switch_resistance_ohm, sample_f, external_f, rate_hz)
    # Of conversions repeated within the slot only the first sees the neighbour: each leaves the power of its number.
    repeats = cycle.slots[place].repeats
    carry = once if repeats == 1 else sum(once**number for number in range(1, repeats + 1)) / repeats
    scale = signal_scale(workspace, chain, signal.name)
    tau_s = (source_ohm + converter.switch_resistance_ohm) * sample_f
    low_v, high_v = input_extent_v(workspace, signal)
    low_before_v, high_before_v = input_extent_v(workspace, neighbour)
    worst_v = max(abs(high_v - low_before_v), abs(high_before_v - low_v)) if neighbour != signal else high_v - low_v
    return SlotSettling(
        signal=signal.name,
        place=place,
        neighbour=neighbour.name,
        source_ohm=source_ohm,
        external_f=external_f,
        tau_s=tau_s,
        sampling_s=sampling_s,
        needed_s=None if external_f > 0 else adequate_sampling_s(tau_s, chain.bits),
        carry=carry,
        carry_once=once,
        sharing=charge_sharing(sample_f, external_f) if external_f > 0 else 0.0,
        mean_shift=rate_hz * sample_f * source_ohm if external_f > 0 else 0.0,
        full_scale_error_lsb=carry * scale.steps,
        wired_error_lsb=carry * worst_v / scale.lsb_v,
        lsb_v=scale.lsb_v,
    )
