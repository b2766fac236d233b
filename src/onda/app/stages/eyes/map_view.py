"""The figure of merit over two settings: what is chosen, what would be best, how flat it is."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QRectF
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from onda.app.plots.colors import density_scale
from onda.app.plots.contours import contours
from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.shell.chips import Chips
from onda.app.shell.fields import label
from onda.app.theme import Look
from onda.studies.links.merit_map import SETTINGS, LinkMap

__all__ = ["MAPS", "MapView", "map_words"]

MAPS = {
    "taps": ("Transmit taps", "behind", "before"),
    "behind-gain": ("Tap behind and gain", "behind", "gain"),
    "before-gain": ("Tap before and gain", "before", "gain"),
}
"""Pairs of settings: what they are called, what lies across and what up."""
_DOWN = (1.0, 3.0)
"""dB below the best, where lines are drawn."""
_DEEP = 12.0
"""dB below the best from where on all looks alike."""


def map_words(found: LinkMap | None, why_not: str) -> str:
    """What is chosen, what would be best, and how flat it is."""
    if found is None:
        return why_not or "Trying every setting\u2026"
    titles = (SETTINGS[name][0].removesuffix(", dB") for name in (found.across, found.up))
    a, b = (f"{title[:1].lower()}{title[1:]}" for title in titles)
    more = found.best[2] - found.chosen[2]
    at = f"{a} {found.best[0]:.3g}, {b} {found.best[1]:.3g}".replace("-", "\u2212")
    best = "no setting here is better"
    if more > 0.05:
        best = f"{found.best[2]:.1f} dB at most, at {at}"
    return (
        f"Signal over all else {found.chosen[2]:.1f} dB as it is set; {best}. A step to any side "
        f"costs {found.falls:.1f} dB or less."
    )


class MapView(QWidget):
    """A map with its lines; `taken(values)` takes the best setting, `turned()` asks for another
    pair."""

    def __init__(
        self, look: Look, taken: Callable[[dict[str, float]], None], turned: Callable[[], None]
    ) -> None:
        super().__init__()
        self._look = look
        self._found: LinkMap | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 0)
        row = QHBoxLayout()
        self.pairs = Chips([(key, words) for key, (words, _, _) in MAPS.items()], "Settings")
        self.pairs.chosen.connect(lambda _: turned())
        self.take = QPushButton("Take the best")
        self.take.clicked.connect(lambda: self._take(taken))
        row.addWidget(self.pairs, 1)
        row.addWidget(self.take)
        layout.addLayout(row)
        self.sentence = label("", "heading", wrap=True)
        layout.addWidget(self.sentence)
        self.plot = CurvePlot(look, Axis("Tap behind"), Axis("Tap before"))
        self.image = pg.ImageItem(axisOrder="row-major")
        self.image.setZValue(-50)
        self.plot.plot.addItem(self.image)
        layout.addWidget(self.plot, 1)
        look.changed.connect(lambda: self.show_map(self._found, ""))

    @property
    def pair(self) -> tuple[str, str]:
        """What lies across and what up."""
        _, across, up = MAPS[self.pairs.current]
        return across, up

    def _take(self, taken: Callable[[dict[str, float]], None]) -> None:
        if self._found is not None:
            taken({self._found.across: self._found.best[0], self._found.up: self._found.best[1]})

    def show_map(self, found: LinkMap | None, why_not: str) -> None:
        """Show a map; why there is none where there is none."""
        self._found = found
        self.sentence.setText(map_words(found, why_not))
        self.take.setEnabled(found is not None and found.best[2] > found.chosen[2] + 0.05)
        self.image.setVisible(found is not None)
        if found is None:
            self.plot.show_curves([], empty=why_not or " ")
            return
        t = self._look.t
        x, y, best = found.across_values, found.up_values, found.best[2]
        self.plot.show_x(Axis(SETTINGS[found.across][0]))
        self.plot.show_y(Axis(SETTINGS[found.up][0]))
        strength = np.clip(1.0 + (found.merit_db - best) / _DEEP, 0.0, 1.0)
        self.image.setLookupTable(density_scale(t)[:200])
        self.image.setImage(strength, levels=(0.0, 1.0))
        dx, dy = float(x[1] - x[0]), float(y[1] - y[0])
        left, low = float(x[0]) - 0.5 * dx, float(y[0]) - 0.5 * dy
        self.image.setRect(QRectF(left, low, dx * len(x), dy * len(y)))
        curves = []
        for down, width in zip(_DOWN, (1.8, 1.0), strict=True):
            points: list[np.ndarray] = []
            for line in contours(_square(found.merit_db), best - down):
                share = np.asarray(line, dtype=float) / (_FINE - 1)
                points += [
                    np.stack([x[0] + share[:, 1] * np.ptp(x), y[0] + share[:, 0] * np.ptp(y)]),
                    np.full((2, 1), np.nan),
                ]
            if points:
                both = np.concatenate(points, axis=1)
                name = f"{down:g} dB below the best"
                curves.append(Curve(name, both[0], both[1], t.copper_edge, width, many=True))
        if not curves:
            point = [np.array([value]) for value in found.best[:2]]
            curves.append(Curve("best", point[0], point[1], t.ink))
        view = (left, float(x[-1]) + 0.5 * dx, low, float(y[-1]) + 0.5 * dy)
        marks = [(*found.best[:2], t.copper), (*found.chosen[:2], t.kept)]
        self.plot.show_curves(curves, view=view, marks=marks)


_FINE = 81


def _square(field: np.ndarray) -> np.ndarray:
    """The field on as many rows as columns, straight between its own points."""
    rows, columns = field.shape
    at, to = np.linspace(0, columns - 1, _FINE), np.linspace(0, rows - 1, _FINE)
    wide = np.stack([np.interp(at, np.arange(columns), row) for row in field])
    return np.stack([np.interp(to, np.arange(rows), column) for column in wide.T], axis=1)
