"""The chosen case: its data around every strobe edge, and what is asked of it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Curve, CurvePlot, Limit
from onda.app.shell.fields import label
from onda.app.theme import Look
from onda.studies.buses.bus import BusCase
from onda.studies.buses.seen import CaseSeen

__all__ = ["CaseView"]


class CaseView(QWidget):
    """An eye relative to the strobe beside the waveforms."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        self.why = label("", "secondary", wrap=True)
        layout.addWidget(self.why)
        row = QHBoxLayout()
        self.eye = CurvePlot(look, Axis("From the strobe", "ps"), Axis("Data", "mV"))
        self.waves = CurvePlot(look, Axis("Time", "ns"), Axis("Voltage", "mV"))
        row.addWidget(self.eye, 1)
        row.addWidget(self.waves, 1)
        layout.addLayout(row, 1)

    def show_case(self, case: BusCase | None, seen: CaseSeen | None, why_not: str = "") -> None:
        """Show a case; `seen` is None while it is worked out."""
        if case is None or seen is None:
            self.why.setText(why_not)
            for plot in (self.eye, self.waves):
                plot.show_curves([], empty=why_not or " ")
            return
        t, found = self._look.t, case.found
        why = found.why or "nothing takes much of this case"
        self.why.setText(f"{why[:1].upper()}{why[1:]}.")
        gap = np.full((len(seen.traces), 1), np.nan)
        x = 1e12 * seen.time
        across = np.concatenate([np.broadcast_to(x, seen.traces.shape), gap], axis=1).ravel()
        up = 1e3 * np.concatenate([seen.traces, gap], axis=1).ravel()
        asked = _asked(seen)
        curves = [
            Curve("data", across, up, t.sea, 1.0, many=True),
            Curve("asked", asked[0], asked[1], t.fails, 1.6, many=True),
        ]
        limits = [Limit(1e3 * seen.level, "level")]
        self.eye.show_curves(curves, limits)
        ns = 1e9 * seen.whole_time
        self.waves.show_curves(
            [
                Curve("data", ns, 1e3 * seen.whole_data, t.sea, 1.4),
                Curve("strobe", ns, 1e3 * seen.whole_strobe, t.copper, 1.2),
            ]
        )


def _asked(seen: CaseSeen) -> tuple[np.ndarray, np.ndarray]:
    """What data must keep clear of: from set-up to hold, to the ac and dc levels; ps and mV."""
    x = 1e12 * np.array([-seen.setup, 0.0, seen.hold])
    up = 1e3 * np.array([seen.level + seen.ac, seen.level + seen.ac, seen.level + seen.dc])
    down = 2e3 * seen.level - up
    return np.concatenate([x, x[::-1], x[:1]]), np.concatenate([up, down[::-1], up[:1]])
