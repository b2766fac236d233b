"""Why it rings: what each thing on the net changes at the receiver, one taken away at a time."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.selection import Selection
from onda.app.shell.fields import label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.project.quantities import format_si
from onda.studies.paths.why import WhyResult

__all__ = ["WhyView"]


class WhyView(QWidget):
    """A list of replacements and the waveform with and without."""

    def __init__(self, look: Look, selection: Selection) -> None:
        super().__init__()
        self._look, self._selection = look, selection
        self._result: WhyResult | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 8, 0)
        row.setSpacing(10)
        left = QVBoxLayout()
        self.sentence = label("", "", wrap=True)
        left.addWidget(self.sentence)
        self.list = Ledger(
            look,
            "Without one thing at a time",
            (
                Column("without", 0.46),
                Column("overshoot", 0.2, True),
                Column("changes it by", 0.22, True),
                Column("", 0.12),
            ),
        )
        left.addWidget(self.list, 1)
        row.addLayout(left, 6)
        self.plot = CurvePlot(look, Axis("Time", "ns"), Axis("Voltage", "V"))
        row.addWidget(self.plot, 5)
        self.list.hovered.connect(self._light)
        self.list.chosen.connect(self._light)

    def show_result(self, result: WhyResult) -> None:
        """Show a result."""
        self._result = result
        t = self._look.t
        most = max((abs(r.overshoot - result.overshoot) for r in result.found), default=0.0) or 1.0
        rows = []
        for k, r in enumerate(result.found):
            change = r.overshoot - result.overshoot
            cells = (
                r.what,
                format_si(r.overshoot, "voltage"),
                ("+" if change > 0 else "") + format_si(change, "voltage"),
                "",
            )
            ink = t.holds if change < -1e-3 else (t.fails if change > 1e-3 else t.secondary)
            rows.append(LedgerRow(str(k), cells, ((2, ink),), abs(change) / most))
        self.list.set_rows(rows)
        self._draw(0)

    def _light(self, key: str) -> None:
        if self._result is None:
            return
        at = int(key) if key else 0
        self._draw(at)
        self._selection.hover(self._result.found[at].element if key else "")

    def _draw(self, at: int) -> None:
        result = self._result
        if result is None or not result.found:
            return
        t = self._look.t
        chosen = result.found[at]
        self.sentence.setText(chosen.sentence)
        ns = result.time * 1e9
        curves = [
            Curve("as it is", ns, result.waveform, t.sea, 1.8, note=True),
            Curve(f"without {chosen.what}", ns, chosen.waveform, t.series[1], 1.8, note=True),
        ]
        self.plot.show_curves(curves, marks=[(chosen.at * 1e9, _at(result, chosen.at), t.tight)])


def _at(result: WhyResult, time: float) -> float:
    return float(np.interp(time, result.time, result.waveform))
