"""The views below the ribbon: waveforms, current, spectrum, bounces, measures."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Bars, Curve, CurvePlot, Limit, mark_of
from onda.app.selection import Selection
from onda.app.shell.fields import TextField, label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.stages.paths.scale import LEFT, RIGHT, Probes, RouteMap
from onda.app.theme import Look
from onda.project.measures import measures_of
from onda.project.quantities import fixed, format_si
from onda.studies.core.margin import State
from onda.studies.paths.path import Bounce, PathResult
from onda.studies.paths.spectrum import density_db

__all__ = ["BouncesView", "MeasuresView", "SpectrumView", "WavesView"]

FloatArray = NDArray[np.float64]


class WavesView(QWidget):
    """Curves against time with a legend at their left: voltage, or current and power."""

    def __init__(self, look: Look, title: str, axis: Axis) -> None:
        super().__init__()
        self._look, self._title = look, title
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, int(RIGHT), 0)
        row.setSpacing(0)
        self.legend = label("", "", wrap=True)
        self.legend.setFixedWidth(80)
        self.legend.setAlignment(self.legend.alignment().__class__.AlignTop)
        row.addWidget(self.legend)
        width = int(LEFT) - 80
        self.plot = CurvePlot(look, Axis("Time", "ns"), axis, axis_width=width, legend=False)
        row.addWidget(self.plot, 1)

    def show_curves(self, curves: list[Curve], limits: list[Limit]) -> None:
        """Show curves; x in ns."""
        self.plot.show_curves(curves, limits)
        lines = [f"<b>{self._title}</b>"]
        for curve in curves:
            line = mark_of(curve)
            ink = self._look.t.kept_ink if curve.kept else curve.color
            lines.append(f'<span style="color:{ink}">{line}</span> {curve.name}')
        self.legend.setText("<br>".join(lines))


class SpectrumView(QWidget):
    """Harmonics at the current probe, and of the driver's current against a limit curve."""

    def __init__(self, look: Look, probes: Probes) -> None:
        super().__init__()
        self._look, self._probes = look, probes
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 8, 0)
        row.setSpacing(14)
        self.volts = CurvePlot(look, Axis("Frequency", "MHz"), Axis("Voltage", "dBV"))
        self.amps = CurvePlot(look, Axis("Frequency", "MHz"), Axis("Current", "dBµA"))
        self.heads = [label("", "secondary"), label("", "secondary")]
        for head, plot in zip(self.heads, (self.volts, self.amps), strict=True):
            column = QVBoxLayout()
            column.setSpacing(2)
            column.addWidget(head)
            column.addWidget(plot, 1)
            row.addLayout(column, 1)
        self.sentence = label("", "secondary", wrap=True)
        self.sentence.setFixedWidth(150)
        row.addWidget(self.sentence)

    def show_result(
        self,
        result: PathResult,
        route: RouteMap,
        kept: list[tuple[PathResult, RouteMap]],
        limit: list[tuple[float, float]],
    ) -> None:
        """Show harmonics in dB, now against the first kept state; `limit`: (Hz, dBµA) corners."""
        probe = self._probes.items[self._probes.current]
        self.heads[0].setText(f"Voltage at the {probe.name} probe")
        self.heads[1].setText("Current out of the driver")
        at = probe.share
        if len(result.harmonics) == 0:
            self._show_density(result, route, kept, limit, at)
            return
        self.volts.show_y(Axis("Voltage", "dBV"))
        self.amps.show_y(Axis("Current", "dBµA"))
        sets = [(result, route.harmonics_at(at * route.delay), self._look.t.sea)]
        for other, way in kept[:1]:
            if len(other.harmonics) == len(result.harmonics):
                sets.append((other, way.harmonics_at(at * way.delay), self._look.t.kept))
        mega = result.harmonics / 1e6
        self._bars(self.volts, mega, [(_db(v), c) for _, v, c in sets], [])
        amps = [(_db(r.harmonic_amps * 1e6), c) for r, _, c in sets]
        self._bars(self.amps, mega, amps, limit)
        self.sentence.setText(self._words(result, sets, limit))

    def _show_density(
        self,
        result: PathResult,
        route: RouteMap,
        kept: list[tuple[PathResult, RouteMap]],
        limit: list[tuple[float, float]],
        at: float,
    ) -> None:
        """What comes once has no harmonics: its density, of voltage and current."""
        t = self._look.t
        volts: list[Curve] = []
        amps: list[Curve] = []
        for (r, way), name, color, number in (
            ((result, route), "now", t.sea, 0),
            *((k, "kept", t.kept, 1) for k in kept[:1]),
        ):
            for curves, values in (
                (volts, way.volts_at(at * way.delay)),
                (amps, r.drive_amps),
            ):
                frequency, level = density_db(r.time, values)
                curves.append(Curve(name, frequency / 1e6, level, color, 1.6, kept=number))
        self.volts.show_y(Axis("Voltage", "dBµV/MHz"))
        self.amps.show_y(Axis("Current", "dBµA/MHz"))
        # Up to where the voltage holds something to speak of.
        loud = volts[0].y > float(volts[0].y.max()) - 70.0
        last = float(volts[0].x[np.flatnonzero(loud)[-1]])
        for plot, curves in ((self.volts, volts), (self.amps, amps)):
            high = max(float(c.y.max()) for c in curves)
            plot.show_curves(curves, view=(0.0, last, high - 80.0, high + 5.0))
        self.sentence.setText(
            "One passage of the waveform. A clock, chosen at the driver, shows harmonics and its "
            "current limit."
        )

    def _bars(
        self,
        plot: CurvePlot,
        mega: FloatArray,
        sets: list[tuple[FloatArray, str]],
        limit: list[tuple[float, float]],
    ) -> None:
        base = float(mega[0])
        top = max(float(v.max()) for v, _ in sets)
        if limit:
            top = max(top, *(y for _, y in limit))
        floor = top - 70.0
        bars = [
            Bars(mega + (i - 0.5 * (len(sets) - 1)) * 0.36 * base, v, floor, 0.34 * base, color)
            for i, (v, color) in enumerate(sets)
        ]
        curves = []
        if limit:
            x = np.array([f / 1e6 for f, _ in limit])
            y = np.array([level for _, level in limit])
            curves = [Curve("limit", x, y, self._look.t.fails, 1.6, note=True)]
        view = (0.2 * base, float(mega[-1]) + 0.8 * base, floor, top + 5.0)
        plot.show_curves(curves, view=view, bars=bars)

    def _words(
        self,
        result: PathResult,
        sets: list[tuple[PathResult, FloatArray, str]],
        limit: list[tuple[float, float]],
    ) -> str:
        out = []
        if len(sets) > 1:
            now, then = (_db(s[0].harmonic_amps * 1e6) for s in sets)
            loud = then > float(then.max()) - 40.0
            change = np.where(loud, now - then, 0.0)
            k = int(np.argmin(change)) if change.min() < -0.05 else int(np.argmax(change))
            verb = "falls" if change[k] < 0 else "rises"
            out.append(
                f"Current: harmonic {k + 1} ({result.harmonics[k] / 1e6:.0f} MHz) {verb} most, by "
                f"{abs(change[k]):.1f} dB."
            )
        else:
            out.append("Keep a state (K) to see which harmonic falls by how much.")
        if limit:
            f, y = zip(*limit, strict=True)
            level = _db(result.harmonic_amps * 1e6)
            inside = (result.harmonics >= min(f)) & (result.harmonics <= max(f))
            over = np.where(inside, level - np.interp(result.harmonics, f, y), -np.inf)
            k = int(np.argmax(over))
            if np.isfinite(over[k]):
                word = "over" if over[k] > 0 else "below"
                out.append(f"Harmonic {k + 1} is {abs(over[k]):.1f} dB {word} the limit.")
        return "\n\n".join(out)


