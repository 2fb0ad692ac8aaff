"""Writing, building and running firmware for a window: jobs, the folder, the compiler."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable, Iterator
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QWidget

from wattigram.core import firmware
from wattigram.core.base.errors import WattigramError
from wattigram.core.contract.image import MemoryLocation, load_image, memory_locations
from wattigram.core.firmware.c_names import c_identifiers
from wattigram.core.model.design import Chain, Reaction, Workspace
from wattigram.core.model.design.edits import (
    CompositeEdit,
    Edit,
    SetIsrCost,
    SetReaction,
    cost_notes,
)
from wattigram.core.silicon.registers import design_writes, write_lines
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.jobs import Job
from wattigram.desktop.state.settings import Settings
from wattigram.desktop.state.take_folder import TakeFolders

BUILT = "registers.json"
TABLES_H = "wg_tables.h"


def _notes(chain: Chain, cost: SetIsrCost) -> list[str]:
    """What was counted of a chain beside what the design says."""
    notes = [note[0].upper() + note[1:] for note in cost_notes(chain, cost)]
    return notes or [f"What was counted of {chain.converter} is what the design says."]


class FirmwareWork(QObject):
    """Owns the firmware folder of the document."""

    message = pyqtSignal(str)
    job_wanted = pyqtSignal(object)
    line_came = pyqtSignal(str)
    success = pyqtSignal(str)
    """What went well, for the page itself."""
    building = pyqtSignal(bool)
    changed = pyqtSignal()
    """What lies in the folder, or what is known of it, is another."""
    run_wanted = pyqtSignal(str)
    """Address of a board that runs the image."""

    def __init__(
        self, document: Document, settings: Settings, takes: TakeFolders, parent: QObject
    ) -> None:
        super().__init__(parent)
        self._takes = takes
        self._document = document
        self._settings = settings
        self._chosen: Path | None = None
        self._cancelled = threading.Event()
        self._compiler: firmware.Compiler | None = None
        self._looked = False
        self.result: firmware.BuildResult | None = None
        self._built_mark = ""
        self.places: tuple[MemoryLocation, ...] = ()
        """What of the image can be looked at."""
        self.costs: dict[str, SetIsrCost] = {}
        self.reaction_costs: dict[str, int] = {}
        """Cycles that each converter's handler was seen to take."""
        document.replaced.connect(self._forget)

    @property
    def folder(self) -> Path:
        """Where the C goes: beside the project, or among the user's data for one that has no
        file."""
        if self._chosen is not None:
            return self._chosen
        path = self._document.path
        if path is not None:
            return firmware.default_folder(path)
        return self._takes.firmware

    @property
    def compiler(self) -> firmware.Compiler | None:
        """The compiler, looked for once."""
        if not self._looked:
            self._looked = True
            try:
                self._compiler = firmware.find_compiler(self._settings.get("compiler"))
            except WattigramError as fault:
                self.message.emit(str(fault))
        return self._compiler

    @property
    def compiler_text(self) -> str:
        """The compiler in words; "" where there is none."""
        return self.compiler.version if self.compiler is not None else ""

    @property
    def is_current(self) -> bool:
        """The image is of the design as it is now."""
        return self.result is not None and self._built_mark == self._document.workspace.build_id

    @property
    def built_lines(self) -> tuple[str, ...] | None:
        """Register writes of the last build in this folder."""
        try:
            record = json.loads((self.folder / "build" / BUILT).read_text(encoding="utf-8"))
        except (OSError, ValueError):
            return None
        return (
            tuple(line for line in record if isinstance(line, str))
            if isinstance(record, list)
            else None
        )

    def own_text(self, name: str) -> str | None:
        """Text of a file of the engineer's, as it lies in the folder."""
        try:
            return (self.folder / name).read_text(encoding="utf-8", errors="replace")
        except OSError:
            return None

    def more_own_texts(self, known: set[str]) -> Iterator[tuple[str, str]]:
        """Files that the engineer added."""
        for path in sorted(self.folder.glob("*.[ch]")):
            if path.name not in known and not path.name.startswith("wg_"):
                text = self.own_text(path.name)
                if text is not None:
                    yield path.name, text

    def write(self) -> bool:
        """Write the C; asks before own code loses a hook. False where nothing was written."""
        return self._write(self._document.workspace)

    def ask_port(self, parent: QWidget) -> None:
        """Write the C with a port that begins with a UART or USB, which the user chooses; the window stays
        usable meanwhile."""
        dialog = QInputDialog(parent)
        dialog.setWindowTitle("What carries the stream")
        dialog.setLabelText("A UART with its rate, or usb; port.c begins with it")
        dialog.setComboBoxItems(firmware.possible_links(self._document.workspace))
        dialog.setComboBoxEditable(True)
        dialog.textValueSelected.connect(self.write_port)
        dialog.open()

    def write_port(self, link: str) -> bool:
        """Write the C with a port that begins with a link; False, and a sentence, where it cannot be."""
        return self._write(self._document.workspace, link.strip())

    def _write(self, workspace: Workspace, link: str = "") -> bool:
        try:
            lost = firmware.lost_hooks(workspace, self.folder)
            if lost and not self._may_drop(lost):
                return False
            written = firmware.write_firmware(workspace, self.folder, drop_hooks=True, link=link)
        except WattigramError as fault:
            self.message.emit(str(fault))
            return False
        count = len(written.new) + len(written.changed)
        self.changed.emit()
        for note in written.notes:
            self.message.emit(note)
        if not written.notes:
            self.success.emit(
                f"{count or 'No'} files are new or changed, {len(written.same)} are as they were."
            )
        return True

    def ask_tables(self, parent: QWidget) -> None:
        """Write constants and tables as one header, where the user says."""
        name, _kind = QFileDialog.getSaveFileName(
            parent, "Save the tables", str(self.folder / TABLES_H), "C header (*.h)"
        )
        if name:
            self.write_tables(Path(name))

    def write_tables(self, path: Path) -> None:
        """Write constants and tables as one header, for another driver layer."""
        try:
            path.write_text(firmware.tables_header(self._document.workspace), encoding="utf-8")
        except (OSError, WattigramError) as fault:
            self.message.emit(f"The tables were not saved: {fault}")
            return
        self.message.emit(f"Constants and tables are in {path}.")

    def _may_drop(self, lost: tuple[str, ...]) -> bool:
        text = f"Your own code has {', '.join(lost)}, which this design would never call. Write the firmware all the same?"
        return ask(text)

    def may_remove(self, signal: str, after: Workspace) -> bool:
        """Whether a signal may go, though own code has a hook of it; asks where it does."""
        before = set(self._lost(self._document.workspace))
        lost = tuple(name for name in self._lost(after) if name not in before)
        if not lost:
            return True
        return ask(
            f"Your own code has {', '.join(lost)} for “{signal}”. Without it nothing calls that. "
            "Remove it?"
        )

    def _lost(self, workspace: Workspace) -> tuple[str, ...]:
        try:
            return firmware.lost_hooks(workspace, self.folder)
        except WattigramError:
            return ()

    def build(self) -> None:
        """Write the C and build it, as a job."""
        compiler = self.compiler
        if compiler is None:
            self.message.emit(f"There is no cross compiler. {firmware.WHAT_TO_INSTALL}")
            return
        workspace, folder = self._document.workspace, self.folder
        if not self._write(workspace):
            return
        self._cancelled.clear()
        self.building.emit(True)

        def work(progress: Callable[[float], None]) -> firmware.BuildResult:
            sources = max(1, len(list(folder.glob("*.c"))) + 1)
            done = 0

            def take(line: str) -> None:
                nonlocal done
                done += line.startswith(Path(compiler.path).name)
                self.line_came.emit(line)
                progress(min(1.0, done / sources))

            return firmware.build_firmware(
                folder, workspace.part, compiler, take, self._cancelled.is_set
            )

        job = Job("Building the firmware", work, self)
        job.finished.connect(lambda result: self._take(workspace, result))
        job.failed.connect(self.message)
        job.ended.connect(lambda: self.building.emit(False))
        self.job_wanted.emit(job)

    def _take(self, workspace: Workspace, result: firmware.BuildResult) -> None:
        self.result = result
        if result.elf is not None:
            self.look_into(result.elf)
        self._built_mark = workspace.build_id
        if result.elf is not None:
            lines = list(write_lines(design_writes(workspace)))
            try:
                (result.elf.parent / BUILT).write_text(
                    json.dumps(lines, indent=1), encoding="utf-8"
                )
            except OSError as fault:
                self.message.emit(f"What was built cannot be noted: {fault.strerror}.")
        self.changed.emit()

    def look_into(self, elf: Path) -> None:
        """Take the names of variables from an image."""
        try:
            self.places = memory_locations(load_image(elf, looked_at=True))
        except WattigramError as fault:
            self.message.emit(str(fault))
        self.changed.emit()

    def cancel(self) -> None:
        """Stop the build."""
        self._cancelled.set()

    def run(self) -> None:
        """Let the virtual board run the image."""
        if self.result is None or self.result.elf is None:
            self.message.emit("Nothing has been built yet. Build it first.")
            return
        self.run_wanted.emit(f"image:{self.result.elf}")

    def show_totals(self, totals: dict[str, int]) -> None:
        """A board told what its handlers take."""
        chains = self._document.workspace.project.chains
        found = (
            SetIsrCost.counted(chain.converter, totals, number)
            for number, chain in enumerate(chains)
        )
        measured = {cost.converter: cost for cost in found if cost is not None}
        names = c_identifiers(
            reaction.name for reaction in self._document.workspace.project.reactions
        )
        reactions = {
            name: totals[f"reaction.{c_name}"]
            for name, c_name in names.items()
            if f"reaction.{c_name}" in totals
        }
        counted = (measured, reactions)
        if any(counted) and counted != (self.costs, self.reaction_costs):
            self.costs, self.reaction_costs = measured, reactions
            self.changed.emit()

    @property
    def costs_text(self) -> str:
        """Measured cycles of each handler beside those that the design says."""
        lines = []
        for chain in self._document.workspace.project.chains:
            if chain.converter in self.costs:
                lines += _notes(chain, self.costs[chain.converter])
        for reaction, counted in self._counted_reactions():
            says = "states none" if reaction.cycles is None else f"says {reaction.cycles}"
            lines.append(f"{reaction.name}: {counted} clocks counted, the design {says}.")
        return "\n".join(lines)

    @property
    def can_take_costs(self) -> bool:
        """Some handler takes another time than the design says."""
        chains = self._document.workspace.project.chains
        return any(
            getattr(chain.buffer, field) != cycles
            for chain in chains
            if chain.converter in self.costs
            for field, cycles in self.costs[chain.converter].stated.items()
        ) or any(reaction.cycles != counted for reaction, counted in self._counted_reactions())

    def _counted_reactions(self) -> list[tuple[Reaction, int]]:
        reactions = self._document.workspace.project.reactions
        return [
            (one, self.reaction_costs[one.name])
            for one in reactions
            if one.name in self.reaction_costs
        ]

    def take_costs(self) -> None:
        """Put the measured cycles into the design, so that loads and losses are worked out with
        them."""
        edits: list[Edit] = list(self.costs.values())
        edits += [
            SetReaction(reaction.name, reaction.replaced(cycles=counted))
            for reaction, counted in self._counted_reactions()
        ]
        self._document.edit(CompositeEdit(tuple(edits), "Use measured cycles"))

    def ask_folder(self, parent: QWidget) -> None:
        """Choose where the C goes."""
        chosen = QFileDialog.getExistingDirectory(
            parent, "Folder for the firmware", str(self.folder.parent)
        )
        if chosen:
            self.use_folder(Path(chosen))

    def use_folder(self, folder: Path) -> None:
        """Write and build there from now on."""
        self._chosen = folder
        self.result = None
        self.changed.emit()

    def ask_compiler(self, parent: QWidget) -> None:
        """Choose a compiler by its name or path."""
        dialog = QInputDialog(parent)
        dialog.setWindowTitle("Compiler")
        dialog.setLabelText("Name or path of a C compiler for Arm Cortex-M")
        dialog.setTextValue(self._settings.get("compiler") or "arm-none-eabi-gcc")
        dialog.textValueSelected.connect(self.use_compiler)
        dialog.open()

    def use_compiler(self, name: str) -> None:
        """Build with another compiler, and remember it."""
        try:
            self._compiler = firmware.find_compiler(name.strip())
        except WattigramError as fault:
            self.message.emit(str(fault))
            return
        self._looked = True
        self._settings.set("compiler", name.strip())
        self.changed.emit()

    def _forget(self) -> None:
        self._chosen = None
        self.result = None
        self.costs, self.reaction_costs = {}, {}
        self.changed.emit()


def ask(text: str) -> bool:
    """A question with Yes and No; No is the safe answer."""
    box = QMessageBox()
    box.setText(text)
    box.setStandardButtons(QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No)
    box.setDefaultButton(QMessageBox.StandardButton.No)
    return box.exec() == QMessageBox.StandardButton.Yes
