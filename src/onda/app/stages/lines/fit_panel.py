"""What to change to meet the target, or two targets at once."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.shell.fields import ChoiceBox, QuantityField, label
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.quantities import Quantity

__all__ = ["FitPanel"]

_ONE = (("width", "Width"), ("gap", "Gap"), ("height", "Height below"), ("Dk", "Dk below"))
_TWO = ("width gap", "Width and gap")


class FitPanel(QWidget):
    """A list of what may change, the common-mode target where two are met, a button, a note."""

    def __init__(self, look: Look, act: Callable[[], None]) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        line = QHBoxLayout()
        self.button = QPushButton("Fit to target")
        self.button.setObjectName("primary")
        self.button.clicked.connect(lambda: act())
        line.addWidget(self.button, 1)
        self.box = ChoiceBox(look, 118)
        self.box.setAccessibleName("What the fit changes")
        self.box.activated.connect(lambda _: self._show())
        line.addWidget(self.box)
        layout.addLayout(line)
        self.common: Quantity | None = None
        self.common_field = QuantityField("Common target", "resistance", self._put_common)
        layout.addWidget(self.common_field)
        self.note = label("", "error", wrap=True)
        layout.addWidget(self.note)
        self.note.hide()
        self.show_kind(pair=False, gap=False)

    def show_kind(self, *, pair: bool, gap: bool) -> None:
        """Offer what the line has; two targets at once for a pair with a gap."""
        items = [item for item in _ONE if item[0] != "gap" or gap]
        if pair and gap:
            items.append(_TWO)
        if [self.box.itemData(k) for k in range(self.box.count())] == [i[0] for i in items]:
            return
        before = self.box.currentData()
        self.box.clear()
        for key, words in items:
            self.box.addItem(words, key)
        self.box.setCurrentIndex(max(self.box.findData(before), 0))
        self._show()

    @property
    def unknowns(self) -> tuple[str, ...]:
        """What the fit may change."""
        return tuple(str(self.box.currentData()).split(" "))

    def _show(self) -> None:
        self.common_field.setVisible(self.box.currentData() == _TWO[0])

    def show_common(self, present: Quantity) -> None:
        """Offer the present common-mode impedance where no target was typed yet."""
        self.common_field.show_quantity(self.common or present)

    def _put_common(self, q: Quantity) -> None:
        if q.si <= 0:
            raise InputError("the target must be above 0")
        self.common = q

    def tell(self, message: str) -> None:
        """Say why the fit did not work, or nothing."""
        self.note.setText(message)
        self.note.setVisible(bool(message))
