"""Why it rings: what each thing on the net changes at the receiver, one taken away at a time."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.selection import Selection
from onda.app.shell.fields import label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.project.measures import measure
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
        self.head = label("", "", wrap=True)
        left.addWidget(self.head)
        self.sentence = label("", "secondary", wrap=True)
        left.addWidget(self.sentence)
        self.list = Ledger(
            look,
            "Without one thing at a time",
            (
                Column("without", 0.46),
                Column("it is", 0.2, True),
                Column("better by", 0.22, True),
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
        what = measure(result.measure)
        gains = [r.gain for r in result.found if math.isfinite(r.gain)]
        most = max(gains, default=0.0) or 1.0
        rows = []
        for k, r in enumerate(result.found):
            better = format_si(r.gain, what.dimension) if math.isfinite(r.gain) else "at all"
            cells = (r.what, format_si(r.value, what.dimension), better, "")
            share = min(r.gain / most, 1.0)
            rows.append(LedgerRow(str(k), cells, ((2, t.holds),), share))
        self.list.set_rows(rows)
        now = f"{what.title} at {result.receiver}: {format_si(result.value, what.dimension)}."
        if not result.found:
            now += " Nothing on the net can be taken away that would better it."
        elif result.others:
            names = ", ".join(r.what for r in result.others)
            now += f" Without one of these it is no better: {names}."
        self.head.setText(now)
        self.sentence.setText("")
        self._draw(0)

    def _light(self, key: str) -> None:
        if self._result is None:
            return
        at = int(key) if key else 0
        self._draw(at)
        self._selection.hover(self._result.found[at].element if key else "")

    def _draw(self, at: int) -> None:
        result = self._result
        if result is None:
            return
        if not result.found:
            as_is = Curve("as it is", result.time * 1e9, result.waveform, self._look.t.sea, 1.8)
            self.plot.show_curves([as_is])
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
