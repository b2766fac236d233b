"""Widths and gaps, impedance against frequency, loss and what it is made of."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtWidgets import QGridLayout, QWidget

from onda.app.kit.kept import Kept
from onda.app.plots.curves import Axis, Curve, CurvePlot, Limit
from onda.app.shell.fields import label
from onda.app.stages.lines.map_view import MapView
from onda.app.theme import Look
from onda.project.shown_units import units_in_use
from onda.studies.lines.impedance import ImpedanceResult
from onda.studies.lines.width_sweep import WidthSweepResult

__all__ = ["ImpedancePlots", "PerLengthPlots"]

_LOSS_FROM, _LOSS_TO = 0.05, 40.0
"""GHz between which losses are drawn."""

_DECADES = Axis("Frequency", "GHz", log=True)


def _grid(titles: Sequence[str], plots: Sequence[QWidget], parent: QWidget) -> list[QWidget]:
    grid = QGridLayout(parent)
    grid.setContentsMargins(0, 2, 0, 0)
    grid.setHorizontalSpacing(14)
    grid.setVerticalSpacing(3)
    headings: list[QWidget] = []
    for k, (title, plot) in enumerate(zip(titles, plots, strict=True)):
        heading = label(title, "heading")
        headings.append(heading)
        grid.addWidget(heading, 0, k)
        grid.addWidget(plot, 1, k)
        grid.setColumnStretch(k, 1)
    grid.setRowStretch(1, 1)
    return headings


class ImpedancePlots(QWidget):
    """The first view: what to route with, and what it does over frequency."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self.by_width = CurvePlot(look, Axis("Width", "µm"), Axis("Impedance", "Ω"), axis_width=36)
        self.by_frequency = CurvePlot(look, _DECADES, Axis("Impedance", "Ω"), axis_width=36)
        self.loss = CurvePlot(
            look, Axis("Frequency", "GHz"), Axis("Loss", "dB/100 mm"), axis_width=36
        )
        self.map = MapView(look)
        headings = _grid(
            ("Every width, this gap", "Impedance against frequency", "Loss and what it is made of"),
            (self.by_width, self.by_frequency, self.loss),
            self,
        )
        self.width_title = headings[0]
        grid = self.layout()
        assert isinstance(grid, QGridLayout)
        grid.addWidget(self.map, 1, 0)

    def show_kind(self, pair: bool) -> None:
        """A map for lines with a gap, a curve for single ones."""
        self.map.setVisible(pair)
        self.by_width.setVisible(not pair)
        unit = units_in_use().small_length[1]
        words = f"Every width and gap, {unit}" if pair else "Impedance against width"
        self.width_title.setText(words)  # type: ignore[attr-defined]

    def clear(self) -> None:
        """Show that there is nothing."""
        for plot in (self.by_frequency, self.loss, self.by_width):
            plot.show_curves([])
        self.map.clear()

    def show_result(self, result: ImpedanceResult, kept: Sequence[Kept[ImpedanceResult]]) -> None:
        """Show curves over frequency, kept ones dashed."""
        t = self._look.t
        ghz = result.frequency / 1e9
        curves = [Curve("now", ghz, result.z_of_f, t.sea, 1.8)]
        curves += [
            Curve(k.called(), k.result.frequency / 1e9, k.result.z_of_f, t.kept, kept=k.number)
            for k in kept
        ]
        self.by_frequency.show_curves(curves)
        units = units_in_use()
        over = units.loss_length
        self.loss.show_y(Axis("Loss", units.loss_unit))
        drawn = (ghz > _LOSS_FROM) & (ghz < _LOSS_TO)
        parts = [
            ("total", result.loss_db_per_m, t.series[0], 1.8),
            ("dielectric", result.dielectric_db_per_m, t.series[3], 1.4),
            ("copper", result.conductor_db_per_m, t.series[1], 1.4),
        ]
        if float(result.roughness_db_per_m[drawn].max()) > 1e-3:
            parts.append(("roughness", result.roughness_db_per_m, t.series[4], 1.4))
        loss = [
            Curve(name, ghz[drawn], over * values[drawn], color, width, note=True)
            for name, values, color, width in parts
        ]
        for k in kept:
            at = k.result.frequency / 1e9
            fits = (at > _LOSS_FROM) & (at < _LOSS_TO)
            total = over * k.result.loss_db_per_m[fits]
            loss.append(Curve(k.called("total"), at[fits], total, t.kept, kept=k.number))
        self.loss.show_curves(loss)

    def show_sweep(
        self,
        sweep: WidthSweepResult | None,
        limits: list[Limit],
        marks: list[tuple[float, float, str]],
    ) -> None:
        """Show impedance against width with its limits and marks (m, ohm, colour)."""
        if sweep is None or not len(sweep.widths):
            self.by_width.show_curves([])
            return
        size, unit = units_in_use().small_length
        self.by_width.show_x(Axis("Width", unit))
        curve = Curve("impedance", sweep.widths / size, sweep.z, self._look.t.sea, 1.8)
        marks = [(width / size, z, color) for width, z, color in marks]
        self.by_width.show_curves([curve], limits, marks=marks)


class PerLengthPlots(QWidget):
    """R, L, G and C against frequency, and the delay."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        units = (("R", "Ω/m"), ("L", "nH/m"), ("G", "mS/m"), ("C", "pF/m"), ("Delay", "ps/mm"))
        self.plots = [
            CurvePlot(look, _DECADES, Axis(name, unit, log=name in ("R", "G")))
            for name, unit in units
        ]
        _grid([name for name, _ in units], self.plots, self)

    def show_result(
        self, result: ImpedanceResult | None, kept: Sequence[Kept[ImpedanceResult]]
    ) -> None:
        """Show a result, kept ones dashed."""
        t = self._look.t
        if result is None:
            for plot in self.plots:
                plot.show_curves([])
            return
        size, unit = units_in_use().delay_length
        self.plots[-1].show_y(Axis("Delay", unit))

        def values(r: ImpedanceResult) -> list[np.ndarray]:
            return [
                r.r_of_f, r.l_of_f * 1e9, r.g_of_f * 1e3, r.c_of_f * 1e12, r.delay_of_f / size,
            ]  # fmt: skip

        old = [values(k.result) for k in kept]
        for k, (plot, now) in enumerate(zip(self.plots, values(result), strict=True)):
            curves = [Curve("now", result.frequency / 1e9, now, t.sea, 1.8)]
            curves += [
                Curve(r.called(), r.result.frequency / 1e9, v[k], t.kept, kept=r.number)
                for r, v in zip(kept, old, strict=True)
            ]
            plot.show_curves(curves)
