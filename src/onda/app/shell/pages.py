"""Pages that are not stages: what a stage that is still to come will do, and the keys."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.shell.fields import label
from onda.app.stages import StageInfo

__all__ = ["ComingPage", "KeysPage"]

KEYS: tuple[tuple[str, str], ...] = (
    ("Ctrl+1 … Ctrl+9", "go to a stage"),
    ("Ctrl+Page up / down", "the stage before, the stage after"),
    ("Ctrl+N, Ctrl+O", "begin a board, open a project"),
    ("Ctrl+S, Ctrl+Shift+S", "save, save as"),
    ("Ctrl+Z, Ctrl+Shift+Z or Ctrl+Y", "undo, redo; in a field only what is being typed"),
    ("Ctrl+E, Ctrl+R", "save this view, write a report of the project"),
    ("Ctrl+D", "day or night"),
    ("K", "keep this state and compare with it from now on"),
    ("L", "put a limit on what is on screen"),
    ("T", "put the value in focus on the trim; then the arrow keys move it"),
    ("Arrows in a list, F2, Delete", "choose, rename, remove; the menu key copies"),
    ("Arrows on the ribbon", "slide a probe; up and down choose another; , and . step elements"),
    ("Insert, Delete on the ribbon", "insert behind the chosen element, remove it"),
    ("Arrows on a chain, Delete", "choose a piece, with Ctrl move it; take it out"),
    ("Arrows on the margins", "choose a bar; Enter types another limit, Delete takes it away"),
    ("Arrows on the section", "choose a dimension; Enter types on it"),
    ("Wheel, drag on a plot", "zoom, with Shift or Ctrl one way; zoom to a box, move an axis"),
    ("Backspace, Home on a plot", "one zoom back, show all (or double click)"),
    ("C, X on a plot", "set a cursor, then the other; remove both"),
    ("Ctrl+C, Ctrl+Shift+C, Ctrl+E", "on a plot: copy as picture, as table; save as PNG, SVG, CSV"),
    ("Esc", "cancel the run, or leave a field or a page as it was"),
    ("F1, ?", "explain the field in focus, or this page"),
)


class ComingPage(QWidget):
    """Says in a sentence what a stage will do, with a way to where work can be done today."""

    def __init__(self, go: Callable[[str], None]) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(40, 40, 40, 40)
        self._title = label("", "title")
        self._promise = label("", "", wrap=True)
        self._promise.setMaximumWidth(560)
        layout.addWidget(self._title)
        layout.addWidget(self._promise)
        layout.addWidget(label("This stage is not built yet.", "secondary"))
        line = QHBoxLayout()
        button = QPushButton("Go to Paths")
        button.clicked.connect(lambda: go("paths"))
        line.addWidget(button)
        line.addStretch(1)
        layout.addLayout(line)
        layout.addStretch(1)

    def show_stage(self, stage: StageInfo) -> None:
        """Speak of a stage."""
        self._title.setText(stage.title)
        self._promise.setText(stage.promise)


class KeysPage(QWidget):
    """The keys."""

    def __init__(self, close: Callable[[], None]) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(40, 20, 40, 16)
        layout.setSpacing(4)
        layout.addWidget(label("Keys", "title"))
        for keys, what in KEYS:
            line = QHBoxLayout()
            name = label(keys, "mono")
            name.setFixedWidth(250)
            line.addWidget(name)
            line.addWidget(label(what))
            line.addStretch(1)
            layout.addLayout(line)
        layout.addWidget(
            label("Every value takes its unit as you type it: 4.2mil, 0.107 mm, 1.5oz, 350ps.")
        )
        button = QPushButton("Back to work")
        button.clicked.connect(lambda: close())
        layout.addSpacing(8)
        layout.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addStretch(1)