def _db(values: FloatArray) -> FloatArray:
    return np.asarray(20.0 * np.log10(np.maximum(values, 1e-9)))


class BouncesView(QWidget):
    """Every arrival at the watched receiver: when, how large, and what sent it."""

    def __init__(self, look: Look, selection: Selection) -> None:
        super().__init__()
        self._look, self._selection = look, selection
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 8, 0)
        row.setSpacing(10)
        self.plot = CurvePlot(look, Axis("Time", "ns"), Axis("Voltage", "V"))
        row.addWidget(self.plot, 4)
        self.list = Ledger(
            look,
            "Arrivals, the largest first",
            (Column("at", 0.14, True), Column("size", 0.17, True), Column("because", 0.69)),
        )
        row.addWidget(self.list, 7)
        self._found: list[Bounce] = []
        self._wave: tuple[FloatArray, FloatArray] = (np.empty(0), np.empty(0))
        self.list.hovered.connect(self._light)

    def show_bounces(self, found: tuple[Bounce, ...], time: FloatArray, volts: FloatArray) -> None:
        """Show arrivals over the waveform that they add up to."""
        self._found = sorted(found, key=lambda b: -abs(b.volts))
        self._wave = (time * 1e9, volts)
        t = self._look.t
        self.list.set_rows(
            [
                LedgerRow(
                    str(k),
                    (
                        f"{b.time * 1e9:.2f} ns",
                        format_si(b.volts, "voltage"),
                        b.cause + (" (passes)" if b.shape == "dip" else ""),
                    ),
                    ((1, t.ink if b.volts > 0 else t.below_zero),),
                )
                for k, b in enumerate(self._found[:40])
            ]
        )
        self._draw(-1)

    def _draw(self, lit: int) -> None:
        t = self._look.t
        marks = []
        for k, b in enumerate(self._found[:12]):
            color = t.tight if k == lit else (t.sea if b.shape == "edge" else t.kept)
            y = float(np.interp(b.time * 1e9, *self._wave)) if len(self._wave[0]) else 0.0
            marks.append((b.time * 1e9, y, color))
        curve = Curve("receiver", *self._wave, t.sea, 1.6)
        self.plot.show_curves([curve] if len(self._wave[0]) else [], marks=marks)

    def _light(self, row: str) -> None:
        lit = int(row) if row else -1
        self._draw(lit)
        place = self._found[lit].route[-1] if lit >= 0 and self._found[lit].route else ""
        # Nodes carry the name of the element that they follow.
        self._selection.hover(place.removesuffix(" end").removesuffix(" stub"))


