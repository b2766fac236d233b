"""Skew inside a pair and between pairs, against the figures that it is mistaken for."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.kit.kept import Kept
from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.shell.fields import label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.project.quantities import fixed
from onda.studies.networks.network import NetworkResult, level_db

__all__ = ["SkewView"]


class SkewView(QWidget):
    """Skew and conversion against frequency; figures of every lane."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        plots = QHBoxLayout()
        plots.setSpacing(12)
        self.skew = CurvePlot(look, Axis("Frequency", "GHz"), Axis("Skew", "ps"), axis_width=46)
        self.conversion = CurvePlot(look, Axis("Frequency", "GHz"), Axis("Conversion", "dB"))
        for words, plot in (
            ("Skew in the pair, differential drive", self.skew),
            ("Differential sent, common received", self.conversion),
        ):
            column = QVBoxLayout()
            column.setSpacing(0)
            column.addWidget(label(words, "heading"))
            column.addWidget(plot, 1)
            plots.addLayout(column, 1)
        layout.addLayout(plots, 5)
        columns = (
            Column("Lane", 0.5),
            Column("Skew, both legs driven", 1.2, True),
            Column("Legs driven alone", 1.1, True),
            Column("Lane's delay", 1.0, True),
            Column("After the first lane", 1.1, True),
        )
        self.ledger = Ledger(look, "Skew of every lane", columns)
        layout.addWidget(self.ledger, 1)
        self.sentence = label("", "", wrap=True)
        layout.addWidget(self.sentence)

    def show_result(self, result: NetworkResult, kept: Sequence[Kept[NetworkResult]]) -> None:
        """Show a result against kept ones."""
        t, time = self._look.t, result.time
        skews = time.skews if time is not None else ()
        top = 0.75 * result.rate if result.rate > 0 else float(result.frequency[-1])
        curves = []
        for k, s in enumerate(skews):
            some = s.frequency <= top
            name = f"lane {s.lane + 1}" if len(skews) > 1 else "skew"
            color = t.series[k % len(t.series)]
            curves.append(Curve(name, s.frequency[some] / 1e9, s.skew[some] * 1e12, color, 1.8))
        for then in kept:
            for s in then.result.time.skews[:2] if then.result.time else ():
                some = s.frequency <= top
                x, y = s.frequency[some] / 1e9, s.skew[some] * 1e12
                curves.append(Curve(then.called(), x, y, t.kept, 1.4, kept=then.number))
        self.skew.show_curves(curves, view=_view(curves, [s.figure * 1e12 for s in skews]))
        found = result.curve_set("conversion")
        conversion = []
        if found is not None:
            inside = result.frequency <= top
            for k, (name, values) in enumerate(zip(found.names, found.values, strict=True)):
                if "diff to common" in name:
                    level = np.maximum(level_db(values[inside]), -90.0)
                    color = t.series[k // 3 * 2 % len(t.series) + ("back" in name)]
                    conversion.append(
                        Curve(name, result.frequency[inside] / 1e9, level, color, 1.6)
                    )
        self.conversion.show_curves(conversion)
        self._fill(result)

    def _fill(self, result: NetworkResult) -> None:
        time = result.time
        if time is None:
            self.ledger.set_rows([])
            self.sentence.setText(result.time_problem)
            return
        delays = [x.delay for x in time.through if x.mode in ("diff", "single")]
        first = min((d for d in delays if math.isfinite(d)), default=math.nan)
        rows = []
        for k, delay in enumerate(delays):
            s = next((x for x in time.skews if x.lane == k), None)
            rows.append(
                LedgerRow(
                    str(k),
                    (
                        f"{k + 1}",
                        f"{fixed(s.figure * 1e12, 3, sign=True)} ps" if s else "",
                        f"{fixed(s.single_delay * 1e12, 3, sign=True)} ps" if s else "",
                        f"{delay * 1e12:.2f} ps",
                        f"{fixed((delay - first) * 1e12, 3, sign=True)} ps",
                    ),
                )
            )
        self.ledger.set_rows(rows)
        if not time.skews:
            self.sentence.setText("Skew in a pair needs pairs; between lanes it stands above.")
            return
        one = time.skews[0]
        away = abs(one.figure - one.single_delay)
        why = (
            "Driven alone, a leg shares its wave with the other one through their coupling, so "
            "that its own delay (or length) tells less than what a receiver sees when both are "
            "driven: "
        )
        agree = "here the two agree."
        if away >= 0.05e-12:
            agree = f"here they differ by {away * 1e12:.2f} ps."
        self.sentence.setText(f"{why}{agree} Positive: N comes later.")


def _view(curves: list[Curve], around: list[float]) -> tuple[float, float, float, float] | None:
    if not curves:
        return None
    levels = np.concatenate([c.y for c in curves])
    low, high = np.percentile(levels, [4, 96])
    low, high = min(float(low), *around, 0.0), max(float(high), *around, 0.0)
    room = max(0.25 * (high - low), 0.05)
    x1 = max(float(c.x[-1]) for c in curves)
    return 0.0, x1, low - room, high + room
