"""The page to begin on: an empty board, a file, the demo, or what was open before."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from onda.app.kit.surface import scrolled
from onda.app.shell.chips import Chips
from onda.app.shell.fields import Entry, label
from onda.project.build.templates import LAYER_COUNTS, TAIL_COUNTS

__all__ = ["Begun", "StartPage"]

_USUAL = 6
_COLUMN = 300


@dataclass(frozen=True, slots=True)
class Begun:
    """Something that was begun before: what it is called, where it is, a key to open it by, and
    whether it can be given up."""

    key: str
    title: str
    detail: str
    can_forget: bool = False


class StartPage(QWidget):
    """Three ways to begin, and what was open before.

    Signals
    -------
    board_wanted(name, layers, tail), file_wanted, demo_wanted, left
    again_wanted(key), forget_wanted(key) : something begun before
    """

    board_wanted = pyqtSignal(str, int, bool)
    file_wanted = pyqtSignal()
    demo_wanted = pyqtSignal()
    again_wanted = pyqtSignal(str)
    forget_wanted = pyqtSignal(str)
    left = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        content = QWidget()
        layout = QVBoxLayout(content)
        layout.setContentsMargins(40, 30, 40, 24)
        layout.setSpacing(10)
        head = QHBoxLayout()
        head.addWidget(label("Begin", "title"))
        head.addStretch(1)
        self.back = QPushButton("Back to work")
        self.back.clicked.connect(lambda: self.left.emit())
        head.addWidget(self.back)
        layout.addLayout(head)
        grid = QGridLayout()
        grid.setHorizontalSpacing(22)
        grid.setVerticalSpacing(16)
        grid.addWidget(self._board(), 0, 0)
        grid.addWidget(self._file(), 0, 1)
        grid.addWidget(self._demo(), 0, 2)
        grid.addWidget(self._before(), 1, 0, 1, 3)
        grid.setColumnStretch(3, 1)
        layout.addLayout(grid)
        layout.addStretch(1)
        outer.addWidget(scrolled(content))

    def _card(self, title: str, sentence: str) -> tuple[QFrame, QVBoxLayout]:
        card = QFrame()
        card.setObjectName("card")
        card.setFixedWidth(_COLUMN)
        layout = QVBoxLayout(card)
        layout.setContentsMargins(16, 12, 16, 14)
        layout.setSpacing(8)
        layout.addWidget(label(title, "heading"))
        layout.addWidget(label(sentence, "secondary", wrap=True))
        return card, layout

    def _board(self) -> QWidget:
        card, layout = self._card(
            "Empty board",
            "A usual build of so many copper layers, with values typical of a mid-loss laminate. "
            "Every layer can be changed afterwards.",
        )
        self.name = Entry("New board")
        self.name.setAccessibleName("Name of the board")
        self.name.setToolTip("What the board is called; it can be changed in the project's menu")
        self.name.returnPressed.connect(self._begin)
        layout.addWidget(self.name)
        self.layers = Chips([(str(n), str(n)) for n in LAYER_COUNTS], "Copper layers")
        self.layers.setToolTip("Number of copper layers")
        self.layers.choose(str(_USUAL))
        self.layers.chosen.connect(lambda _: self._offer_tail())
        layout.addWidget(label("Copper layers", "secondary"))
        layout.addWidget(self.layers)
        self.tail = QCheckBox("Flexible tail of the middle layers")
        layout.addWidget(self.tail)
        self.begin = QPushButton("Begin this board")
        self.begin.setObjectName("primary")
        self.begin.clicked.connect(lambda: self._begin())
        layout.addWidget(self.begin, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addStretch(1)
        return card

    def _offer_tail(self) -> None:
        can = int(self.layers.current) in TAIL_COUNTS
        self.tail.setEnabled(can)
        if not can:
            self.tail.setChecked(False)

    def _begin(self) -> None:
        name = self.name.text().strip() or "New board"
        self.board_wanted.emit(name, int(self.layers.current), self.tail.isChecked())

    def _file(self) -> QWidget:
        return self._one_way(
            "From a file",
            "A project (.onda), a build (IPC-2581 or CSV), S-parameters (Touchstone or HDF5), or a "
            "device file (.ibs). A file may also be dropped on the window at any time.",
            "Choose a file…",
            self.file_wanted.emit,
        )

    def _demo(self) -> QWidget:
        return self._one_way(
            "Demo",
            "Fulmar, a made-up recorder card with faults to find: a clock that rings, a stub that "
            "is too long, ports in the wrong order.",
            "Open Fulmar",
            self.demo_wanted.emit,
        )

    def _one_way(self, title: str, words: str, press: str, act: Callable[[], None]) -> QWidget:
        """A card with one button."""
        card, layout = self._card(title, words)
        button = QPushButton(press)
        button.clicked.connect(lambda: act())
        layout.addWidget(button, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addStretch(1)
        return card

    def _before(self) -> QWidget:
        card, layout = self._card("Begun before", "Boards that were open lately, saved or not.")
        card.setFixedWidth(3 * _COLUMN + 44)
        self._list = layout
        self._none = label("Nothing yet.", "secondary")
        layout.addWidget(self._none)
        self.entries: list[QPushButton] = []
        self._rows: list[QWidget] = []
        layout.addStretch(1)
        return card

    def show_begun(self, begun: Sequence[Begun], *, can_leave: bool) -> None:
        """Show what was begun before; whether there is work to go back to."""
        for row in self._rows:
            self._list.removeWidget(row)
            row.hide()
            row.deleteLater()
        self.entries, self._rows = [], []
        self._none.setVisible(not begun)
        self.back.setVisible(can_leave)
        for k, item in enumerate(begun):
            button = QPushButton(f"{item.title}\n{item.detail}")
            button.setObjectName("entry")
            button.setToolTip(item.key)
            button.clicked.connect(lambda _, key=item.key: self.again_wanted.emit(key))
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            line.addWidget(button, 1)
            if item.can_forget:
                forget = QPushButton("Forget")
                forget.setToolTip("Give this work up for good; otherwise it is kept for 30 days")
                forget.clicked.connect(lambda _, key=item.key: self.forget_wanted.emit(key))
                # Aligned, or the row would be no higher than its lowest part.
                line.addWidget(forget, 0, Qt.AlignmentFlag.AlignVCenter)
            self._list.insertWidget(2 + k, row)
            self.entries.append(button)
            self._rows.append(row)
        self.name.setFocus()
        self.name.selectAll()
