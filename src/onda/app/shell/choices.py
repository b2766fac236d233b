"""Rows of a name and a list to choose from, made anew only where their titles change."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.shell.fields import ChoiceBox, label
from onda.app.theme import Look

__all__ = ["ChoiceSpec", "Choices"]


@dataclass(frozen=True)
class ChoiceSpec:
    """One row: (key, shown) pairs, the present key, and what a choice does."""

    title: str
    items: tuple[tuple[str, str], ...]
    current: str
    put: Callable[[str], None]


class Choices(QWidget):
    """The rows."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._specs: list[ChoiceSpec] = []
        self.boxes: list[ChoiceBox] = []
        self._rows: list[QWidget] = []
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(3)

    def set_specs(self, specs: list[ChoiceSpec]) -> None:
        """Show other rows."""
        same = [s.title for s in specs] == [s.title for s in self._specs]
        self._specs = specs
        if not same:
            for row in self._rows:
                self._layout.removeWidget(row)
                row.hide()
                row.deleteLater()
            self._rows, self.boxes = [], []
            for i, spec in enumerate(specs):
                self._add(i, spec)
        for box, spec in zip(self.boxes, specs, strict=True):
            self._fill(box, spec)
        self.setVisible(bool(specs))

    def _add(self, index: int, spec: ChoiceSpec) -> None:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 2, 0, 2)
        line.addWidget(label(spec.title), 1)
        box = ChoiceBox(self._look)
        box.setAccessibleName(spec.title)
        # By index, so that a row built once acts on the spec now in its place.
        box.activated.connect(lambda _, i=index: self._chosen(i))
        line.addWidget(box)
        self._layout.addWidget(row)
        self._rows.append(row)
        self.boxes.append(box)

    def _fill(self, box: ChoiceBox, spec: ChoiceSpec) -> None:
        keys = [key for key, _ in spec.items]
        if [box.itemData(i) for i in range(box.count())] != keys or [
            box.itemText(i) for i in range(box.count())
        ] != [shown for _, shown in spec.items]:
            box.clear()
            for key, shown in spec.items:
                box.addItem(shown, key)
        box.setCurrentIndex(keys.index(spec.current) if spec.current in keys else -1)

    def _chosen(self, index: int) -> None:
        box, spec = self.boxes[index], self._specs[index]
        key = str(box.currentData())
        if key != spec.current:
            spec.put(key)

    def choose(self, title: str, key: str) -> None:
        """Choose as a user would."""
        index = [s.title for s in self._specs].index(title)
        box = self.boxes[index]
        at = box.findData(key)
        box.setCurrentIndex(at)
        box.activated.emit(at)
