"""A strip for what the user should know: never in the way, never modal."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from wattigram.core.base.time_left import left_text
from wattigram.desktop.state.jobs import Job

SHOWN_MS = 12_000


class Notice(QFrame):
    """A sentence, perhaps with an answer to give, and a cross."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("notice")
        self._text = QLabel()
        self._text.setWordWrap(True)
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 6, 8, 6)
        row.addWidget(self._text, 1)
        self._buttons: list[QPushButton] = []
        self._close = QPushButton("✕")
        self._close.setObjectName("link")
        self._close.setAccessibleName("Dismiss")
        self._close.clicked.connect(self.hide)
        row.addWidget(self._close)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.timeout.connect(self.hide)
        self.hide()

    @property
    def text(self) -> str:
        """What is being said."""
        return self._text.text()

    def say(self, text: str, *answers: tuple[str, Callable[[], None]]) -> None:
        """Show a sentence; without answers it goes away by itself."""
        for button in self._buttons:
            button.hide()
            button.deleteLater()
        self._buttons = []
        row = self.layout()
        assert isinstance(row, QHBoxLayout)
        for number, (label, action) in enumerate(answers):
            button = QPushButton(label)
            button.clicked.connect(self.hide)
            button.clicked.connect(lambda _checked, act=action: act())
            row.insertWidget(1 + number, button)
            self._buttons.append(button)
        self._text.setText(text)
        self.show()
        self._timer.stop()
        if not answers:
            self._timer.start(SHOWN_MS)


class JobBar(QFrame):
    """Progress of long work, with the time left and Cancel; shown only after a moment."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self._text = QLabel()
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setMaximumWidth(260)
        cancel = QPushButton("Cancel")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 4, 8, 4)
        row.addWidget(self._text)
        row.addWidget(self._bar, 1)
        row.addStretch(1)
        row.addWidget(cancel)
        cancel.clicked.connect(self._cancel)
        self._job: Job | None = None
        self._delay = QTimer(self)
        self._delay.setSingleShot(True)
        self._delay.setInterval(400)
        self._delay.timeout.connect(self.show)
        self.hide()

    def follow(self, job: Job) -> None:
        """Show a job until it ends; it takes the place of one before."""
        self._job = job
        self._text.setText(job.what)
        self._bar.setRange(0, 1000)
        self._bar.setValue(0)
        job.progressed.connect(lambda share: self._show(job, share))
        job.ended.connect(lambda: self._end(job))
        self._delay.start()

    def _show(self, job: Job, share: float) -> None:
        if job is self._job:
            self._bar.setValue(round(share * 1000))
            left = job.seconds_left(share)
            self._text.setText(
                job.what + (f" · {left_text(left)} left" if left is not None and left >= 1 else "")
            )

    def _end(self, job: Job) -> None:
        if job is self._job:
            self._job = None
            self._delay.stop()
            self.hide()

    def _cancel(self) -> None:
        if self._job is not None:
            self._job.cancel()
