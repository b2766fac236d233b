"""A line at the top of the work surface: messages, and runs that take time."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QProgressBar, QPushButton, QWidget

from onda.app.jobs import JobDesk
from onda.app.shell.fields import label

__all__ = ["MessageBar", "ProgressLine"]

_STUDY_NAMES = {
    "impedance": "Impedance",
    "path": "Path",
    "path_sweep": "Sweep",
    "width_sweep": "Width sweep",
    "eye": "Eye",
    "fit": "Fit",
    "sensitivity": "Spread",
    "width_gap_map": "Map of width and gap",
}


class MessageBar(QFrame):
    """One message at a time, with up to two actions; nothing modal."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("message")
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(12, 5, 8, 5)
        self.text = label("", "", wrap=True)
        self._layout.addWidget(self.text, 1)
        self._buttons: list[QPushButton] = []
        self.hide()

    def say(
        self,
        message: str,
        actions: list[tuple[str, Callable[[], None]]] | None = None,
        *,
        error: bool = False,
    ) -> None:
        """Show a message with actions; "Close" is always there."""
        for button in self._buttons:
            self._layout.removeWidget(button)
            button.deleteLater()
        self._buttons = []
        self.text.setText(message)
        self.setProperty("level", "error" if error else "note")
        style = self.style()
        if style is not None:
            style.unpolish(self)
            style.polish(self)
        for title, act in [*(actions or []), ("Close", lambda: None)]:
            button = QPushButton(title)
            button.clicked.connect(partial(self._act, act))
            self._layout.addWidget(button)
            self._buttons.append(button)
        self.show()

    def _act(self, act: Callable[[], None], _: bool = False) -> None:
        self.hide()
        act()

    @property
    def actions_shown(self) -> list[str]:
        """Titles of the buttons."""
        return [b.text() for b in self._buttons]

    def press(self, title: str) -> None:
        """Press a button by its title."""
        next(b for b in self._buttons if b.text() == title).click()


class ProgressLine(QWidget):
    """Says what runs, how far it is, and how long it may take; hidden for short runs."""

    def __init__(self, desk: JobDesk) -> None:
        super().__init__()
        self._desk = desk
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 2, 14, 2)
        self.words = label("", "secondary")
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(6)
        self.bar.setRange(0, 1000)
        cancel = QPushButton("Cancel")
        cancel.clicked.connect(lambda: desk.cancel_all())
        layout.addWidget(self.words)
        layout.addWidget(self.bar, 1)
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
        run = runs[0]
        left = run.seconds_left
        name = _STUDY_NAMES.get(run.study, run.study)
        time_left = f", {left:.1f} s left" if left is not None else ""
        more = f", {len(runs) - 1} more" if len(runs) > 1 else ""
        self.words.setText(f"{name} {run.share:.0%}{time_left}{more}")
        self.bar.setValue(int(1000 * run.share))
        self.show()
