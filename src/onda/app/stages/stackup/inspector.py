"""The chosen layer, via span or zone: its values, and what can be done with it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.kit.context import Context
from onda.app.shell.fields import ChoiceBox, Heading, NumberRows, QuantityField, TextField, label
from onda.app.shell.form import Form

__all__ = ["SPREAD_FIELDS", "StackupInspector"]

SPREAD_FIELDS: tuple[tuple[str, str, str], ...] = (
    ("Width", "length", "width"),
    ("Dielectric", "ratio", "dielectric"),
    ("Dk", "ratio", "dk"),
    ("Copper", "length", "copper"),
    ("Mask", "length", "coating"),
    ("Copper with width", "ratio", "copper_with_width"),
    ("Heights together", "ratio", "heights_together"),
)


class NamedList(QWidget):
    """A named list to choose from."""

    def __init__(self, context: Context, title: str, act: Callable[[str], None]) -> None:
        super().__init__()
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 2, 0, 2)
        self.title = label(title)
        line.addWidget(self.title, 1)
        self.box = ChoiceBox(context.look)
        self.box.setAccessibleName(title)
        self.box.activated.connect(lambda _: act(str(self.box.currentData())))
        line.addWidget(self.box)

    def show_items(self, items: list[tuple[str, str]], current: str) -> None:
        """Show (value, words) with one chosen."""
        self.box.blockSignals(True)
        self.box.clear()
        for value, words in items:
            self.box.addItem(words, value)
        index = self.box.findData(current)
        self.box.setCurrentIndex(index)
        self.box.blockSignals(False)


def _line(buttons: list[QPushButton]) -> QWidget:
    holder = QWidget()
    line = QHBoxLayout(holder)
    line.setContentsMargins(0, 2, 0, 2)
    line.setSpacing(4)
    for b in buttons:
        line.addWidget(b)
    line.addStretch(1)
    return holder


class StackupInspector(QWidget):
    """Inspector of the Stackup stage; `act` holds what its buttons and lists do, by name."""

    def __init__(self, context: Context, act: dict[str, Callable[..., Any]]) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(2)
        self.title = label("", "title")
        self.what = label("", "secondary", wrap=True)
        layout.addWidget(self.title)
        layout.addWidget(self.what)
        self.first = NamedList(context, "Role", act["first"])
        self.second = NamedList(context, "Foil", act["second"])
        layout.addWidget(self.first)
        layout.addWidget(self.second)
        self.form = Form(context.look, context.document)
        layout.addWidget(self.form)
        self.dk = TextField("Dk", act["dk"], width=96)
        self.df = TextField("Df", act["df"], width=96)
        self.at = QuantityField("Given at", "frequency", act["at"])
        for made_field in (self.dk, self.df, self.at):
            layout.addWidget(made_field)
        self.note = label("", "secondary", wrap=True)
        layout.addWidget(self.note)
        self.buttons = {
            name: self._button(words, act[name])
            for name, words in (
                ("copper", "Copper"),
                ("dielectric", "Dielectric"),
                ("coating", "Coating"),
                ("copy", "Copy"),
                ("split", "Split"),
                ("remove", "Remove"),
            )
        }
        self.add_heading = Heading("Add below")
        layout.addWidget(self.add_heading)
        self.adding = _line([self.buttons[n] for n in ("copper", "dielectric", "coating")])
        layout.addWidget(self.adding)
        self.doing = _line([self.buttons[n] for n in ("copy", "split", "remove")])
        layout.addWidget(self.doing)
        self.zone_heading = Heading("Zone")
        layout.addWidget(self.zone_heading)
        self.in_zone = QCheckBox("This layer is in it")
        self.in_zone.clicked.connect(act["in_zone"])
        self.carries = QCheckBox("It carries traces there")
        self.carries.clicked.connect(act["carries"])
        layout.addWidget(self.in_zone)
        layout.addWidget(self.carries)
        self.zone_kind = NamedList(context, "Kind", act["zone_kind"])
        layout.addWidget(self.zone_kind)
        self.bend = QuantityField("Bend radius", "length", act["bend"])
        layout.addWidget(self.bend)
        self.bends = NamedList(context, "Bent", act["bends"])
        layout.addWidget(self.bends)
        layout.addWidget(Heading("Whole build"))
        self.numbers = NumberRows(context.look)
        layout.addWidget(self.numbers)
        self.total = QuantityField("Target thickness", "length", act["total"])
        layout.addWidget(self.total)
        self.temperature = QuantityField("Temperature", "temperature", act["temperature"])
        layout.addWidget(self.temperature)
        self.roughness = NamedList(context, "Roughness by", act["roughness"])
        layout.addWidget(self.roughness)
        layout.addWidget(Heading("Fabricator's spread", "either way"))
        self.spread = [
            QuantityField(title, dimension, act["spread"](key))
            for title, dimension, key in SPREAD_FIELDS
        ]
        for made in self.spread:
            layout.addWidget(made)
        layout.addWidget(Heading("Fabricator's limits", "copper: width / gap"))
        self.limits = [TextField(f"Etch {k + 1}", act["limit"](k), width=150) for k in range(3)]
        for made_limit in self.limits:
            layout.addWidget(made_limit)
        self.steps = [TextField(f"Price {k + 1}", act["step"](k), width=150) for k in range(3)]
        for made_step in self.steps:
            layout.addWidget(made_step)
        layout.addStretch(1)

    @staticmethod
    def _button(words: str, act: Callable[[], None]) -> QPushButton:
        button = QPushButton(words)
        button.clicked.connect(lambda: act())
        return button
