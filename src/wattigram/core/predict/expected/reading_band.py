"""What the program may have of a signal at an instant."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wattigram.core.model.design.workspace import Workspace
from wattigram.core.predict.expected.pointed_inputs import read_everywhere
from wattigram.core.predict.expected.stream import band_half_width_v, expected_settled_at
from wattigram.core.predict.program import fetch_wait_s, filter_delay_s
from wattigram.core.predict.timing import buffer_timing

FloatArray = NDArray[np.float64]
_LOOKS_BACK = 33


class ReadingBand:
    """Lowest and highest value that the program may have of a signal at given instants.

    A value is as old as it waited to be fetched, and stays the newest until the next is fetched; what a
    filter gives lies within what went into it. Of a signal that is pointed to other pins it may be
    that of any of them.
    """

    def __init__(self, workspace: Workspace, signal: str, stream: str) -> None:
        self._everywhere, self._signal = read_everywhere(workspace, signal), signal
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
        volts = np.concatenate(
            [
                expected_settled_at(one, self._signal, looked_at_s.ravel()).reshape(
                    looked_at_s.shape
                )
                for one in self._everywhere
            ]
        )
        return volts.min(axis=0), volts.max(axis=0)
