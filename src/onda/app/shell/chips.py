"""A row of words of which one is chosen: which view is shown."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QWidget

__all__ = ["Chips"]


class Chips(QWidget):
    """Exclusive choices side by side.

    Signals
    -------
    chosen(key)
    """

    chosen = pyqtSignal(str)

    def __init__(self, items: Sequence[tuple[str, str]], name: str) -> None:
        super().__init__()
        self.setAccessibleName(name)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        self._group = QButtonGroup(self)
        self._buttons: dict[str, QPushButton] = {}
        for key, words in items:
            button = QPushButton(words)
            button.setObjectName("chip")
            button.setCheckable(True)
            button.clicked.connect(lambda _, key=key: self.chosen.emit(key))
            self._group.addButton(button)
            self._buttons[key] = button
            line.addWidget(button)
        line.addStretch(1)
        next(iter(self._buttons.values())).setChecked(True)

    @property
    def current(self) -> str:
        """The chosen key."""
        return next(k for k, b in self._buttons.items() if b.isChecked())

    def choose(self, key: str) -> None:
        """Choose as a click does."""
        self._buttons[key].setChecked(True)
        self.chosen.emit(key)

    def show_only(self, keys: set[str]) -> None:
        """Hide what does not apply; another is chosen where the chosen one is hidden."""
        for key, button in self._buttons.items():
            button.setVisible(key in keys)
        if self.current not in keys:
            self.choose(next(k for k in self._buttons if k in keys))
