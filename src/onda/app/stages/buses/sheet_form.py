"""What the device that listens in the chosen case asks for, changed in its place."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.shell.fields import QuantityField, TextField, label
from onda.project.buses.bus import SlewTable, TimingSheet
from onda.project.quantities import Quantity, as_shown, parse_quantity

__all__ = ["SheetForm"]

Put = Callable[[str, object], None]
_FIELDS = (
    ("level_step", "Step of the level", "voltage"),
    ("ac", "Set-up from level", "voltage"),
    ("dc", "Hold to level", "voltage"),
    ("strobe", "Strobe between", "voltage"),
    ("setup", "Set-up asked", "time"),
    ("hold", "Hold asked", "time"),
)
_FREE = (("level", "Level", "voltage", "found"), ("to_clock", "To the clock", "time", "no matter"))
"""Fields that may stay empty, and what that means."""


def _size(table: SlewTable | None) -> str:
    if table is None:
        return "none"
    return f"{len(table.data_slew)} × {len(table.strobe_slew)} slews"


class SheetForm(QWidget):
    """Fields of a sheet; `put(field, value)` changes one, `read()` and `write()` are of files."""

    def __init__(self, put: Put, read: Callable[[], None], write: Callable[[], None]) -> None:
        super().__init__()
        self._put = put
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        self.owner = label("", "secondary", wrap=True)
        layout.addWidget(self.owner)
        self.fields: dict[str, QuantityField | TextField] = {}
        for key, title, dimension, empty in _FREE:
            free = TextField(title, partial(self._put_free, key, dimension), width=96)
            free.edit.setPlaceholderText(empty)
            self.fields[key] = free
        for key, title, dimension in _FIELDS:
            self.fields[key] = QuantityField(title, dimension, partial(self._put, key))
        self.fields["source"] = TextField("Source", partial(self._put, "source"))
        order = ("level", *(key for key, _, _ in _FIELDS), "to_clock", "source")
        for key in order:
            layout.addWidget(self.fields[key])
        self.tables = label("", "secondary", wrap=True)
        layout.addWidget(self.tables)
        row = QHBoxLayout()
        self.read, self.write = QPushButton("Read sheet…"), QPushButton("Write sheet…")
        for button, act in ((self.read, read), (self.write, write)):
            button.clicked.connect(lambda _, act=act: act())
            row.addWidget(button)
        row.addStretch(1)
        layout.addLayout(row)

    def show_sheet(self, owner: str, sheet: TimingSheet | None) -> None:
        """Show the sheet of a device; nothing where there is no case."""
        self.setVisible(sheet is not None)
        if sheet is None:
            return
        self.owner.setText(owner)
        for key, field in self.fields.items():
            value = getattr(sheet, key)
            if isinstance(field, QuantityField):
                field.show_quantity(value)
            elif isinstance(value, Quantity):
                field.show_text(as_shown(value, _DIMENSIONS[key]))
            else:
                field.show_text(value or "")
        tables = f"set-up {_size(sheet.setup_table)}, hold {_size(sheet.hold_table)}"
        self.tables.setText(f"Added for slews: {tables}.")

    def _put_free(self, key: str, dimension: str, typed: str) -> None:
        self._put(key, parse_quantity(typed, dimension) if typed else None)


_DIMENSIONS = {key: dimension for key, _, dimension, _ in _FREE}
