"""Actions on what is wired to the board: instruments, recorded files, the wiring check."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from wattigram.core.base.errors import WaveError
from wattigram.core.base.quantity import format_volts
from wattigram.core.contract.shapes import PointsShape
from wattigram.core.model.bench import SignalGenerator, Wiring
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import SetWiring
from wattigram.desktop.controllers.actions import Actions
from wattigram.desktop.controllers.board_session import LiveBoard
from wattigram.desktop.pages.chain_page import ChainPage
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.jobs import Job
from wattigram.desktop.state.settings import Settings
from wattigram.desktop.widgets.chain.wiring_bar import WiringBar


class BenchActions:
    """What can be done with the wire of the selected signal."""

    def __init__(
        self,
        window: QWidget,
        document: Document,
        settings: Settings,
        page: ChainPage,
        board: LiveBoard,
        actions: Actions,
        run_job: Callable[[Job], None],
        say: Callable[[str], None],
    ) -> None:
        self._window = window
        self._document = document
        self._settings = settings
        self._page = page
        self._board = board
        self._run_job = run_job
        self._say = say
        self.wiring_bar = WiringBar(window)
        actions.add("Bench", "Read the meter for the selected pin", "Ctrl+M", self.read_meter)
        actions.add(
            "Bench",
            "Set the generator to what the selected pin should have",
            "",
            self.set_generator,
        )
        actions.add("Bench", "Choose the meter's address…", "", self.choose_meter)
        actions.add("Bench", "Play a recorded file on the selected pin…", "", self.play_dialog)
        actions.add("Bench", "Check the wiring step by step", "", self.check_wiring)
        board.snapshot.connect(self.wiring_bar.show_snapshot)
        self.wiring_bar.looks.connect(page.watch)
        document.changed.connect(self._on_changed)

    def _on_changed(self, workspace: Workspace, before: Workspace) -> None:
        """Steps of a wiring check are those of one design."""
        if self.wiring_bar.check is not None and workspace.build_id != before.build_id:
            self.wiring_bar.stop()
            self._say("The design has changed: the wiring check is ended. Begin it again.")

    def _wiring(self) -> Wiring | None:
        """What is wired to the selected signal."""
        workspace = self._document.workspace
        name = self._page.selection.signal
        signal = workspace.project.signal(name) if name else None
        wiring = workspace.project.wired(signal.pin) if signal is not None else None
        if wiring is None:
            self._say(
                "Nothing is wired to what is selected. Choose a signal, and click its front end "
                "to wire it."
            )
        return wiring

    def choose_meter(self) -> None:
        """Ask for an instrument's address."""
        dialog = QInputDialog(self._window)
        dialog.setWindowTitle("Instrument")
        dialog.setLabelText("HOST:PORT of a meter or generator that speaks SCPI")
        dialog.setTextValue(self._settings.instrument)
        dialog.textValueSelected.connect(self.use_meter)
        dialog.open()

    def use_meter(self, address: str) -> None:
        """Remember an instrument's address."""
        self._settings.instrument = address.strip()

    def read_meter(self) -> None:
        """The meter's reading becomes what is wired to the pin."""
        wiring = self._wiring()
        if wiring is None:
            return
        address = self._settings.instrument
        if not address:
            self.choose_meter()
            return

        def work(_report: Callable[[float], None]) -> float:
            from wattigram.core.capture.instrument import read_voltage

            return read_voltage(address)

        def take(volts: object) -> None:
            assert isinstance(volts, float)
            self._document.edit(SetWiring(wiring.metered(volts)))
            self._say(f"The meter reads {format_volts(volts)} on pin {wiring.pin}.")

        job = Job("Reading the meter", work, self._window)
        job.finished.connect(take)
        job.failed.connect(self._say)
        self._run_job(job)

    def set_generator(self) -> None:
        """The generator gets what the bench says of the pin."""
        wiring = self._wiring()
        address = self._settings.instrument
        if wiring is None:
            return
        if not address:
            self.choose_meter()
            return

        def work(_report: Callable[[float], None]) -> str:
            from wattigram.core.capture.instrument import apply_source

            return apply_source(address, wiring.source)

        job = Job("Setting the generator", work, self._window)
        job.finished.connect(
            lambda function: self._say(f"The generator is set: {function}, for pin {wiring.pin}.")
        )
        job.failed.connect(self._say)
        self._run_job(job)

    def play_dialog(self) -> None:
        """Ask for a recording to be played on a pin."""
        if self._wiring() is None:
            return
        name, _kind = QFileDialog.getOpenFileName(
            self._window, "Play a recorded file", "", "Recordings (*.csv *.wav *.txt)"
        )
        if name:
            self.play_file(Path(name))

    def play_file(self, path: Path) -> None:
        """Feed the selected pin with a file's values, once round each second."""
        from wattigram.core.predict.waveform import read_points

        wiring = self._wiring()
        if wiring is None:
            return
        workspace = self._document.workspace
        try:
            values = read_points(path, 0.0, workspace.reference_v, workspace.reference_v / 4096)
        except WaveError as fault:
            self._say(str(fault))
            return
        source = SignalGenerator(
            shape=PointsShape(values=values, origin=path.name[:120]),
            frequency_hz=1,
            noise_v=wiring.source.noise_v,
        )
        self._document.edit(SetWiring(wiring.replaced(source=source)))

    def check_wiring(self) -> None:
        """Lead through the wiring check."""
        if not self._board.is_running:
            self._board.start()
        self.wiring_bar.start(self._document.workspace)
