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
from wattigram.core.predict.expected.route_values import ExpectedValues
from wattigram.core.predict.expected.stream import band_half_width_v, expected_settled_at
from wattigram.core.predict.pins import set_while_running
from wattigram.core.predict.program import (
    fetch_wait_s,
    filter_delay_s,
    reaction_timing,
    scaled_ends,
    volts_per_code,
)
from wattigram.core.predict.timing import buffer_timing

FloatArray = NDArray[np.float64]
_LOOKS_BACK = 33


class ReadingBand:
    """Lowest and highest value that the program may have of a signal at given instants.

    A value is as old as it waited to be fetched, and stays the newest until the next is fetched; what a
    filter gives lies within what went into it.
    """

    def __init__(self, workspace: Workspace, signal: str, stream: str) -> None:
        self._workspace, self._signal = workspace, signal
        chain = workspace.project.chain_of(signal)
        assert chain is not None
        known = workspace.project.signal(signal)
        self._is_reduced = stream == "filtered" and known.later_filter is not None
        _least_s, most_s = fetch_wait_s(workspace, chain, signal)
        behind_s = filter_delay_s(workspace, chain, signal) if stream == "filtered" else 0
        fetched_s = buffer_timing(workspace, chain).half_s
        self.oldest_s = float(most_s + fetched_s + 2 * behind_s)
        self._half_v = band_half_width_v(workspace, chain, signal, reduced=self._is_reduced)

    def at(self, times_s: FloatArray, later_s: float = 0.0) -> tuple[FloatArray, FloatArray]:
        """Volts of readings, (n,) each, for what the program did up to ``later_s`` before."""
        low_v, high_v = self.settled_at(times_s, later_s)
        return low_v - self._half_v, high_v + self._half_v

    def settled_at(
        self, times_s: FloatArray, later_s: float = 0.0
    ) -> tuple[FloatArray, FloatArray]:
        """The same without noise and with an ideal converter: volts, (n,) each."""
        ages_s = np.linspace(0.0, self.oldest_s + later_s, _LOOKS_BACK)
        looked_at_s = np.maximum(times_s[None, :] - ages_s[:, None], 0.0)
        volts = expected_settled_at(self._workspace, self._signal, looked_at_s.ravel())
        volts = volts.reshape(looked_at_s.shape)
        return volts.min(axis=0), volts.max(axis=0)


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
