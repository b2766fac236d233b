"""A device model: its currents, its waveforms against what it makes of them, what it asks for."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.shell.fields import NumberRows, label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.project.quantities import split_si
from onda.studies.devices.device_model import DeviceResult

__all__ = ["DeviceView"]


class DeviceView(QWidget):
    """Curves at the left, numbers and remarks at the right."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 8, 0)
        row.setSpacing(12)
        plots = QVBoxLayout()
        plots.setSpacing(3)
        self.title = label("", "", wrap=True)
        plots.addWidget(self.title)
        self.currents = CurvePlot(look, Axis("Voltage", "V"), Axis("Current", "mA"))
        plots.addWidget(self.currents, 1)
        plots.addWidget(label("Waveforms of the file, and the model run into their fixtures"))
        self.waves = CurvePlot(look, Axis("Time", "ns"), Axis("Voltage", "V"))
        plots.addWidget(self.waves, 1)
        row.addLayout(plots, 5)
        side = QVBoxLayout()
        side.setSpacing(6)
        self.rows = NumberRows(look)
        side.addWidget(self.rows)
        self.remarks = Ledger(
            look, "Remarks on the file", (Column("line", 0.16, True), Column("what", 0.84))
        )
        side.addWidget(self.remarks, 1)
        row.addLayout(side, 3)

    def show_nothing(self, words: str) -> None:
        """There is no model to show."""
        self.title.setText(words)
        self.currents.show_curves([], empty="No device model here.")
        self.waves.show_curves([], empty="No waveforms.")
        self.rows.set_rows([])
        self.remarks.set_rows([])

    def show_model(self, result: DeviceResult) -> None:
        """Show a model at its corner."""
        t = self._look.t
        self.title.setText(f"<b>{result.name}</b> · {result.kind} · current out of the pin")
        ma = 1e3
        curves = [Curve("clamps", result.volts, result.clamps * ma, t.kept, 1.4, note=True)]
        if math.isfinite(result.r_high) or math.isfinite(result.r_low):
            curves += [
                Curve("driven high", result.volts, result.high * ma, t.sea, 1.8, note=True),
                Curve("driven low", result.volts, result.low * ma, t.series[1], 1.8, note=True),
            ]
        self.currents.show_curves(curves)
        waves = []
        for k, f in enumerate(result.fixtures):
            color = t.series[k % len(t.series)]
            edge = "rises" if f.rising else "falls"
            waves.append(Curve(f"{edge}, {f.label}", f.time * 1e9, f.volts, color, 1.8))
            waves.append(Curve("model", f.sim_time * 1e9, f.sim_volts, t.ink, 1.0, limit=True))
        self.waves.show_curves(waves)
        self.rows.set_rows(self._numbers(result))
        marks = {"error": t.fails, "caution": t.tight}
        rows = [
            LedgerRow(
                str(k), (str(r.line), f"{r.kind}: {r.keyword} {r.text}"), ((0, marks[r.kind]),)
            )
            for k, r in enumerate(result.remarks)
        ]
        if result.problem:
            rows.insert(0, LedgerRow("problem", ("", result.problem), ((1, t.fails),)))
        if not rows:
            rows = [LedgerRow("none", ("", "nothing to remark on this model"))]
        self.remarks.set_rows(rows)

    def _numbers(self, result: DeviceResult) -> list[tuple[str, str, str, str]]:
        out: list[tuple[str, str, str, str]] = []

        def add(name: str, value: float | None, dimension: str) -> None:
            if value is not None and math.isfinite(value):
                out.append((name, *split_si(value, dimension), ""))

        if math.isfinite(result.quality):
            out.append(("Repeats its waveforms to", f"{100 * result.quality:.2f}", "%", ""))
        if math.isfinite(result.test_error):
            out.append(("Repeats the maker's test to", f"{100 * result.test_error:.2f}", "%", ""))
        add("Looks like, high", result.r_high, "resistance")
        add("Looks like, low", result.r_low, "resistance")
        add("Edge up, 20–80 %", result.edge_rise, "time")
        add("Edge down, 20–80 %", result.edge_fall, "time")
        add("At the die", result.c_comp, "capacitance")
        add("Supply", result.supply, "voltage")
        th = result.thresholds
        add("Low below", th.v_il, "voltage")
        add("High above", th.v_ih, "voltage")
        add("Never above", th.over_high, "voltage")
        add("Never below", th.over_low, "voltage")
        add("Briefly up to", th.over_high_dynamic, "voltage")
        add("Briefly down to", th.over_low_dynamic, "voltage")
        add("Briefly means", th.over_time, "time")
        return out