class MeasuresView(QWidget):
    """All measures of all receivers, limits to type, and what rests on the line.

    Signals
    -------
    chosen(measure) : a row was clicked
    """

    chosen = pyqtSignal(str)

    def __init__(self, look: Look, put_limit: Callable[[str], None]) -> None:
        super().__init__()
        self._look = look
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 8, 0)
        row.setSpacing(14)
        layout.addLayout(row, 1)
        self.limit = TextField("Click a measure to limit it", put_limit)
        self.limit.setEnabled(False)
        self.limit.setMaximumWidth(420)
        layout.addWidget(self.limit)
        self.table = Ledger(look, "Measures by receiver", (Column("measure", 1.0),))
        row.addWidget(self.table, 3)
        self.resting = Ledger(
            look,
            "At rest",
            (
                Column("at rest", 0.34),
                Column("high", 0.22, True),
                Column("low", 0.22, True),
                Column("power", 0.22, True),
            ),
        )
        row.addWidget(self.resting, 2)
        self.table.chosen.connect(self.chosen.emit)

    def show_limit(self, title: str, present: str, example: str) -> None:
        """Offer the limit of a measure for typing."""
        self.limit.setEnabled(True)
        self.limit.title.setText(
            f"{title}, limit (as in {example} or >= {example}; empty for none)"
        )
        self.limit.show_text(present)

    def show_result(self, result: PathResult, states: dict[tuple[str, str], State]) -> None:
        """Show a result; `states` by (measure, receiver) of what is required."""
        t = self._look.t
        inks = {State.FAILS: t.fails, State.TIGHT: t.tight, State.HOLDS: t.holds}
        names = [r.name for r in result.receivers]
        self.table.set_columns(
            [Column("measure", 1.2), *(Column(n, 0.9, number=True) for n in names)]
        )
        rows = []
        for what in measures_of("path"):
            cells, colors = [what.title], []
            for k, r in enumerate(result.receivers):
                value = float(getattr(r.measures, what.key))
                state = states.get((what.key, r.id))
                # A mark as well as a colour.
                mark = {State.FAILS: " ×", State.TIGHT: " !"}.get(state or State.UNKNOWN, "")
                cells.append(format_si(value, what.dimension) + mark)
                if state in inks:
                    colors.append((k + 1, inks[state]))
            if any(c not in ("– ", "–") for c in cells[1:]):
                rows.append(LedgerRow(what.key, tuple(cells), tuple(colors)))
        levels = [f"{format_si(r.low, 'voltage')} · {format_si(r.high, 'voltage')}"
                  for r in result.receivers]  # fmt: skip
        rows.insert(0, LedgerRow("levels", ("Settled, low · high", *levels)))
        if math.isfinite(result.step_error):
            step = f"{fixed(result.step * 1e12, 2)} ps · {100 * result.step_error:.2g} %"
            rest = [""] * (len(result.receivers) - 1)
            rows.append(LedgerRow("step", ("Step · error of it", step, *rest)))
        self.table.set_rows(rows)
        self.resting.set_rows(
            [
                LedgerRow(
                    str(k),
                    (
                        p.name,
                        f"{fixed(p.amps_high * 1e3, 2)} mA",
                        f"{fixed(p.amps_low * 1e3, 2)} mA",
                        f"{fixed((p.watts_high + p.watts_low) * 0.5e3, 2)} mW",
                    ),
                )
                for k, p in enumerate(result.resting)
            ]
        )
