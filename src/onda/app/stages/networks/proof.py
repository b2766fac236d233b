"""What the order of ports does: through, near end and far end, plainly wrong when it is wrong."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.shell.fields import label
from onda.app.theme import Look
from onda.studies.networks.network import NetworkResult, level_db

__all__ = ["Proof"]

_LOW = -70.0


class Proof(QWidget):
    """Three small plots and a verdict.

    Signals
    -------
    order_wanted(order) : the order that the response near DC speaks for was asked for
    """

    order_wanted = pyqtSignal(tuple)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._better: tuple[int, ...] = ()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.plots: dict[str, CurvePlot] = {}
        for key, words in (("through", "Through"), ("near", "Near end"), ("far", "Far end")):
            column = QVBoxLayout()
            column.setSpacing(0)
            plot = CurvePlot(look, Axis("Frequency", "GHz"), Axis(words, "dB"), axis_width=30)
            plot.setMinimumWidth(96)
            column.addWidget(plot, 1)
            row.addLayout(column, 1)
            self.plots[key] = plot
        layout.addLayout(row, 1)
        line = QHBoxLayout()
        self.verdict = label("", "", wrap=True)
        line.addWidget(self.verdict, 1)
        self.button = QPushButton("Put in order")
        self.button.clicked.connect(lambda: self.order_wanted.emit(self._better))
        self.button.hide()
        line.addWidget(self.button)
        layout.addLayout(line)

    def show_result(self, result: NetworkResult, *, is_file: bool) -> None:
        """Show what plain ports do in the present order."""
        t = self._look.t
        ports = len(result.ports)
        half = ports // 2
        ghz = result.frequency / 1e9
        step = max(1, len(ghz) // 400)
        some = slice(None, None, step)
        near = 1 if half > 1 else 0
        sets: dict[str, list[tuple[str, int, int, str]]] = {
            "through": [
                (f"{result.ports[half + k]} from {result.ports[k]}", half + k, k, t.series[k])
                for k in range(min(half, 2))
            ],
            "near": [(f"{result.ports[near]} from {result.ports[0]}", near, 0, t.series[2])],
            "far": [(f"{result.ports[half + 1]} from {result.ports[0]}", half + 1, 0, t.series[3])]
            if half > 1
            else [],
        }
        self.plots["near"].show_y(Axis("Near end" if half > 1 else "Return", "dB"))
        for key, plot in self.plots.items():
            curves = [
                Curve(name, ghz[some], np.maximum(level_db(result.s[some, i, j]), _LOW), color, 1.4)
                for name, i, j, color in sets[key]
            ]
            plot.show_curves(curves, view=(0.0, float(ghz[-1]), _LOW, 5.0))
        self._tell(result, is_file)

    def clear(self) -> None:
        """There is no result of the network in view."""
        for plot in self.plots.values():
            plot.show_curves([])
        self.verdict.setText("")
        self.button.hide()

    def _tell(self, result: NetworkResult, is_file: bool) -> None:
        t = self._look.t
        self._better = result.better_order
        if self._better:
            half = len(self._better) // 2
            pairs = ", ".join(
                f"{a} to {b}" for a, b in zip(self._better[:half], self._better[half:], strict=True)
            )
            words = f"The order looks wrong: near DC the way through is {pairs}."
            if not is_file:
                words = f"Wires look crossed: near DC the way through is {pairs}."
            self.verdict.setText(f'<span style="color:{t.fails}">{words}</span>')
        elif len(result.ports) > 1:
            self.verdict.setText("The way through is where the order says.")
        else:
            self.verdict.setText("One port: nothing comes through.")
        self.button.setVisible(bool(self._better) and is_file)
