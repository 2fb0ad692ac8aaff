"""What the program should put into registers, and when."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wattigram.core.model.design import (
    BarAction,
    DacAction,
    DutyAction,
    PeriodAction,
    ProgramOutput,
    Reaction,
    output_of,
)
from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.expected.reading_band import ReadingBand
from wattigram.core.predict.expected.route_values import ExpectedValues
from wattigram.core.predict.pins import set_while_running
from wattigram.core.predict.program import (
    reaction_timing,
    scaled_ends,
    volts_per_code,
)

FloatArray = NDArray[np.float64]


def expected_program_values(
    workspace: Workspace, reaction: Reaction, times_s: FloatArray
) -> ExpectedValues | None:
    """Numbers that a scaled action should have put out at given instants, (n,) each; of a bar, how
    many pins. None where nobody can say.

    Parameters
    ----------
    times_s : (n,) float64, seconds after the start at which writes took effect
    """
    do = reaction.do
    if not isinstance(do, (BarAction, DutyAction, PeriodAction, DacAction)):
        return None
    ends = scaled_ends(workspace, do)
    signal = workspace.project.signal(do.signal)
    if ends is None or set_while_running(workspace, signal):
        return None
    load_s = float(reaction_timing(workspace, reaction).load_s)
    low_v, high_v = ReadingBand(workspace, do.signal, do.input).at(times_s, load_s)
    count_v = volts_per_code(workspace, do.signal, do.input)
    one, other = (
        np.array([ends.of(code) for code in (volts / count_v).tolist()])
        for volts in (low_v - abs(count_v), high_v + abs(count_v))
    )
    # A number is rounded, so that it may be half a step off.
    low, high = np.minimum(one, other) - 0.5, np.maximum(one, other) + 0.5
    return ExpectedValues(low, high, float(ends.most))


def setter_of(workspace: Workspace, output: ProgramOutput) -> Reaction | None:
    """The one reaction that moves an output; None where several do."""
    setters = [
        reaction for reaction in workspace.project.reactions if output_of(reaction) == output
    ]
    return setters[0] if len(setters) == 1 else None
