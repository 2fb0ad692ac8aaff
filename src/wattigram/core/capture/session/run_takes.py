"""Takes of a board that runs on: recorded with what lies before, held at events, frozen, and copied to be measured."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from wattigram.core.base.errors import TakeError
from wattigram.core.capture.session.continuation import new_take
from wattigram.core.capture.session.kept_run import NEVER, KeptRun
from wattigram.core.capture.session.recording_plan import PlannedRecorder, RecordingPlan
from wattigram.core.capture.session.snapshot import HoldState
from wattigram.core.capture.session.stream_receiver import StreamReceiver
from wattigram.core.capture.take import TakeWriter
from wattigram.core.capture.take.take_numbers import next_take_path
from wattigram.core.model.design import project_text
from wattigram.core.predict.expected import History, workspace_at


class RunTakes:
    """Writes from what the receiver keeps; of the thread that receives only."""

    def __init__(self, reception: StreamReceiver, history: Callable[[], History]) -> None:
        """``history`` tells the project at the start and after each turn of a knob."""
        assert reception.kept is not None
        self.kept: KeptRun = reception.kept
        self._reception, self._history = reception, history
        self._recorder: PlannedRecorder | None = None
        self.held: list[Path] = []
        """Takes that were held and nobody has taken out yet."""
        self.frozen: Path | None = None
        self.copied: Path | str | None = None
        """A stretch that was written to be measured, or why it could not be."""

    @property
    def asks(self) -> bool:
        """The board is to say how far it is."""
        return self._recorder is not None and self._recorder.asks

    @property
    def recording(self) -> Path | None:
        """The take that is being recorded, and not only held."""
        writer = self._reception.writer
        return writer.path if writer is not None and self._recorder is None else None

    @property
    def recording_since_s(self) -> float:
        """When that take begins, in seconds since the board's start."""
        writer = self._reception.writer
        return writer.begins_ticks / writer.tick_hz if writer is not None else 0.0

    @property
    def hold_state(self) -> HoldState | None:
        """What is waited for."""
        recorder = self._recorder
        if recorder is None or recorder.plan.starts is None:
            return None
        return HoldState(
            recorder.plan.starts.title, recorder.begun, recorder.is_recording, recorder.is_over
        )

    def record(self, path: Path) -> None:
        """From the start of the run where all of it is kept, else from as far back as that reaches.

        Raises
        ------
        TakeError
            When it cannot be written.
        """
        begin_ticks = self.kept.begin_ticks(0)
        self._reception.start_writing_since(self._new_take(path, begin_ticks), begin_ticks)
        self._add_turns(begin_ticks)

    def end_recording(self) -> Path | None:
        """The take that was being recorded, whole now; raises :class:`TakeError` when its end cannot be written."""
        writer = self._reception.cut_writing() if self._recorder is None else None
        return writer.path if writer is not None else None

    def freeze(self, path: Path) -> None:
        """All that is kept as a take; raises :class:`TakeError` when it cannot be written, or nothing came."""
        self.frozen = self._write_kept(path, 0)

    def copy(self, path: Path, begin_s: float) -> None:
        """What came since ``begin_s``, in seconds since the board's start."""
        try:
            self.copied = self._write_kept(path, round(begin_s * self.kept.tick_hz))
        except TakeError as fault:
            self.copied = str(fault)

    def hold(self, plan: RecordingPlan, folder: Path) -> None:
        """Record takes into a folder as a plan says; raises :class:`TakeError` where nothing can be held now."""
        self.end_hold()
        if self._reception.writer is not None or self._reception.identity is None:
            raise TakeError(
                "Nothing is held while a take is recorded, or before the board has said who it is."
            )

        def new_writer(begin_ticks: int) -> TakeWriter:
            return self._new_take(next_take_path(folder), begin_ticks)

        workspace = self._history()[-1][1]
        self._recorder = PlannedRecorder(workspace, self._reception, plan, new_writer)
        self._recorder.on_open = self._add_turns
        self._recorder.begin_at_once()
        self._reception.recorder = self._recorder

    def follow_hold(self) -> str:
        """Take out what was held since the last time; says why nothing more is, "" where that goes on."""
        recorder = self._recorder
        if recorder is None:
            return ""
        while recorder.closed:
            self.held.append(recorder.closed.pop(0))
        if recorder.fault is None:
            return ""
        self.end_hold()
        return str(recorder.fault)

    def end_hold(self) -> None:
        """Hold no more; a take that is being held ends with what it has."""
        recorder, self._recorder = self._recorder, None
        self._reception.recorder = None
        self.kept.held_ticks = NEVER
        if recorder is None:
            return
        if recorder.is_recording:
            recorder.finish()
        recorder.end()
        self.held += recorder.closed

    def _new_take(self, path: Path, begin_ticks: int) -> TakeWriter:
        identity = self._reception.identity
        if identity is None:
            raise TakeError("The board has not said who it is.")
        workspace = workspace_at(self._history(), begin_ticks)
        return new_take(workspace, identity, path, numbered=True, begins_ticks=begin_ticks)

    def _add_turns(self, begin_ticks: int) -> None:
        """Knobs that were turned since a take begins which was asked for later."""
        for ticks, workspace in self._history()[1:]:
            if ticks > begin_ticks:
                self._reception.add_bench(ticks, project_text(workspace.project))

    def _write_kept(self, path: Path, since_ticks: int) -> Path:
        if not self.kept.newest_ticks:
            raise TakeError("Nothing has come yet that could be kept.")
        begin_ticks = self.kept.begin_ticks(since_ticks)
        writer = self._new_take(path, begin_ticks)
        try:
            self.kept.write(writer, begin_ticks)
            for ticks, workspace in self._history()[1:]:
                if ticks > begin_ticks:
                    writer.add_bench(ticks, project_text(workspace.project))
        finally:
            writer.close(writer.lost_scans, {})
        return writer.path
