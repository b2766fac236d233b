"""The sweep: curves that fade from first to last, the margin against the value, the best one."""

from __future__ import annotations

import math
import re

import numpy as np
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from onda.app.plots.colors import deviation_scale
from onda.app.plots.curves import Axis, Curve, CurvePlot, Limit
from onda.app.shell.chips import Chips
from onda.app.shell.fields import ChoiceBox, TextField, label
from onda.app.shell.painting import blend, pen, text
from onda.app.stages.paths.look import Sweepable
from onda.app.theme import Look
from onda.errors import InputError
from onda.project.measures import measure
from onda.project.quantities import format_si, parse_quantity, unit_factor
from onda.project.requirements import Requirement
from onda.studies.paths.corners import Found
from onda.studies.paths.sweep import SweepResult

__all__ = ["SweepView"]

_COUNT = 20
_BELOW = 1.5
"""Margin below the best one down to which the plot reaches."""
_FIELD_LEFT = 56.0
"""Pixels for the values beside a field of margins."""


class SweepView(QWidget):
    """Chooses what to sweep and shows what came out.

    Signals
    -------
    wanted : what to sweep changed; take_wanted(value) : make a value the present one
    """

    wanted = pyqtSignal()
    take_wanted = pyqtSignal(float)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._items: list[Sweepable] = []
        self._typed: tuple[float, float] | None = None
        self._result: SweepResult | None = None
        self._found: Found | None = None
        self._lifted = -1
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 2, 8, 0)
        layout.setSpacing(4)
        head = QHBoxLayout()
        head.setSpacing(8)
        self.what = ChoiceBox(look, 130)
        self.what.setAccessibleName("Sweep")
        self.what.activated.connect(lambda _: self._changed())
        head.addWidget(label("Sweep"))
        head.addWidget(self.what)
        self.range = TextField("from – to", self._type_range, width=118)
        head.addWidget(self.range)
        self.second = ChoiceBox(look, 120)
        self.second.setAccessibleName("And")
        self.second.activated.connect(lambda _: self._changed(keep_range=True))
        head.addWidget(label("and"))
        head.addWidget(self.second)
        self.corners = Chips((("typ", "As it is"), ("all", "All corners")), "Corners")
        self.corners.chosen.connect(lambda _: self.wanted.emit())
        head.addWidget(self.corners)
        head.addStretch(1)
        self.take = QPushButton("Take the best")
        self.take.clicked.connect(self._take)
        head.addWidget(self.take)
        layout.addLayout(head)
        plots = QHBoxLayout()
        plots.setSpacing(12)
        self.waves = CurvePlot(look, Axis("Time", "ns"), Axis("Voltage", "V"), legend=False)
        self.margin = CurvePlot(look, Axis("Value"), Axis("Margin", "%"))
        self.field = MarginField(look)
        self.field.hide()
        self.heads = [label("", "secondary"), label("", "secondary")]
        left, right = QVBoxLayout(), QVBoxLayout()
        for column, words in zip((left, right), self.heads, strict=True):
            column.setSpacing(2)
            column.addWidget(words)
            plots.addLayout(column, 1)
        left.addWidget(self.waves, 1)
        right.addWidget(self.margin, 1)
        right.addWidget(self.field, 1)
        layout.addLayout(plots, 1)
        self.sentence = label("", "secondary", wrap=True)
        layout.addWidget(self.sentence)
        self.margin.scene().sigMouseMoved.connect(self._hovered)
        look.changed.connect(self._draw)

    def offer(self, items: list[Sweepable], chosen: str) -> None:
        """What can be swept; `chosen` is looked at first."""
        before = self.what.currentData()
        if items != self._items:
            self._items = items
            self._fill(self.what, [(s.id, s.name) for s in items])
            self._fill(self.second, [("", "nothing else"), *((s.id, s.name) for s in items)])
        ids = [s.id for s in items]
        wanted = before if before in ids else (chosen if chosen in ids else (ids or [""])[0])
        if chosen in ids and before not in ids:
            wanted = chosen
        self.what.setCurrentIndex(ids.index(wanted) if wanted in ids else -1)
        if before != wanted:
            self._typed = None
        self._show_range()

    def _fill(self, box: ChoiceBox, items: list[tuple[str, str]]) -> None:
        now = box.currentData()
        box.clear()
        for key, shown in items:
            box.addItem(shown, key)
        keys = [k for k, _ in items]
        box.setCurrentIndex(keys.index(now) if now in keys else 0)

    @property
    def chosen(self) -> Sweepable | None:
        """What is swept."""
        key = self.what.currentData()
        return next((s for s in self._items if s.id == key), None)

    @property
    def chosen_second(self) -> Sweepable | None:
        """What is swept besides, if anything."""
        key = self.second.currentData()
        first = self.chosen
        return next(
            (s for s in self._items if s.id == key and (not first or s.id != first.id)), None
        )

    def values(self, of: Sweepable, count: int = _COUNT) -> tuple[float, ...]:
        """Values to run, SI."""
        low, high = of.low, of.high
        first = self.chosen
        if self._typed is not None and first is not None and of.id == first.id:
            low, high = self._typed
        return tuple(float(v) for v in np.linspace(low, high, count))

    def _show_range(self) -> None:
        s = self.chosen
        if s is None:
            self.range.show_text("")
            return
        values = self.values(s)
        low = format_si(values[0], s.dimension, like=values[-1], digits=3).split(" ")[0]
        self.range.show_text(f"{low} – {format_si(values[-1], s.dimension, digits=3)}")

    def _type_range(self, typed: str) -> None:
        s = self.chosen
        if s is None:
            return
        parts = [p.strip() for p in re.split(r"–|…|\.\.+| to ", typed)]
        if len(parts) != 2:
            raise InputError("two values are wanted", remedy="Write a range, as in 10 – 60 ohm.")
        high = parse_quantity(parts[1].replace("Ω", "ohm"), s.dimension)
        unit = high.unit
        low = parse_quantity(parts[0].replace("Ω", "ohm"), s.dimension, unit)
        if not 0.0 <= low.si < high.si:
            raise InputError("the range must rise from 0 or above", remedy="As in 10 – 60 ohm.")
        self._typed = (low.si, high.si)
        self.wanted.emit()

    def _changed(self, *, keep_range: bool = False) -> None:
        if not keep_range:
            self._typed = None
        self._show_range()
        self.wanted.emit()

    def show_waiting(self) -> None:
        """A run is under way; old curves must not pass for its result."""
        self._result = self._found = None
        self._lifted = -1
        self.waves.show_curves([])
        self.margin.show_curves([])
        self.field.hide()
        for head in self.heads:
            head.setText("")
        self.take.setVisible(False)
        self.sentence.setText("running…")

    def show_result(self, result: SweepResult, found: Found | None) -> None:
        """Show a sweep held against the path's requirements."""
        self._result, self._found = result, found
        self._lifted = -1
        self._draw()

    def _draw(self) -> None:
        result, found, s = self._result, self._found, self.chosen
        if result is None or s is None:
            return
        t = self._look.t
        flat = result.shape[2] == 1
        self.margin.setVisible(flat)
        self.field.setVisible(not flat)
        best = found.best[0] if found is not None else -1
        lifted = self._lifted if self._lifted >= 0 else best
        curves = []
        count = len(result.values)
        at = result.receivers.index(found.receiver) if found else len(result.receivers) - 1
        worst = self._worst_variant(result, max(lifted, 0), at)
        for k in range(count):
            color = blend(t.sheet, t.sea, 0.2 + 0.55 * k / max(count - 1, 1))
            wave = result.waves[at, worst, k].astype(float)
            curves.append(Curve("", result.time * 1e9, wave, color))
        if lifted >= 0:
            name = format_si(float(result.values[lifted]), s.dimension)
            wave = result.waves[at, worst, lifted].astype(float)
            curves.append(Curve(name, result.time * 1e9, wave, t.ink, 2.2, note=True))
        self.waves.show_curves(curves)
        self.sentence.setText(self._words(result, found, s))
        self.heads[0].setText(f"At {result.receiver_names[at]}, from the first value to the last")
        second = self.chosen_second
        against = f"{s.name} in {self._unit(s)[1]}"
        if not flat and second is not None:
            against = f"{s.name} and {second.name}"
        self.heads[1].setText(f"Margins in % against {against}")
        self.take.setVisible(found is not None and flat)
        if found is None:
            self.margin.show_curves([])
            return
        if flat:
            self._draw_margin(result, found, s, lifted)
        elif second is not None:
            self.field.show_field(result.values, result.values_2, found, (s, second))

    def _worst_variant(self, result: SweepResult, at: int, receiver: int) -> int:
        """The variant that overshoots most there: the one to look at."""
        overshoot = result.by_receiver[receiver, 0, :, at, 0]
        return int(np.argmax(np.where(np.isnan(overshoot), np.inf, overshoot)))

    def _unit(self, s: Sweepable) -> tuple[float, str]:
        unit = format_si(s.high, s.dimension).split(" ")[1]
        return unit_factor(unit, s.dimension), unit

    def _draw_margin(self, result: SweepResult, found: Found, s: Sweepable, lifted: int) -> None:
        t = self._look.t
        factor, _ = self._unit(s)
        x = result.values / factor
        best = float(found.margin[found.best])
        # What has no value at all lies below everything that has one.
        floor = (best if math.isfinite(best) else 0.0) - _BELOW
        y = 100.0 * np.where(np.isfinite(found.margin[:, 0]), found.margin[:, 0], floor)
        marks = [(float(x[found.best[0]]), float(y[found.best[0]]), t.holds)]
        if lifted >= 0 and lifted != found.best[0]:
            marks.append((float(x[lifted]), float(y[lifted]), t.ink))
        if x[0] <= s.now / factor <= x[-1]:
            at = float(np.interp(s.now / factor, x, y))
            marks.append((s.now / factor, at, t.tight))
        curves = [Curve("worst", x, y, t.sea, 2.4)]
        for k, requirement in enumerate(found.requirements):
            part = 100.0 * found.parts[k, :, 0]
            part = np.where(np.isfinite(part), part, 100.0 * floor)
            color = t.series[(k + 1) % len(t.series)]
            curves.append(Curve(self._called(result, requirement), x, part, color, 1.2, note=True))
        if found.holds is not None:
            ends = np.array(found.holds) / factor
            curves.append(Curve("holds", ends, np.zeros(2), t.holds, 5.0))
        # The best must be in sight, whatever it is; what is far below it need not.
        low = max(min(float(y.min()), -10.0), 100.0 * floor)
        high = max(float(y.max()) + 0.2 * abs(float(y.max())), 24.0)
        view = (float(x[0]), float(x[-1]), low - 0.05 * (high - low), high)
        self.margin.show_curves(curves, [Limit(0.0, "holds above")], view=view, marks=marks)

    def _called(self, result: SweepResult, requirement: Requirement) -> str:
        """A requirement by what it measures, and where it does so."""
        title = measure(requirement.measure).title.lower()
        if requirement.receiver is None:
            return title
        names = dict(zip(result.receivers, result.receiver_names, strict=True))
        return f"{title} at {names[requirement.receiver]}"

    def _words(self, result: SweepResult, found: Found | None, s: Sweepable) -> str:
        runs = int(np.prod(result.shape))
        if found is None:
            return (
                f"{runs} runs. This path has no requirement that a sweep can be held against: "
                "type a limit on a margin, or look at the curves."
            )
        value = format_si(float(result.values[found.best[0]]), s.dimension)
        title = measure(found.limiting).title.lower()
        names = dict(zip(result.receivers, result.receiver_names, strict=True))
        if len(names) > 1:
            title += f" at {names[found.receiver]}"
        share = 100.0 * float(found.margin[found.best])
        corners = f"{len(result.names)} corners" if len(result.names) > 1 else "as it is"
        words = f"{runs} runs, {corners}. Best {s.name} = {value}"
        second = self.chosen_second
        if len(result.values_2) > 1 and second is not None:
            words += f", {second.name} = " + format_si(
                float(result.values_2[found.best[1]]), second.dimension
            )
        words += f": worst margin {share:+.0f} %, by {title}.".replace("-", "−")
        if found.holds is None:
            return words + " No value in the range holds everything."
        low, high = (format_si(v, s.dimension) for v in found.holds)
        return words + f" Everything holds from {low} to {high}."

    def _hovered(self, position: object) -> None:
        if self._result is None or not self.margin.isVisible() or self.chosen is None:
            return
        at = self.margin.plot.getViewBox().mapSceneToView(position).x()
        factor, _ = self._unit(self.chosen)
        nearest = int(np.abs(self._result.values / factor - at).argmin())
        if nearest != self._lifted:
            self._lifted = nearest
            self._draw()

    def leaveEvent(self, event: object) -> None:
        self._lifted = -1
        self._draw()

    def _take(self) -> None:
        if self._found is not None and self._result is not None:
            self.take_wanted.emit(float(self._result.values[self._found.best[0]]))


