"""The page of a line class: the section on top, below it one of several views."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from onda.app.shell.chips import Chips
from onda.app.stages.lines.coupling_view import CouplingView
from onda.app.stages.lines.layers_view import LayersView
from onda.app.stages.lines.plots import ImpedancePlots, PerLengthPlots
from onda.app.stages.lines.section_view import SectionView
from onda.app.stages.lines.spread_view import SpreadView
from onda.app.stages.lines.together_view import TogetherView
from onda.app.theme import Look

__all__ = ["ClassPage"]

_VIEWS = (
    ("impedance", "Impedance"),
    ("lengths", "R, L, G, C"),
    ("layers", "Layers"),
    ("spread", "Tolerance"),
    ("coupling", "Crosstalk"),
    ("together", "Modes"),
)
_FIELDS = (
    ("lines", "Lines"),
    ("potential", "Potential"),
    ("charge", "Charge"),
    ("current", "Current"),
)
_SEVERAL = {"coupling", "together"}


class ClassPage(QWidget):
    """Section, choice of the field shown, choice of the view below."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self.section = SectionView(look)
        layout.addWidget(self.section, 6)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        self.views = Chips(_VIEWS, "View")
        self.fields = Chips(_FIELDS, "Field shown")
        row.addWidget(self.views, 1)
        row.addWidget(self.fields)
        layout.addLayout(row)
        self.impedance = ImpedancePlots(look)
        self.lengths = PerLengthPlots(look)
        self.layers = LayersView(look)
        self.spread = SpreadView(look)
        self.coupling = CouplingView(look)
        self.together = TogetherView(look)
        self._stack = QStackedWidget()
        self._by_key: dict[str, QWidget] = {
            "impedance": self.impedance,
            "lengths": self.lengths,
            "layers": self.layers,
            "spread": self.spread,
            "coupling": self.coupling,
            "together": self.together,
        }
        for widget in self._by_key.values():
            self._stack.addWidget(widget)
        layout.addWidget(self._stack, 5)
        self.views.chosen.connect(lambda key: self._stack.setCurrentWidget(self._by_key[key]))

    def show_several(self, several: bool) -> None:
        """Offer crosstalk and modes only where there is more than one line."""
        keys = set(self._by_key)
        self.views.show_only(keys if several else keys - _SEVERAL)
