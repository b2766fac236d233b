"""A link's eye against one quantity: heights and widths over it, and the eye at one value."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QSplitter, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Curve, CurvePlot, Limit
from onda.app.shell.chips import Chips
from onda.app.shell.fields import label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.stages.eyes.rate_eye import RateEye, reach_of
from onda.app.theme import Look
from onda.project.quantities import fixed, format_si
from onda.studies.links.inputs import Mask
from onda.studies.links.link import LinkEye
from onda.studies.links.sweep import SWEEPS, LinkSweep

__all__ = ["SweepView", "sweep_words"]

_CHIPS = {
    "loss": "Line loss", "speed": "Rate", "random": "Random jitter", "bounded": "Bounded",
    "sine": "Sine", "noise": "Noise",
}  # fmt: skip
_ANEW = (("anew", "settings found anew"), ("kept", "settings as they are"))


def _value(over: str, value: float) -> str:
    if over == "loss":
        return f"+{value:g} dB"
    if over == "speed":
        return f"{100.0 * value:g} %"
    return format_si(value, SWEEPS[over].dimension, digits=3)


def sweep_words(found: LinkSweep | None, why_not: str) -> str:
    """Until where the eye is open."""
    if found is None:
        return why_not or "Working out the eye at every value…"
    is_open = found.is_open
    name = SWEEPS[found.over].title.split(",")[0]
    if is_open.all():
        last = _value(found.over, float(found.values[-1]))
        return f"{name}: the eye is open at every value up to {last}."
    if not is_open.any():
        return f"{name}: the eye is open nowhere."
    k = int(np.flatnonzero(is_open)[-1])
    return f"{name}: the eye is open up to {_value(found.over, float(found.values[k]))}."


class SweepView(QWidget):
    """Curves, a list of the values, and the eye at the chosen one.

    `turned()` is called where another sweep is wanted, `looked(value)` where the eye at a value is.
    """

    def __init__(
        self, look: Look, turned: Callable[[], None], looked: Callable[[float], None]
    ) -> None:
        super().__init__()
        self._look, self._looked = look, looked
        self.found: LinkSweep | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 0)
        row = QHBoxLayout()
        self.over = Chips(list(_CHIPS.items()), "Over")
        self.settings = Chips(list(_ANEW), "Settings")
        for chips in (self.over, self.settings):
            chips.chosen.connect(lambda _: turned())
            row.addWidget(chips)
        row.addStretch(1)
        layout.addLayout(row)
        self.sentence = label("", "heading", wrap=True)
        layout.addWidget(self.sentence)
        halves = QSplitter()
        left, right = QWidget(), QWidget()
        curves, beside = QVBoxLayout(left), QVBoxLayout(right)
        for box in (curves, beside):
            box.setContentsMargins(0, 0, 4, 0)
        self.heights = CurvePlot(look, Axis("Value"), Axis("Height", "mV"))
        self.widths = CurvePlot(look, Axis("Value"), Axis("Width", "UI"))
        for title, plot in (("Height", self.heights), ("Width", self.widths)):
            curves.addWidget(label(title, "heading"))
            curves.addWidget(plot, 1)
        columns = (
            Column("value", 0.26), Column("loss", 0.22, True), Column("height", 0.26, True),
            Column("width", 0.26, True),
        )  # fmt: skip
        self.list = Ledger(look, "Values", columns)
        self.list.chosen.connect(lambda key: self.look_at(int(key)))
        beside.addWidget(self.list, 3)
        pair = QHBoxLayout()
        self.eye = RateEye(look)
        self.response = CurvePlot(look, Axis("Frequency", "GHz"), Axis("Level", "dB"))
        pair.addWidget(self.eye, 1)
        pair.addWidget(self.response, 1)
        beside.addLayout(pair, 4)
        halves.addWidget(left)
        halves.addWidget(right)
        halves.setSizes([480, 620])
        layout.addWidget(halves, 1)
        self.chosen = -1

    @property
    def anew(self) -> bool:
        """Whether the best settings are found at each value."""
        return self.settings.current == "anew"

    def look_at(self, index: int) -> None:
        """Look at the eye at a value."""
        if self.found is None or not 0 <= index < len(self.found.values):
            return
        self.chosen = index
        self._show_list(self.found)
        self._draw(self.found)
        self._looked(float(self.found.values[index]))

    def show_sweep(self, found: LinkSweep | None, why_not: str) -> None:
        """Show a sweep; why there is none where there is none."""
        self.found = found
        self.sentence.setText(sweep_words(found, why_not))
        self.eye.setVisible(False)
        self.response.show_curves([], empty=" ")
        if found is None:
            self.list.set_rows([])
            for plot in (self.heights, self.widths):
                plot.show_curves([], empty=why_not or " ")
            return
        is_open = found.is_open
        self.look_at(int(np.flatnonzero(is_open)[-1]) if is_open.any() else 0)

    def show_eye(self, link: LinkEye, mask: Mask | None) -> None:
        """Show the eye at the chosen value beside the response of its channel."""
        if self.found is None:
            return
        t = self._look.t
        self.eye.setVisible(True)
        title = _value(self.found.over, float(self.found.values[self.chosen]))
        self.eye.show_setting(title, link, link.eye, mask, reach_of(link.eye))
        ghz = link.frequency * 1e-9
        curves = [
            Curve("channel", ghz, link.channel_db, t.secondary, 1.4, note=True),
            Curve("equalised", ghz, link.equalised_db, t.sea, 1.8, note=True),
        ]
        ends = np.concatenate([link.channel_db, link.equalised_db])
        low, high = max(float(ends.min()), -60.0) - 2.0, max(float(ends.max()), 0.0) + 2.0
        self.response.show_curves(curves, view=(0.0, float(ghz[-1]), low, high))

    def _show_list(self, found: LinkSweep) -> None:
        t = self._look.t
        rows = []
        for k, value in enumerate(found.values):
            height, width = float(found.heights[k]), float(found.widths[k])
            closed = not height > 0.0
            words = "closed" if closed else format_si(height, "voltage")
            loss = f"{fixed(found.losses[k], 1)} dB" if found.losses[k] == found.losses[k] else ""
            shown = f"{width:.3f} UI" if not closed else found.why[k].split(":")[0][:24]
            ink = ((2, t.fails),) if closed else ()
            mark = "\u25b8 " if k == self.chosen else ""
            cells = (f"{mark}{_value(found.over, float(value))}", loss, words, shown)
            rows.append(LedgerRow(str(k), cells, ink))
        self.list.set_rows(rows)

    def _draw(self, found: LinkSweep) -> None:
        t = self._look.t
        over = found.over
        is_loss = over == "loss"
        x = found.losses if is_loss else found.values * _SCALE[over]
        axis = Axis("Loss at half the rate", "dB") if is_loss else Axis(_CHIPS[over], _UNITS[over])
        some = np.isfinite(x) & np.isfinite(found.heights)
        here = []
        if some[self.chosen]:
            here = [(float(x[self.chosen]), 0.0, t.ink)]
        for plot, y, zero in (
            (self.heights, 1e3 * found.heights, Limit(0.0, "closed")),
            (self.widths, found.widths, None),
        ):
            plot.show_x(axis)
            curve = Curve("now", x[some], y[some], t.sea, 1.8)
            marks = [(at, float(y[self.chosen]), ink) for at, _, ink in here]
            plot.show_curves([curve], [zero] if zero is not None else [], marks=marks)


_SCALE = {"speed": 100.0, "random": 1.0, "bounded": 1.0, "sine": 1.0, "noise": 1e3}
_UNITS = {"speed": "%", "random": "UI", "bounded": "UI", "sine": "UI", "noise": "mV"}
