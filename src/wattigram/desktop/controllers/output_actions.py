"""Actions on what goes out: tables, outputs and the self-test, made of the same edits as everything
else."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from wattigram.core.base.errors import EditError
from wattigram.core.model.design.edits import Edit, RemoveOutput
from wattigram.core.model.design.selftest import self_test
from wattigram.core.model.design.templates import Template
from wattigram.desktop.controllers.actions import Actions
from wattigram.desktop.controllers.chain_actions import ChainActions
from wattigram.desktop.inspector.reaction_templates import REACTION_TEMPLATES
from wattigram.desktop.pages.page_stack import CHAIN, PROGRAM, STREAMS, WAVE, PageStack
from wattigram.desktop.state.document import Document

if TYPE_CHECKING:
    from wattigram.desktop.pages.program_page import ProgramPage
    from wattigram.desktop.pages.wave_page import WavePage


class OutputActions:
    """What can be done with outputs, from anywhere."""

    def __init__(
        self,
        document: Document,
        book: PageStack,
        actions: Actions,
        chain_actions: ChainActions,
        show_page: Callable[[int], None],
        say: Callable[[str], None],
    ) -> None:
        self._document = document
        self._book = book
        self._chain_actions = chain_actions
        self._show_page = show_page
        self._say = say
        actions.add("Wave", "Add a table and play it", "Ctrl+Shift+W", self.add_table)
        actions.add("Wave", "Add a table from a file…", "", lambda: self._on_wave().read_dialog())
        actions.add(
            "Wave", "Save the table as CSV, WAV or C…", "", lambda: self._on_wave().save_dialog()
        )
        actions.add(
            "Wave", "Remove the table and what plays it", "", lambda: self._on_wave().remove_table()
        )
        actions.add(
            "Program", "Add a reaction", "Ctrl+Shift+P", lambda: self._on_program().add_reaction()
        )
        actions.add(
            "Program", "Add a route", "Ctrl+Shift+R", lambda: self._on_program().add_route()
        )
        actions.add("Program", "Add a serial port", "", lambda: self._on_program().add_uart())
        actions.add("Program", "Add a PWM output", "", lambda: self._on_program().add_pwm())
        actions.add("Edit", "Copy what is chosen", "Ctrl+C", self.copy)
        actions.add("Edit", "Paste signals, a chain or reactions", "Ctrl+V", self.paste)
        actions.add("Chain", "Remove the selected output", "", self.remove_selected)
        for template in REACTION_TEMPLATES:
            actions.add(
                "Template",
                f"Add template: {template.name}",
                "",
                partial(self.add_reaction_template, template),
            )
        actions.add(
            "Template", "Add template: self-test of a DAC and a converter", "", self.add_self_test
        )

    def add_reaction_template(self, template: Template) -> None:
        """A reaction that is often wanted, chosen on the Program page."""
        self._on_program().add_template(template)

    def _on_wave(self) -> WavePage:
        self._show_page(WAVE)
        return self._book.wave

    def _on_program(self) -> ProgramPage:
        self._show_page(PROGRAM)
        return self._book.program

    def add_table(self) -> None:
        """A new table on the Wave page."""
        self._on_wave().add_table()

    def copy(self) -> None:
        """What is chosen on the page that is seen, on the clipboard."""
        if self._is_program_seen:
            self._book.program.copy()
        elif self._book.stack.currentIndex() == STREAMS:
            self._book.streams.analysis.copy()
        else:
            self._chain_actions.copy()

    def paste(self) -> None:
        """What is on the clipboard."""
        if self._is_program_seen:
            self._book.program.paste()
        else:
            self._chain_actions.paste()

    @property
    def _is_program_seen(self) -> bool:
        return self._book.stack.currentIndex() == PROGRAM

    def remove_selected(self) -> None:
        """Take the output away that is selected on the Chain page."""
        selection = self._book.chain.selection
        section = selection.section
        if section in {"generators", "pwm", "uarts", "routes", "reactions"}:
            edit: Edit = RemoveOutput(section, selection.output)  # type: ignore[arg-type]
            self._document.edit(edit)
        else:
            self._say("No output is selected. Choose one below the signals.")

    def add_self_test(self) -> None:
        """A sweep of every code into a converter, with what must hold of it."""
        try:
            edit = self_test(self._document.workspace)
        except EditError as fault:
            self._say(str(fault))
            return
        if self._document.edit(edit):
            self._show_page(CHAIN)
            self._say("The self-test is set up: put the jumper in, and F6 proves it.")
