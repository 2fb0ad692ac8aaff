"""The inspector: facts, fields and a what-if of what is selected."""

from __future__ import annotations

import re
from functools import partial

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QWheelEvent
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QSizePolicy,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.validation import ModelError
from wattigram.desktop.inspector import Fact, Field, Panel
from wattigram.desktop.inspector.number_entry import decimals, nudged
from wattigram.desktop.theme import heading_font, number_font, text_font, theme
from wattigram.desktop.widgets.inspector.curves import CurveChart
from wattigram.desktop.widgets.inspector.step_list import StepList
from wattigram.desktop.widgets.inspector.what_if import WhatIfChart

SLIDER_STEPS = 1000
WORDS = {"name", "note", "text", "function", "signals", "pins"}
"""Fields that are no numbers, whatever they begin with."""
STILL_MS = 700
"""After which what is nudged next is another step."""
_BEFORE_UNIT = re.compile(r"(?<=\d) (?=[^\W\d_]|%)")
TABS_WIDTH, TAB_PADDING = 206, 20
"""What a line of tabs may take in the narrowest inspector."""


class FieldEditor(QObject):
    """The widget of one field; makes its edit when something was entered."""

    edited = pyqtSignal(object)
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()
    error = pyqtSignal(str)

    def __init__(self, field: Field, parent: QWidget) -> None:
        super().__init__(parent)
        self._field = field
        self._places = 0
        """Behind the point of what is being nudged, though it may end in noughts on its way."""
        self._still = QTimer(self)
        self._still.setSingleShot(True)
        self._still.setInterval(STILL_MS)
        self._still.timeout.connect(self.drag_ended)
        self.widget: QLineEdit | QComboBox | QSlider
        if field.slider is not None:
            slider = QSlider(Qt.Orientation.Horizontal, parent)
            slider.setRange(0, SLIDER_STEPS)
            slider.valueChanged.connect(self._slid)
            slider.sliderPressed.connect(self.drag_began)
            slider.sliderReleased.connect(self.drag_ended)
            self.widget = slider
        elif field.options:
            box = QComboBox(parent)
            box.setSizeAdjustPolicy(
                QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            box.setMinimumContentsLength(6)
            box.textActivated.connect(self._enter)
            box.installEventFilter(self)
            self.widget = box
        else:
            line = QLineEdit(parent)
            line.setFont(number_font(-0.5))
            line.editingFinished.connect(self._typed)
            line.installEventFilter(self)
            self.widget = line
        self.widget.setAccessibleName(field.label)
        self.widget.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.show_field(field)

    def show_field(self, field: Field) -> None:
        """Show another value; what is being typed is left alone."""
        self._field = field
        widget = self.widget
        widget.blockSignals(True)
        if isinstance(widget, QSlider):
            assert field.slider is not None
            low, high, now = field.slider
            if not widget.isSliderDown():
                widget.setValue(round((now - low) / (high - low) * SLIDER_STEPS))
            widget.setToolTip(field.text)
        elif isinstance(widget, QComboBox):
            if [widget.itemText(number) for number in range(widget.count())] != list(field.options):
                widget.clear()
                widget.addItems(field.options)
            widget.setCurrentIndex(
                field.options.index(field.text) if field.text in field.options else -1
            )
        elif not (widget.hasFocus() and widget.isModified()):
            widget.setText(field.text)
            widget.setModified(False)
            widget.setPlaceholderText(field.hint)
            self._mark(False)
        widget.blockSignals(False)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Escape takes back what was typed, and is the page's where nothing was; arrows, and the wheel in a
        field that has the keyboard, make its number more and less."""
        steps = self._steps_of(event) if isinstance(self.widget, QLineEdit) else 0
        if steps:
            return self._nudge(steps)
        pressed = (
            event.key()
            if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress
            else None
        )
        if isinstance(self.widget, QComboBox) and isinstance(event, QKeyEvent):
            return pressed is not None and self._opens_choices(self.widget, event)
        is_typed = isinstance(self.widget, QLineEdit) and self.widget.isModified()
        if pressed == Qt.Key.Key_Escape and isinstance(self.widget, QLineEdit) and is_typed:
            self.widget.setText(self._field.text)
            self.widget.setModified(False)
            self._mark(False)
            return True
        return super().eventFilter(watched, event)

    @staticmethod
    def _opens_choices(box: QComboBox, event: QKeyEvent) -> bool:
        """A letter looks among the choices, which are seen while more letters follow; nothing is taken before
        Enter, for each choice is a change of the design."""
        text = event.text()
        if not text.strip() or not text.isprintable() or text == " ":
            return False
        if event.modifiers() & ~Qt.KeyboardModifier.ShiftModifier:
            return False
        box.showPopup()
        view = box.view()
        if view is not None:
            view.keyboardSearch(text)
        return True

    def _steps_of(self, event: QEvent | None) -> int:
        """By how many of its last places an event moves the number; 0 for any other event."""
        if isinstance(event, QWheelEvent) and self.widget.hasFocus():
            turned = event.angleDelta().y() or event.angleDelta().x()  # Alt turns it sideways
            steps = (turned > 0) - (turned < 0)
        elif isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()), 0)
        else:
            return 0
        return steps * (10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1)

    def _nudge(self, steps: int) -> bool:
        """More, or less; all of one go are one step to be taken back. Whether there is a number."""
        assert isinstance(self.widget, QLineEdit)
        now = self.widget.text()
        if not self._still.isActive():
            self._places = decimals(now)
        text = "" if self._field.label in WORDS else nudged(now, steps, self._places)
        if not text:
            return False
        if not self._still.isActive():
            self.drag_began.emit()
        self._still.start()
        self.widget.setModified(False)
        self._enter(text)
        return True

    def rest(self) -> None:
        """What is nudged next is another step."""
        if self._still.isActive():
            self._still.stop()
            self.drag_ended.emit()

    @property
    def label(self) -> str:
        """Name of the field."""
        return self._field.label

    def commit(self) -> None:
        """Take what was typed, if anything was."""
        if isinstance(self.widget, QLineEdit) and self.widget.isModified():
            self._typed()

    def _typed(self) -> None:
        assert isinstance(self.widget, QLineEdit)
        text = self.widget.text()
        if self.widget.isModified() and text != self._field.text:
            self._enter(text)
        else:
            self._mark(False)

    def _slid(self, step: int) -> None:
        assert self._field.slider is not None
        low, high, _now = self._field.slider
        self._enter(f"{low + (high - low) * step / SLIDER_STEPS:.4f}")

    def _enter(self, text: str) -> None:
        try:
            edit = self._field.make(text)
        except QuantityError as fault:
            self._refuse(str(fault))
            return
        except ModelError as fault:
            self._refuse(fault.first.message)
            return
        self._mark(False)
        if isinstance(self.widget, QLineEdit):
            self.widget.setModified(False)
        if edit is not None:
            self.edited.emit(edit)

    def _refuse(self, why: str) -> None:
        """What was entered stays, and is said to be wrong."""
        self._mark(True, why)
        self.error.emit(f"{self._field.label}: {why}")

    def _mark(self, wrong: bool, why: str = "") -> None:
        widget = self.widget
        if isinstance(widget, QLineEdit) and bool(widget.property("wrong")) != wrong:
            widget.setProperty("wrong", wrong)
            style = widget.style()
            if style is not None:
                style.unpolish(widget)
                style.polish(widget)
        widget.setToolTip(why or self._field.hint)


class Inspector(QWidget):
    """Shows a panel; keeps its widgets while only figures change."""

    edited = pyqtSignal(object)
    tab_wanted = pyqtSignal(str)
    """Another facet of the selection."""
    drag_began = pyqtSignal()
    drag_ended = pyqtSignal()
    error = pyqtSignal(str)
    shown = pyqtSignal()
    """Another panel, or other figures in it."""
    why_wanted = pyqtSignal(str)
    """Somebody asks where the fact of that name comes from."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("plain")
        self._panel: Panel | None = None
        self._facts: list[QLabel] = []
        self.fields: list[FieldEditor] = []
        self.chart: WhatIfChart | None = None
        self.curves: CurveChart | None = None
        self.steps: StepList | None = None
        self.tabs: list[QToolButton] = []
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._title = QLabel(self)
        self._title.setFont(heading_font())
        self._title.setObjectName("faint")
        self._title.setWordWrap(True)
        self._layout.addWidget(self._title)
        self._body: QWidget | None = None

    def show_panel(self, panel: Panel) -> None:
        """Show a panel, by the same widgets where they fit."""
        self._title.setText(panel.title.upper())
        self._title.setFont(heading_font())
        focused = None
        if self._panel is None or panel.shape != self._panel.shape:
            focused = self._focused()
            self._build(panel)
        self._panel = panel
        for label, fact in zip(self._facts, panel.facts, strict=True):
            self._show_fact(label, fact)
        for editor, field in zip(self.fields, panel.fields, strict=True):
            editor.show_field(field)
        if self.chart is not None and panel.what_if is not None:
            self.chart.show_data(panel.what_if)
            self._chart_title.setText(panel.what_if.title.upper())
        if self.curves is not None and panel.curves is not None:
            self.curves.show_data(panel.curves)
            self._curves_title.setText(panel.curves.title.upper())
        if self.steps is not None and panel.ordered is not None:
            self.steps.show_data(panel.ordered)
        for button, tab in zip(self.tabs, panel.tabs, strict=True):
            button.setChecked(tab.facet == panel.tab)
        if focused is not None:
            self._focus_again(*focused)
        self.shown.emit()

    @property
    def panel(self) -> Panel | None:
        """What is shown."""
        return self._panel

    def commit(self) -> None:
        """Take what is being typed for what is shown now, before something else is shown in its
        place."""
        for editor in self.fields:
            editor.commit()

    def _focused(self) -> tuple[str, int] | None:
        """Name and place of the field that has the keyboard; None where none has."""
        now = QApplication.focusWidget()
        for number, editor in enumerate(self.fields):
            if editor.widget is now:
                return editor.label, number
        return None

    def _focus_again(self, label: str, number: int) -> None:
        """The keyboard stays with the field of that name, or with the one in its place, whatever
        was rebuilt."""
        if not self.fields:
            return
        same = next((editor for editor in self.fields if editor.label == label), None)
        editor = same or self.fields[min(number, len(self.fields) - 1)]
        editor.widget.setFocus(Qt.FocusReason.OtherFocusReason)

    def rebuild(self) -> None:
        """Make all widgets anew, after the theme changed."""
        panel, self._panel = self._panel, None
        if panel is not None:
            self.show_panel(panel)

    def focus_first_field(self) -> None:
        """Begin to edit."""
        if self.fields:
            widget = self.fields[0].widget
            widget.setFocus(Qt.FocusReason.ShortcutFocusReason)
            if isinstance(widget, QLineEdit):
                widget.selectAll()  # it may have had the keyboard already

    @staticmethod
    def _show_fact(label: QLabel, fact: Fact) -> None:
        t = theme()
        mark = {True: "\u00a0✓", False: "\u00a0✕", None: ""}[fact.good]
        shade = {True: t.good, False: t.bad, None: t.ink}[fact.good]
        # A line breaks between figures, and not between one and its unit.
        label.setText(_BEFORE_UNIT.sub("\u00a0", fact.value) + mark)
        if label.property("shade") != shade:
            label.setProperty("shade", shade)
            label.setStyleSheet(f"color: {shade}")

    def _build(self, panel: Panel) -> None:
        for editor in self.fields:
            editor.rest()
        if self._body is not None:
            self._layout.removeWidget(self._body)
            self._body.hide()
            self._body.deleteLater()
        self._body = QWidget(self)
        self._body.setObjectName("plain")
        column = QVBoxLayout(self._body)
        column.setContentsMargins(0, 2, 0, 0)
        column.setSpacing(8)
        self._build_tabs(panel, column)
        column.addLayout(self._build_facts(panel, self._body))
        column.addLayout(self._build_fields(panel, self._body))
        self._build_charts(panel, column, self._body)
        self._layout.addWidget(self._body)

    def _build_tabs(self, panel: Panel, column: QVBoxLayout) -> None:
        self.tabs = []
        if not panel.tabs:
            return
        row, used = self._tab_row(column), 0
        for tab in panel.tabs:
            button = QToolButton(self._body)
            button.setText(tab.label)
            button.setCheckable(True)
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setObjectName("facet")
            button.setFont(text_font(-0.5))
            button.clicked.connect(partial(self._on_tab, tab.facet))
            width = button.fontMetrics().horizontalAdvance(tab.label) + TAB_PADDING
            if used and used + width > TABS_WIDTH:
                row, used = self._tab_row(column), 0
            used += width
            row.insertWidget(row.count() - 1, button)
            self.tabs.append(button)

    @staticmethod
    def _tab_row(column: QVBoxLayout) -> QHBoxLayout:
        """One more line of tabs; there are as many as it takes."""
        row = QHBoxLayout()
        row.setSpacing(2)
        row.addStretch(1)
        column.addLayout(row)
        return row

    def _on_tab(self, facet: str, _checked: bool) -> None:
        self.tab_wanted.emit(facet)

    def _build_facts(self, panel: Panel, body: QWidget) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(1, 1)
        self._facts = []
        for row, fact in enumerate(panel.facts):
            name = QLabel(fact.label, body)
            name.setObjectName("soft")
            name.setFont(text_font(-0.5))
            value = QLabel(body)
            value.setFont(number_font(-0.5))
            value.setAlignment(Qt.AlignmentFlag.AlignRight)
            value.setWordWrap(True)
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            grid.addWidget(name, row, 0)
            grid.addWidget(value, row, 1)
            self._facts.append(value)
            if fact.why is not None:
                for label in (name, value):
                    label.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
                    label.customContextMenuRequested.connect(partial(self._ask_why, fact.label))
                    label.setToolTip("Right click: where does it come from?")
        return grid

    def _ask_why(self, label: str, at: QPoint) -> None:
        """What can be asked of a fact."""
        menu, asked = QMenu(self), self.sender()
        action = menu.addAction("Where does it come from?")
        assert action is not None
        action.triggered.connect(lambda: self.why_wanted.emit(label))
        if isinstance(asked, QWidget):
            menu.popup(asked.mapToGlobal(at))

    def _build_fields(self, panel: Panel, body: QWidget) -> QGridLayout:
        form = QGridLayout()
        form.setHorizontalSpacing(8)
        form.setVerticalSpacing(4)
        form.setColumnStretch(1, 1)
        self.fields = []
        for number, field in enumerate(panel.fields):
            name = QLabel(field.label, body)
            name.setObjectName("soft")
            name.setFont(text_font(-0.5))
            editor = FieldEditor(field, body)
            editor.edited.connect(self.edited)
            editor.error.connect(self.error)
            editor.drag_began.connect(self.drag_began)
            editor.drag_ended.connect(self.drag_ended)
            name.setBuddy(editor.widget)
            form.addWidget(name, number, 0)
            form.addWidget(editor.widget, number, 1)
            self.fields.append(editor)
        return form

    def _build_charts(self, panel: Panel, column: QVBoxLayout, body: QWidget) -> None:
        self.chart = self.curves = self.steps = None
        if panel.ordered is not None:
            self.steps = StepList()
            self.steps.edited.connect(self.edited)
            column.addWidget(self.steps)
        if panel.what_if is not None:
            self._chart_title = self._chart_heading(body)
            self.chart = WhatIfChart()
            self.chart.chosen.connect(self.edited)
            column.addSpacing(4)
            column.addWidget(self._chart_title)
            column.addWidget(self.chart)
        if panel.curves is not None:
            self._curves_title = self._chart_heading(body)
            self.curves = CurveChart()
            column.addWidget(self._curves_title)
            column.addWidget(self.curves)

    @staticmethod
    def _chart_heading(body: QWidget) -> QLabel:
        heading = QLabel(body)
        heading.setFont(heading_font())
        heading.setObjectName("faint")
        heading.setWordWrap(True)
        return heading
