"""The page of a line class: the section on top, below it one of several views."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.kit.kept import Kept
from onda.app.kit.views import View, Views
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

_FIELDS = (
    ("lines", "Lines"),
    ("potential", "Potential"),
    ("charge", "Charge"),
    ("current", "Current"),
)
_SEVERAL = {"coupling", "together"}


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
        self.views = Views(
            (
                View("impedance", "Impedance", lambda: ImpedancePlots(look)),
                View("lengths", "R, L, G, C", lambda: PerLengthPlots(look)),
                View("layers", "Layers", lambda: self._layers_view(look)),
                View("spread", "Tolerance", lambda: SpreadView(look)),
                View("coupling", "Crosstalk", lambda: CouplingView(look)),
                View("together", "Modes", lambda: TogetherView(look)),
            ),
            "View",
        )
        self.fields = Chips(_FIELDS, "Field shown")
        row.addWidget(self.views.chips, 1)
        row.addWidget(self.fields)
        layout.addLayout(row)
        layout.addWidget(self.views.stack, 5)
        self.views.show_first()

    def _layers_view(self, look: Look) -> LayersView:
        made = LayersView(look)
        made.chosen.connect(self.layer_chosen)
        return made

    @property
    def impedance(self) -> ImpedancePlots:
        """Widths, impedance and loss."""
        return self.views.get("impedance", ImpedancePlots)

    @property
    def lengths(self) -> PerLengthPlots:
        """R, L, G and C."""
        return self.views.get("lengths", PerLengthPlots)

    @property
    def layers(self) -> LayersView:
        """The class over its layers."""
        return self.views.get("layers", LayersView)

    @property
    def spread(self) -> SpreadView:
        """The tolerance run."""
        return self.views.get("spread", SpreadView)

    @property
    def coupling(self) -> CouplingView:
        """Crosstalk."""
        return self.views.get("coupling", CouplingView)

    @property
    def together(self) -> TogetherView:
        """All modes."""
        return self.views.get("together", TogetherView)

    def show_result(self, result: ImpedanceResult, kept: Sequence[Kept[ImpedanceResult]]) -> None:
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
        for view in self.views.all_made:
            if isinstance(view, ImpedancePlots):
                view.clear()
            elif isinstance(view, PerLengthPlots):
                view.show_result(None, ())

    def show_several(self, several: bool) -> None:
        """Offer crosstalk and modes only where there is more than one line."""
        keys = {"impedance", "lengths", "layers", "spread"}
        self.views.show_only(keys | _SEVERAL if several else keys)
