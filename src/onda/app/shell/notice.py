"""The line of words below the work surface: what is said, and what runs. It is always there."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QRect, QSize, Qt, QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QPushButton, QSizePolicy, QWidget

from onda.app.jobs import JobDesk
from onda.app.shell.fields import label

__all__ = ["MessageLine", "ProgressLine", "WordsLine"]

_HEIGHT = 32
_LEAST_S = 0.4
"""Runs shorter than this are not worth a word."""
_SURE_S, _SURE_SHARE = 1.5, 0.15
"""From here on the time left is worth telling."""


class _Elided(QLabel):
    """A label that never asks for more room than there is."""

    def __init__(self) -> None:
        super().__init__()
        self._whole = ""
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def setText(self, text: str | None) -> None:
        self._whole = text or ""
        self._fit()

    def text(self) -> str:
        """All of it, however much is shown."""
        return self._whole

    @property
    def is_cut(self) -> bool:
        """Whether not all of it is shown."""
        return super().text() != self._whole

    def _fit(self) -> None:
        room = max(self.width() - 4, 0)
        cut = self.fontMetrics().elidedText(self._whole, Qt.TextElideMode.ElideRight, room)
        super().setText(cut if self.width() > 0 else self._whole)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def minimumSizeHint(self) -> QSize:
        return QSize(0, 18)


class MessageLine(QWidget):
    """One message at a time, with up to two actions; nothing modal.

    A message that does not fit the line is shown whole above it, over what lies there.
    """

    def __init__(self) -> None:
        super().__init__()
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(6)
        self.text = _Elided()
        self._layout.addWidget(self.text, 1)
        self._buttons: list[QPushButton] = []
        self._on_close: Callable[[], None] = lambda: None
        self.whole = QLabel()
        self.whole.setObjectName("whole")
        self.whole.setWordWrap(True)
        self.whole.setContentsMargins(12, 7, 12, 7)
        self.whole.hide()
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._show_whole)
        self._say_nothing()

    @property
    def says(self) -> str:
        """What is said, empty for nothing."""
        return self.text.text()

    @property
    def is_error(self) -> bool:
        """Whether it is about something that is wrong."""
        return self.text.property("level") == "error"

    def say(
        self,
        message: str,
        actions: list[tuple[str, Callable[[], None]]] | None = None,
        *,
        error: bool = False,
        on_close: Callable[[], None] = lambda: None,
    ) -> None:
        """Show a message with actions; "Close" is always there."""
        self._clear()
        self._on_close = on_close
        if not message:
            return
        for title, act in [*(actions or []), ("Close", on_close)]:
            button = QPushButton(title)
            button.clicked.connect(partial(self._act, act))
            self._layout.addWidget(button)
            self._buttons.append(button)
        for part in (self.text, self.whole):
            part.setProperty("level", "error" if error else "note")
            style = part.style()
            if style is not None:
                style.unpolish(part)
                style.polish(part)
        self.text.setText(message)
        self.text.setAccessibleName(message)
        # Once the line has its place it is known whether the message fits it.
        self._soon.start(0)

    def hush(self) -> None:
        """Say nothing any more."""
        self._clear()

    def _clear(self) -> None:
        for button in self._buttons:
            self._layout.removeWidget(button)
            button.hide()
            button.deleteLater()
        self._buttons = []
        self._say_nothing()

    def _say_nothing(self) -> None:
        self._soon.stop()
        self.text.setText("")
        self.whole.hide()

    def _act(self, act: Callable[[], None], _: bool = False) -> None:
        self._clear()
        act()

    def _show_whole(self) -> None:
        window = self.window()
        if not (self.text.is_cut and self.text.text() and window is not None and self.isVisible()):
            self.whole.hide()
            return
        self.whole.setParent(window)
        self.whole.setText(self.text.text())
        line = self.parentWidget() or self
        corner = line.mapTo(window, line.rect().topLeft())
        width = line.width()
        height = self.whole.heightForWidth(width)
        self.whole.setGeometry(QRect(corner.x(), corner.y() - height, width, height))
        self.whole.show()
        self.whole.raise_()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self.text.text():
            self._soon.start(0)

    @property
    def actions_shown(self) -> list[str]:
        """Titles of the buttons."""
        return [b.text() for b in self._buttons]

    def press(self, title: str) -> None:
        """Press a button by its title."""
        next(b for b in self._buttons if b.text() == title).click()


class ProgressLine(QWidget):
    """Says what runs, how far it is, and how long it may take where that is known."""

    def __init__(self, desk: JobDesk) -> None:
        super().__init__()
        self._desk = desk
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.words = label("", "secondary")
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedSize(90, 6)
        self.bar.setRange(0, 1000)
        cancel = QPushButton("Cancel")
        cancel.setToolTip("Stop what runs (Esc); what was shown stays")
        cancel.clicked.connect(lambda: desk.cancel_all())
        layout.addWidget(self.words)
        layout.addWidget(self.bar)
        layout.addWidget(cancel)
        self.hide()
        self._timer = QTimer(self)
        self._timer.setInterval(150)
        self._timer.timeout.connect(self._update)
        desk.activity.connect(self._on_activity)

    def _on_activity(self) -> None:
        if self._desk.is_idle:
            self._timer.stop()
            self.hide()
        elif not self._timer.isActive():
            self._timer.start()

    def _update(self) -> None:
        runs = self._desk.under_way
        if not runs:
            self.hide()
            return
        # What is on screen first; of the rest the one that has run longest.
        run = next((r for r in runs if r.in_view), runs[0])
        if run.seconds < _LEAST_S and self.isHidden():
            return
        left = run.seconds_left
        time_left = ""
        if left is not None and run.seconds > _SURE_S and run.share > _SURE_SHARE:
            time_left = f", about {max(round(left), 1)} s left"
        count = len(runs) - 1 + self._desk.waiting
        more = f", {count} more" if count > 0 else ""
        share = f" {run.share:.0%}" if run.share > 0.0 else ""
        self.words.setText(f"{run.words}{share}{time_left}{more}")
        self.bar.setRange(0, 1000 if run.share > 0.0 else 0)
        self.bar.setValue(int(1000 * run.share))
        self.show()


class WordsLine(QWidget):
    """The line: what is said at its left, what runs at its right."""

    def __init__(self, desk: JobDesk) -> None:
        super().__init__()
        self.setFixedHeight(_HEIGHT)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 0, 14, 4)
        layout.setSpacing(14)
        self.messages = MessageLine()
        self.progress = ProgressLine(desk)
        layout.addWidget(self.messages, 1)
        layout.addWidget(self.progress)
