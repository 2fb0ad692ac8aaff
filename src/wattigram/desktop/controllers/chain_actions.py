"""Actions on signals and slots, made of the same edits as everything else."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QApplication

from wattigram.core.base.errors import EditError
from wattigram.core.model.design import RouteExpectation, Signal, Workspace
from wattigram.core.model.design.clipboard import clip_chain, clip_signals, paste
from wattigram.core.model.design.edits import (
    AddExpectation,
    AddSignal,
    AddSlot,
    MoveSlot,
    RemoveChain,
    RemoveSignal,
    RemoveSlot,
    SetStartup,
)
from wattigram.core.model.design.edits.edit import Edit
from wattigram.core.model.design.templates import TEMPLATES, Template, from_template, slot_for
from wattigram.core.predict.timing import scan_timing
from wattigram.desktop.controllers.actions import Actions
from wattigram.desktop.pages.chain_page import SPANS_S, ChainPage
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.selection import Selection


class ChainActions:
    """What can be done with the selection on the Chain page."""

    def __init__(self, document: Document, page: ChainPage, actions: Actions) -> None:
        self._document = document
        self._page = page
        self.may_remove: Callable[[str, Workspace], bool] = lambda _signal, _after: True
        """Whether a signal may go; whoever knows of its uses elsewhere asks here."""
        actions.add("Signal", "Add a signal", "Ctrl+Shift+N", self.add_signal)
        actions.add("Signal", "Add a slot for this signal", "Ctrl+Shift+S", self.add_slot)
        actions.add("Signal", "Remove the slot", "Ctrl+Backspace", self.remove_slot)
        actions.add("Signal", "Remove the signal", "Ctrl+Shift+Backspace", self.remove_signal)
        actions.add("Signal", "Move the slot earlier", "Alt+Up", lambda: self.move_slot(-1))
        actions.add("Signal", "Move the slot later", "Alt+Down", lambda: self.move_slot(1))
        actions.add("Signal", "Copy the row as text", "", self.copy_row)
        actions.add("Chain", "Remove the chain, keep its signals", "", self.remove_chain)
        actions.add("Chain", "Start up in the right order", "", self.right_startup)
        actions.add(
            "Project", "Name, bus clock and reference of the project", "Ctrl+I", self.show_project
        )
        for template in TEMPLATES:
            actions.add(
                "Template",
                f"Add template: {template.name}",
                "",
                partial(self.add_template, template),
            )
        actions.add("Proof", "Derive expectations from the bench", "Ctrl+Shift+E", self.expect)
        actions.add("Proof", "Derive expectations of all signals", "", self.expect_all)
        actions.add("Findings", "Go to the most severe finding", "F8", page.findings.focus_first)
        actions.add(
            "Findings", "Apply the most severe finding's fix", "Ctrl+Return", self.cure_first
        )
        for span in SPANS_S:
            title = (
                "Streams show a stretch that suits each"
                if span == "auto"
                else f"Streams show {span}"
            )
            actions.add("View", title, "", partial(page.set_span, span))
        actions.add("View", "Show one whole scan", "", page.lens.fit)

    def _do(self, edit: Edit) -> bool:
        return self._document.edit(edit)

    def add_signal(self) -> None:
        """A new signal on the first free analog pin, with a slot where there is a converter for
        it."""
        workspace = self._document.workspace
        project = workspace.project
        used = {signal.pin for signal in project.signals}
        free = [
            pin
            for converter in workspace.part.converters
            for pin in converter.channels
            if pin not in used
        ]
        if not free:
            self._page.error.emit(
                "Every analog pin carries a signal already. Remove one, or share a converter."
            )
            return
        names = {signal.name for signal in project.signals}
        name = next(
            f"Signal {number}" for number in range(1, 1000) if f"Signal {number}" not in names
        )
        stack = self._document.stack
        stack.beginMacro(f"Add {name}")
        self._do(AddSignal(Signal(name=name, pin=free[0])))
        self._give_slot(name, free[0])
        stack.endMacro()
        chain = self._document.workspace.project.chain_of(name)
        place = chain.places_of(name)[0] if chain else -1
        self._page.select(Selection(chain.converter if chain else "", place, name, "signal"))
        self._page.inspector.focus_first_field()

    def _give_slot(self, name: str, pin: str) -> None:
        """A slot on the first converter that reaches the pin; a converter is put to use where none
        is."""
        edit = slot_for(self._document.workspace, name, pin)
        if edit is not None:
            self._do(edit)

    def add_slot(self) -> None:
        """One more slot for the selected signal."""
        selection = self._page.selection
        if not selection.signal:
            return
        if selection.converter:
            chain = self._document.workspace.project.chain(selection.converter)
            if chain is not None:
                self._do(
                    AddSlot(
                        chain.converter,
                        selection.signal,
                        chain.slots[max(0, selection.place)].sampling_cycles,
                    )
                )
        else:
            self._give_slot(
                selection.signal, self._document.workspace.project.signal(selection.signal).pin
            )

    def remove_slot(self) -> None:
        """Take the selected slot away."""
        selection = self._page.selection
        if selection.converter and selection.place >= 0:
            self._do(RemoveSlot(selection.converter, selection.place))

    def remove_signal(self) -> None:
        """Take the selected signal away, with its slots and expectations."""
        signal = self._page.selection.signal
        if signal:
            edit = RemoveSignal(signal)
            workspace = self._document.workspace
            if self.may_remove(signal, workspace.with_project(edit.apply(workspace.project))):
                self._do(edit)

    def move_slot(self, step: int) -> None:
        """Exchange the selected slot with its neighbour."""
        selection = self._page.selection
        chain = self._document.workspace.project.chain(selection.converter)
        if chain is None or selection.place < 0:
            return
        target = selection.place + step
        if 0 <= target < len(chain.slots) and self._do(
            MoveSlot(chain.converter, selection.place, target)
        ):
            self._page.select(Selection(chain.converter, target, selection.signal, selection.facet))

    def cure_first(self) -> None:
        """Apply the first remedy that there is."""
        for finding in self._document.findings:
            if finding.remedy is not None and not finding.accepted:
                self._do(finding.remedy)
                return
        self._page.error.emit("No finding has a fix that can be applied by itself.")

    def expect(self) -> None:
        """Expectations for the selected signals, from what is wired to their pins; for all of a converter where
        that is selected."""
        selection, project = self._page.selection, self._document.workspace.project
        if selection.section == "routes":
            self._do(AddExpectation(RouteExpectation(signal=selection.output)))
            return
        if selection.section == "reactions":
            self._expect((selection.output,), of_signals=False)
            return
        chain = project.chain(selection.converter)
        if not selection.signal or chain is None:
            of_chain = [slot.signal for slot in chain.slots] if chain is not None else []
            names = tuple(dict.fromkeys(of_chain)) or (selection.signal,)
        else:
            names = selection.signals_in(self._document.workspace)
        self._expect(tuple(name for name in names if name))

    def expect_all(self) -> None:
        """Expectations for every signal."""
        self._expect(tuple(one.name for one in self._document.workspace.project.signals))

    def _expect(self, names: tuple[str, ...], *, of_signals: bool = True) -> None:
        """What may be expected of some signals, or of reactions, as one step."""
        from wattigram.core.judge import (  # late: the window starts without it
            suggest_expectations,
            suggest_for_reaction,
        )

        suggest = suggest_expectations if of_signals else suggest_for_reaction
        about = names[0] if len(names) == 1 else f"{len(names)} signals"
        count = 0
        for name in names:
            fresh = suggest(self._document.workspace, name)
            if fresh and not count:
                self._document.stack.beginMacro(f"Derive expectations of {about} from the bench")
            for expectation in fresh:
                self._do(AddExpectation(expectation))
            count += len(fresh)
        if not count:
            self._page.error.emit(
                "Nothing more can be expected of what is selected. Choose a signal with a slot."
            )
            return
        self._document.stack.endMacro()
        self._page.error.emit(
            f"{count} expectation{'s' if count > 1 else ''} more for {about}. F6 proves them."
        )

    def add_template(self, template: Template) -> None:
        """A start of a design, and its first signal selected to be named."""
        before = {signal.name for signal in self._document.workspace.project.signals}
        try:
            edit = from_template(self._document.workspace, template)
        except EditError as fault:
            self._page.error.emit(str(fault))
            return
        if self._do(edit):
            self._select_fresh(before)

    def _select_fresh(self, before: set[str]) -> None:
        project = self._document.workspace.project
        fresh = next((signal.name for signal in project.signals if signal.name not in before), None)
        chain = project.chain_of(fresh) if fresh else None
        if fresh is not None:
            place = chain.places_of(fresh)[0] if chain else -1
            self._page.select(Selection(chain.converter if chain else "", place, fresh, "signal"))
            self._page.rows.setFocus()

    def copy(self) -> None:
        """The selected signals, or the chain of a selected yoke, on the clipboard."""
        workspace, selection = self._document.workspace, self._page.selection
        chain = workspace.project.chain(selection.converter)
        clipboard = QApplication.clipboard()
        if clipboard is None or (not selection.signal and chain is None):
            return
        if not selection.signal and chain is not None:
            clipboard.setText(clip_chain(workspace, chain))
            return
        places = selection.places if chain is not None else ()
        names = (
            tuple(dict.fromkeys(chain.slots[place].signal for place in places))
            if chain
            else (selection.signal,)
        )
        clipboard.setText(clip_signals(workspace, names))

    def paste(self) -> None:
        """What is on the clipboard, under fresh names where need be."""
        clipboard = QApplication.clipboard()
        before = {signal.name for signal in self._document.workspace.project.signals}
        try:
            edit = paste(
                self._document.workspace, clipboard.text() if clipboard is not None else ""
            )
        except EditError as fault:
            self._page.error.emit(str(fault))
            return
        if self._do(edit):
            self._select_fresh(before)

    def remove_chain(self) -> None:
        """Take the selected converter out of use."""
        if self._page.selection.converter:
            self._do(RemoveChain(self._page.selection.converter))

    def right_startup(self) -> None:
        """Forget an order of one's own."""
        if self._page.selection.converter:
            self._do(SetStartup(self._page.selection.converter, None))

    def show_project(self) -> None:
        """Edit what belongs to the project as a whole."""
        self._page.select(Selection(facet="project"))
        self._page.inspector.focus_first_field()

    def copy_row(self) -> None:
        """The selected signal's figures on the clipboard."""
        workspace = self._document.workspace
        selection = self._page.selection
        if not selection.signal:
            return
        signal = workspace.project.signal(selection.signal)
        lines = [f"signal\t{signal.name}", f"pin\t{signal.pin}"]
        chain = workspace.project.chain(selection.converter)
        if chain is not None and selection.place >= 0:
            timing = scan_timing(workspace, chain).slots[selection.place]
            lines += [
                f"slot\t{selection.place + 1} of {chain.converter}",
                f"held_s\t{float(timing.held_s)!r}",
                f"rate_hz\t{float(timing.rate_hz)!r}",
            ]
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText("\n".join(lines))
