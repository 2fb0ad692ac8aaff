"""The project as it stood while a board runs, with where its program points signals."""

from __future__ import annotations

from wattigram.core.capture.session.live_run import LiveRun
from wattigram.core.contract.link import OUTPUT_STREAM
from wattigram.core.predict.expected import History, Pointing, pointed_outputs, with_pointings


class PointedHistory:
    """Gives the same object as long as nothing happens: what is drawn of it is kept."""

    def __init__(self) -> None:
        self._bench: History = ()
        self._seen: tuple[Pointing, ...] = ()
        self._made: History = ()

    def of(self, bench: History, run: LiveRun) -> History:
        """The project after each turn of a knob, and after each pointing that is kept of a run."""
        seen: list[Pointing] = []
        for name, number in pointed_outputs(run.workspace).items():
            times_s, channels = run.output(OUTPUT_STREAM + number)
            for at_s, channel in zip(times_s.tolist(), channels.tolist(), strict=True):
                seen.append((round(at_s * run.kept.tick_hz), name, int(channel)))
        if bench is not self._bench or tuple(seen) != self._seen:
            self._bench, self._seen = bench, tuple(seen)
            self._made = with_pointings(bench, seen)
        return self._made