class MarginField(QWidget):
    """Margin over two values as colour: copper-orange fails, teal holds, the best one ringed."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._found: Found | None = None
        self._x = self._y = np.empty(0)
        self._names = ("", "")
        self._words: tuple[list[str], list[str]] = ([], [])
        self._over: tuple[int, int] | None = None
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Margin over two values")
        look.changed.connect(self.update)

    def show_field(
        self, x: np.ndarray, y: np.ndarray, found: Found, swept: tuple[Sweepable, Sweepable]
    ) -> None:
        """Show margins (x, y) over two things that are swept, SI."""
        self._x, self._y, self._found = x, y, found
        self._names = (swept[0].name, swept[1].name)
        # All values of one direction in the unit of its largest.
        across, up = (
            [format_si(v, of.dimension, like=values[-1], digits=3) for v in values]
            for values, of in zip((x, y), swept, strict=True)
        )
        self._words = (across, up)
        self.update()

    @property
    def _box(self) -> QRectF:
        return QRectF(_FIELD_LEFT, 4, self.width() - _FIELD_LEFT - 8, self.height() - 40)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t, found = self._look, self._look.t, self._found
        painter = QPainter(self)
        if found is None:
            painter.end()
            return
        box = self._box
        nx, ny = len(self._x), len(self._y)
        scale = deviation_scale(t)
        for i in range(nx):
            for j in range(ny):
                share = float(np.clip(0.5 - 0.5 * found.margin[i, j], 0.0, 1.0))
                rect = QRectF(
                    box.left() + i * box.width() / nx,
                    box.bottom() - (j + 1) * box.height() / ny,
                    box.width() / nx + 0.5,
                    box.height() / ny + 0.5,
                )
                index = int(share * (len(scale) - 1))
                painter.fillRect(rect, QColor(*(int(c) for c in scale[index][:3])))
                if (i, j) == found.best or (i, j) == self._over:
                    painter.setPen(pen(t.ink, 2))
                    painter.drawRect(rect.adjusted(1, 1, -1, -1))
        painter.setFont(look.font(11))
        i, j = self._over or found.best
        across, up = self._words
        words = f"{self._names[0]} {across[i]}, {self._names[1]} {up[j]}: "
        words += f"{100 * found.margin[i, j]:+.0f} %".replace("-", "−")
        low = QRectF(box.left(), box.bottom() + 18, box.width(), 16)
        text(painter, low, words, t.ink)
        for k in (0, nx - 1):
            at = box.left() + (k + 0.5) * box.width() / nx
            rect = QRectF(at - 36, box.bottom() + 2, 72, 14)
            text(painter, rect, across[k], t.secondary, Qt.AlignmentFlag.AlignHCenter)
        for k in (0, ny - 1):
            at = box.bottom() - (k + 0.5) * box.height() / ny
            rect = QRectF(0, at - 8, _FIELD_LEFT - 4, 16)
            text(painter, rect, up[k], t.secondary, Qt.AlignmentFlag.AlignRight)
        painter.end()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        box, found = self._box, self._found
        if event is None or found is None:
            return
        p = event.position()
        self._over = None
        if box.contains(p):
            i = int((p.x() - box.left()) / box.width() * len(self._x))
            j = int((box.bottom() - p.y()) / box.height() * len(self._y))
            self._over = (min(i, len(self._x) - 1), min(max(j, 0), len(self._y) - 1))
        self.update()
