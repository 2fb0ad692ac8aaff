"""What a comparator compares: the voltage that moves, and the level that it crosses."""

from __future__ import annotations

import msgspec

from wattigram.core.model.bench import Driven
from wattigram.core.model.design.stage import Comparator
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.pins.input_pins import input_source
from wattigram.core.predict.pins.output_pins import generator_on, moved_pins, output_waveform


class ComparatorInputs(msgspec.Struct, frozen=True):
    """A comparator as it is set and wired.

    Attributes
    ----------
    source : Driven
        What moves: the input, or the DAC that is the threshold while the input stands still.
    level_v : float
        What it crosses.
    step_v : float
        Between two thresholds that can be set; 0 where they come from elsewhere.
    rising_v, falling_v : float
        Of ``source``, at which the output rises and falls.
    """

    source: Driven
    level_v: float
    step_v: float
    rising_v: float
    falling_v: float


def threshold_pin(workspace: Workspace, comparator: Comparator) -> str | None:
    """The pin of the DAC that is the threshold, where a generator plays on one."""
    if comparator.against != "dac":
        return None
    for dac in workspace.part.dacs:
        if generator_on(workspace, dac.pin) is not None and dac.pin not in moved_pins(workspace):
            return dac.pin
    return None


def comparator_inputs(workspace: Workspace, comparator: Comparator) -> ComparatorInputs:
    """What a comparator compares, threshold ± half the hysteresis."""
    part = workspace.part.comparator(comparator.name)
    assert part is not None
    half_v = comparator.hysteresis_v / 2
    source = input_source(workspace, workspace.project.signal(comparator.signal).pin)
    level_v, step_v = comparator.threshold_v, 0.0
    if comparator.against == "internal":
        step_v = workspace.reference_v / part.steps
        level_v = (part.fixed_step or min(max(round(level_v / step_v), 0), part.steps)) * step_v
    elif comparator.against == "pin" and comparator.threshold_pin is not None:
        low_v, high_v = input_source(workspace, comparator.threshold_pin).extent_v
        level_v = (low_v + high_v) / 2
    pin = threshold_pin(workspace, comparator)
    played = output_waveform(workspace, pin) if pin is not None else None
    if played is not None:
        low_v, high_v = played.extent_v
        level_v = (low_v + high_v) / 2
        input_low_v, input_high_v = source.extent_v
        if high_v > low_v and input_high_v == input_low_v:
            # The threshold sweeps past an input that stands still: its falling makes the output
            # rise.
            return ComparatorInputs(
                played, input_low_v, 0.0, input_low_v - half_v, input_low_v + half_v
            )
    return ComparatorInputs(source, level_v, step_v, level_v + half_v, level_v - half_v)
