"""What a bus is made of: lists of its signals, operations and devices, the chosen one's fields."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.kit.surface import scrolled
from onda.app.shell.chips import Chips
from onda.app.shell.choices import Choices, ChoiceSpec
from onda.app.shell.fields import TextField
from onda.app.shell.ledger import Ledger
from onda.app.stages.buses.parts import PARTS, PartField, Parts
from onda.app.theme import Look
from onda.project.buses.bus import Bus
from onda.project.model import Design

__all__ = ["PartsView"]

Put = Callable[[str, Callable[[], Bus]], bool]
"""Make a bus the present one, as an undo step of that label; whether it was taken."""
_FORM = 300
"""Pixels of the fields."""


class PartsView(QWidget):
    """Lists and fields; `put` is told every change, and `enter` one that may be refused in its
    place."""

    def __init__(self, look: Look, put: Put, enter: Callable[[str, Bus], None]) -> None:
        super().__init__()
        self._put, self._enter = put, enter
        self._design: Design | None = None
        self._bus: Bus | None = None
        self._fields: list[PartField] = []
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 0)
        layout.setSpacing(16)
        left, right = QVBoxLayout(), QVBoxLayout()
        head = QHBoxLayout()
        self.chips = Chips([(p.key, p.title) for p in PARTS.values()], "Parts of the bus")
        self.chips.chosen.connect(lambda _: self._show())
        head.addWidget(self.chips, 1)
        self.add, self.remove = QPushButton("Add"), QPushButton("Remove")
        self.add.clicked.connect(lambda _: self._add())
        self.remove.clicked.connect(lambda _: self._remove())
        for button in (self.add, self.remove):
            head.addWidget(button)
        left.addLayout(head)
        self.list = Ledger(look, "Parts of the bus", ())
        self.list.chosen.connect(self._choose)
        left.addWidget(self.list, 1)
        inner = QWidget()
        self._form = QVBoxLayout(inner)
        self._form.setContentsMargins(0, 0, 6, 0)
        self._form.setSpacing(2)
        self.texts: dict[str, TextField] = {}
        self.choices = Choices(look)
        self._form.addWidget(self.choices)
        self._form.addStretch(1)
        room = scrolled(inner)
        room.setFixedWidth(_FORM)
        right.addWidget(room, 1)
        layout.addLayout(left, 1)
        layout.addLayout(right)
        self._of = ""
        self._chosen: dict[str, str] = {}

    @property
    def kind(self) -> Parts:
        """The kind that is listed."""
        return PARTS[self.chips.current]

    @property
    def current(self) -> str:
        """Id of the chosen part, empty for none."""
        return self._chosen.get(self.kind.key, "")

    def show_bus(self, design: Design, bus: Bus) -> None:
        """Show a bus of a design."""
        self._design, self._bus = design, bus
        self._show()

    def _show(self) -> None:
        bus, design, kind = self._bus, self._design, self.kind
        if bus is None or design is None:
            return
        rows = kind.rows(bus)
        self.list.set_columns(kind.columns)
        self.list.set_rows(rows)
        if all(row.id != self.current for row in rows):
            self._chosen[kind.key] = rows[0].id
        self.list.current = self.current
        self.add.setToolTip(f"One {kind.one} more, like the chosen one")
        self._show_fields(kind.fields(design, bus, self.current))

    def _show_fields(self, fields: list[PartField]) -> None:
        self._fields = fields
        typed = [f for f in fields if not f.options]
        of = f"{self.kind.key}/{self.current}"
        if of != self._of or [f.title for f in typed] != list(self.texts):
            # What stands half typed in a field belongs to the part that it was typed for.
            self._of = of
            self._make_texts(typed)
        for field in typed:
            self.texts[field.title].show_text(field.value)
        self.choices.set_specs(
            [
                ChoiceSpec(f.title, f.options, f.value, partial(self._choose_option, f.title))
                for f in fields
                if f.options
            ]
        )

    def _make_texts(self, typed: list[PartField]) -> None:
        for old in self.texts.values():
            self._form.removeWidget(old)
            old.hide()
            old.deleteLater()
        self.texts = {}
        for place, field in enumerate(typed):
            made = TextField(field.title, partial(self._type, self._of, field.title), width=142)
            made.edit.setPlaceholderText(field.empty)
            self._form.insertWidget(place, made)
            self.texts[field.title] = made

    # ---- what is done

    def _label(self, title: str) -> str:
        return f"Change {title.lower()} of {self.kind.one}"

    def _field(self, title: str) -> PartField:
        return next(f for f in self._fields if f.title == title)

    def _type(self, of: str, title: str, typed: str) -> None:
        if of != self._of:
            # A field of another part, left on its way out.
            return
        # What is refused is told below the field.
        self._enter(self._label(title), self._field(title).change(typed))

    def _choose_option(self, title: str, key: str) -> None:
        if not self._put(self._label(title), lambda: self._field(title).change(key)):
            self._show()

    def _choose(self, identifier: str) -> None:
        if identifier:
            self._chosen[self.kind.key] = identifier
            self._show()
            self.list.update()

    def _add(self) -> None:
        kind, bus, design = self.kind, self._bus, self._design
        if bus is None or design is None:
            return
        made: list[str] = []

        def more() -> Bus:
            new, identifier = kind.add(design, bus, self.current)
            made.append(identifier)
            return new

        if self._put(f"Add {kind.one}", more):
            self._choose(made[0])

    def _remove(self) -> None:
        kind, bus = self.kind, self._bus
        if bus is not None:
            self._put(f"Remove {kind.one}", lambda: kind.remove(bus, self.current))
