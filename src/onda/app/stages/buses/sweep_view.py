"""The chosen case's margins against one quantity, in all corners."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Curve, CurvePlot, Limit
from onda.app.shell.chips import Chips
from onda.app.shell.fields import label
from onda.app.theme import Look
from onda.project.shown_units import units_in_use
from onda.studies.buses.sweep import BUS_SWEEPS, BusSweep

__all__ = ["SweepView", "sweep_words"]

_CHIPS = {"strobe": "Strobe", "data": "Signal", "both": "Both lines", "speed": "Rate"}


def _scale(over: str) -> tuple[float, str]:
    """What one is on the axis in SI, and the unit."""
    if BUS_SWEEPS[over].dimension == "length":
        return units_in_use().long_length
    return 0.01, "%"


def _shown(over: str, value: float) -> str:
    size, unit = _scale(over)
    sign = "+" if unit != "%" and value > 0.0 else ""
    return f"{sign}{value / size:.4g} {unit}".replace("-", "\u2212")


def sweep_words(found: BusSweep | None, why_not: str) -> str:
    """From where to where both margins hold around the present value."""
    if found is None:
        return why_not or "Working out the margins at every value…"
    about = BUS_SWEEPS[found.over]
    holds = found.holds
    if not holds.any():
        failed = next((why for why in found.why if why), "")
        return f"{about.title}: no value holds{f' ({failed})' if failed else ''}."
    # The stretch that is nearest to how it is now.
    k = min(np.flatnonzero(holds), key=lambda n: abs(found.values[n] - about.now))
    first = last = int(k)
    while first > 0 and holds[first - 1]:
        first -= 1
    while last + 1 < len(holds) and holds[last + 1]:
        last += 1
    values = [float(found.values[n]) for n in (first, last)]
    if first == last:
        return f"{about.title}: of these values {_shown(found.over, values[0])} alone holds."
    ends = " to ".join(_shown(found.over, v) for v in values)
    return f"{about.title}: every case holds from {ends}."


class SweepView(QWidget):
    """Margins and height over it; `turned()` is called where another quantity is wanted."""

    def __init__(self, look: Look, turned: Callable[[], None]) -> None:
        super().__init__()
        self._look = look
        self.found: BusSweep | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        row = QHBoxLayout()
        self.over = Chips(list(_CHIPS.items()), "Over")
        self.over.chosen.connect(lambda _: turned())
        self.sentence = label("", "secondary", wrap=True)
        row.addWidget(self.over)
        row.addWidget(self.sentence, 1)
        layout.addLayout(row)
        plots = QHBoxLayout()
        self.margins = CurvePlot(look, Axis("Value"), Axis("Least margin", "ps"))
        self.heights = CurvePlot(look, Axis("Value"), Axis("Eye height", "mV"))
        plots.addWidget(self.margins, 1)
        plots.addWidget(self.heights, 1)
        layout.addLayout(plots, 1)

    def show_sweep(self, found: BusSweep | None, why_not: str) -> None:
        """Show a sweep; why there is none where there is none."""
        self.found = found
        self.sentence.setText(sweep_words(found, why_not))
        plots = (self.margins, self.heights)
        if found is None:
            for plot in plots:
                plot.show_curves([], empty=why_not or " ")
            return
        about = BUS_SWEEPS[found.over]
        size, unit = _scale(found.over)
        for plot in plots:
            plot.show_x(Axis(about.title.partition(",")[0], unit))
        t, x = self._look.t, found.values / size
        failed = next((why for why in found.why if why), "")
        self.margins.show_curves(
            [
                Curve("set-up", x, 1e12 * found.setup, t.sea, 1.6, note=True),
                Curve("hold", x, 1e12 * found.hold, t.copper, 1.6, note=True),
            ],
            [Limit(0.0, "0 ps")],
            empty=failed or "No value has an answer.",
        )
        self.heights.show_curves(
            [Curve("height", x, 1e3 * found.height, t.sea, 1.6)],
            empty=failed or "No value has an answer.",
        )
