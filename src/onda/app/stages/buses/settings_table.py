"""What each device is in each operation: a strength or a termination, chosen in its place."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QGridLayout, QScrollArea, QSizePolicy, QWidget

from onda.app.shell.fields import ChoiceBox, label
from onda.app.theme import Look
from onda.project.buses.bus import Bus

__all__ = ["SettingsTable"]

_AS_IN_PATHS = "as in Paths"
_LEAST, _MOST = 96, 118
"""Pixels of a cell."""


class SettingsTable(QScrollArea):
    """Devices down, operations across; `put(operation, device, model)` changes one."""

    def __init__(self, look: Look, put: Callable[[str, str, str], None]) -> None:
        super().__init__()
        self._look, self._put = look, put
        inner = QWidget()
        self._grid = QGridLayout(inner)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(6)
        self._grid.setVerticalSpacing(3)
        self.boxes: dict[tuple[str, str], ChoiceBox] = {}
        self._names: list[QWidget] = []
        self._shape: tuple[object, ...] = ()
        self.setWidget(inner)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def show_bus(self, bus: Bus, models: Mapping[str, Sequence[str]], kept: Sequence[Bus]) -> None:
        """Show a bus; `models` by device; cells that differ from a kept state are outlined."""
        shape = (
            tuple((d.id, d.name) for d in bus.devices),
            tuple((o.id, o.name) for o in bus.operations),
        )
        if shape != self._shape:
            self._make(bus)
            self._shape = shape
        for (operation, device), box in self.boxes.items():
            now = bus.operation(operation).model_of(device)
            self._fill(box, now, models.get(device, ()))
            was = [o.model_of(device) for b in kept for o in b.operations if o.id == operation]
            changed = any(model != now for model in was)
            t = self._look.t
            style = f"QComboBox {{ border: 2px solid {t.kept}; }}" if changed else ""
            # A style costs more than a millisecond, whatever it says.
            if box.styleSheet() != style:
                box.setStyleSheet(style)
            words = ", ".join(model or _AS_IN_PATHS for model in was)
            box.setToolTip(f"Kept: {words}" if changed else "")

    def _make(self, bus: Bus) -> None:
        for k in reversed(range(self._grid.count())):
            item = self._grid.takeAt(k)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.boxes, self._names = {}, []
        for column, operation in enumerate(bus.operations, 1):
            self._grid.addWidget(label(operation.name, "heading"), 0, column)
        for row, device in enumerate(bus.devices, 1):
            name = label(device.name)
            self._names.append(name)
            self._grid.addWidget(name, row, 0)
            for column, operation in enumerate(bus.operations, 1):
                box = ChoiceBox(self._look, _MOST)
                box.setAccessibleName(f"{device.name}, {operation.name}")
                box.activated.connect(partial(self._chosen, operation.id, device.id))
                self._grid.addWidget(box, row, column)
                self.boxes[operation.id, device.id] = box
        self._grid.setColumnStretch(len(bus.operations) + 1, 1)
        for k in range(self._grid.count()):
            item = self._grid.itemAt(k)
            widget = item.widget() if item is not None else None
            if widget is not None:
                # What is not shown yet takes no room in the height that is wanted.
                widget.show()
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """Cells as wide as there is room for; where they would be too narrow, it scrolls."""
        columns = max(len({operation for operation, _ in self.boxes}), 1)
        names = max((x.sizeHint().width() for x in self._names), default=0)
        room = (self.width() - names) / columns - self._grid.horizontalSpacing() - 1
        for box in self.boxes.values():
            box.setFixedWidth(int(min(max(room, _LEAST), _MOST)))
        bar = self.horizontalScrollBar()
        assert bar is not None
        scrolls = bar.sizeHint().height() if room < _LEAST else 0
        self.setFixedHeight(self._grid.sizeHint().height() + scrolls)

    def _fill(self, box: ChoiceBox, now: str, models: Sequence[str]) -> None:
        names = ["", *models, *([now] if now and now not in models else [])]
        if [box.itemData(k) for k in range(box.count())] != names:
            box.clear()
            for name in names:
                box.addItem(name or _AS_IN_PATHS, name)
        box.setCurrentIndex(names.index(now))

    def _chosen(self, operation: str, device: str, _: int) -> None:
        self._put(operation, device, str(self.boxes[operation, device].currentData() or ""))
