"""The page of a line class: the section on top, below it one of several views."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import cast

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from onda.app.shell.chips import Chips
from onda.app.stages.lines.coupling_view import CouplingView
from onda.app.stages.lines.layers_view import LayerRow, LayersView
from onda.app.stages.lines.plots import ImpedancePlots, PerLengthPlots
from onda.app.stages.lines.section_view import SectionView
from onda.app.stages.lines.spread_view import SpreadView
from onda.app.stages.lines.together_view import TogetherView
from onda.app.theme import Look
from onda.studies.lines.impedance import ImpedanceResult

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
_MAKERS: dict[str, Callable[[Look], QWidget]] = {
    "impedance": ImpedancePlots,
    "lengths": PerLengthPlots,
    "layers": LayersView,
    "spread": SpreadView,
    "coupling": CouplingView,
    "together": TogetherView,
}


class ClassPage(QWidget):
    """Section, choice of the field shown, choice of the view below.

    Signals
    -------
    layer_chosen(layer)
    """

    layer_chosen = pyqtSignal(str)

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
        self._look = look
        self._stack = QStackedWidget()
        self._made: dict[str, QWidget] = {}
        layout.addWidget(self._stack, 5)
        self.views.chosen.connect(lambda key: self._stack.setCurrentWidget(self._view(key)))
        self._stack.setCurrentWidget(self.impedance)

    def _view(self, key: str) -> QWidget:
        """A view, made when it is first looked at: plots take their time to build."""
        if key not in self._made:
            made = self._made[key] = _MAKERS[key](self._look)
            self._stack.addWidget(made)
            if isinstance(made, LayersView):
                made.chosen.connect(self.layer_chosen)
        return self._made[key]

    @property
    def impedance(self) -> ImpedancePlots:
        """Widths, impedance and loss."""
        return cast(ImpedancePlots, self._view("impedance"))

    @property
    def lengths(self) -> PerLengthPlots:
        """R, L, G and C."""
        return cast(PerLengthPlots, self._view("lengths"))

    @property
    def layers(self) -> LayersView:
        """The class over its layers."""
        return cast(LayersView, self._view("layers"))

    @property
    def spread(self) -> SpreadView:
        """The tolerance run."""
        return cast(SpreadView, self._view("spread"))

    @property
    def coupling(self) -> CouplingView:
        """Crosstalk."""
        return cast(CouplingView, self._view("coupling"))

    @property
    def together(self) -> TogetherView:
        """All modes."""
        return cast(TogetherView, self._view("together"))

    def show_result(self, result: ImpedanceResult, kept: Sequence[ImpedanceResult]) -> None:
        """Show a result in the view that is looked at; the others follow when they are chosen."""
        current = self.views.current
        if current == "impedance":
            self.impedance.show_result(result, kept)
        elif current == "lengths":
            self.lengths.show_result(result, kept)
        elif current == "coupling":
            self.coupling.show_lines(result.together)
        elif current == "together":
            self.together.show_lines(result.together)

    def show_layers(self, rows: list[LayerRow], current: str) -> None:
        """Show the class over its layers, where that is looked at."""
        if self.views.current == "layers":
            self.layers.show_rows(rows, current)

    def clear(self) -> None:
        """Show that there is no result."""
        for view in self._made.values():
            if isinstance(view, ImpedancePlots):
                view.clear()
            elif isinstance(view, PerLengthPlots):
                view.show_result(None, ())

    def show_several(self, several: bool) -> None:
        """Offer crosstalk and modes only where there is more than one line."""
        keys = set(_MAKERS)
        self.views.show_only(keys if several else keys - _SEVERAL)
