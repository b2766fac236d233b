"""The numbers of the line in view, its fields and its trim."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.kit.context import Context
from onda.app.kit.kept import Kept, column_words
from onda.app.shell.fields import ChoiceBox, Heading, NumberRows, label
from onda.app.shell.form import Form
from onda.app.stages.lines.fit_panel import FitPanel
from onda.app.stages.lines.spread_bars import SpreadBars
from onda.project.lines.objects import LineClass
from onda.project.quantities import fixed, format_si, pretty, quantity
from onda.project.shown_units import units_in_use
from onda.studies.lines.impedance import ImpedanceResult
from onda.studies.lines.sensitivity import SensitivityResult

__all__ = ["LinesInspector"]

_LOSS, _DELAY = "loss per length", "delay per length"
"""Shown in the units that the user chose."""
_ROWS: tuple[tuple[str, str, str, float, int, bool], ...] = (
    ("Odd mode", "z_odd", "Ω", 1, 1, True),
    ("Even mode", "z_even", "Ω", 1, 1, True),
    ("Common", "z_common", "Ω", 1, 1, True),
    ("Coupling", "coupling", "%", 100, 1, True),
    ("Delay", "delay", _DELAY, 1, 3, False),
    ("Delay, even", "delay_even", _DELAY, 1, 3, True),
    ("Effective Dk", "eeff", "", 1, 3, False),
    ("Inductance", "inductance", "nH/m", 1e9, 0, False),
    ("Mutual", "mutual_inductance", "nH/m", 1e9, 1, True),
    ("Capacitance", "capacitance", "pF/m", 1e12, 1, False),
    ("Mutual", "mutual_capacitance", "pF/m", 1e12, 2, True),
    ("Loss", "loss_at", _LOSS, 1, 2, False),
    ("R at DC", "r_dc", "Ω/m", 1, 2, False),
    ("Error, est.", "error", "%", 100, 2, False),
    ("Loss to delay", "causality", "%", 100, 3, False),
)
"""Name, attribute of the result, unit, factor from SI, decimals, only for a pair."""


class LinesInspector(QWidget):
    """Inspector of the Lines stage."""

    def __init__(
        self,
        context: Context,
        fit: Callable[[], None],
        structure: Callable[[str], None],
    ) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        self.kind = label("", "secondary")
        layout.addWidget(self.kind)
        line = QHBoxLayout()
        self.big = label("", "big")
        line.addWidget(self.big)
        line.addWidget(label("Ω", "secondary"))
        line.addStretch(1)
        self.target_note = label("", "secondary")
        line.addWidget(self.target_note)
        layout.addLayout(line)
        row = QHBoxLayout()
        row.addWidget(label("Structure"), 1)
        self.structure = ChoiceBox(context.look)
        self.structure.setAccessibleName("Structure")
        self.structure.activated.connect(lambda _: structure(str(self.structure.currentData())))
        row.addWidget(self.structure)
        layout.addLayout(row)
        self.form = Form(context.look, context.document)
        layout.addWidget(self.form)
        self.fit = FitPanel(context.look, fit)
        layout.addSpacing(2)
        layout.addWidget(self.fit)
        self.notes = label("", "secondary", wrap=True)
        layout.addWidget(self.notes)
        self.spread_heading = Heading("What moves it most")
        layout.addWidget(self.spread_heading)
        self.spread = SpreadBars(context.look)
        layout.addWidget(self.spread)
        self.numbers_head = Heading("All numbers")
        layout.addWidget(self.numbers_head)
        self.numbers = NumberRows(context.look)
        layout.addWidget(self.numbers)
        layout.addStretch(1)

    def show_structures(self, items: Sequence[tuple[str, str]], current: str) -> None:
        """Offer the structures, with the layers that the trace could face."""
        self.structure.blockSignals(True)
        self.structure.clear()
        for key, words in items:
            self.structure.addItem(words, key)
        self.structure.setCurrentIndex(self.structure.findData(current))
        self.structure.blockSignals(False)

    def show_spread(self, result: SensitivityResult | None) -> None:
        """Show what the spread does."""
        self.spread.show_result(result)
        together = f"together ±{result.together:.1f} Ω" if result else ""
        self.spread_heading.remark.setText(together)

    def show_nothing(self) -> None:
        """There is no result for the present design."""
        self.big.setText("–")
        self.target_note.setText("")
        self.numbers.set_rows([])

    def show_result(
        self, line_class: LineClass, result: ImpedanceResult, named: Kept[ImpedanceResult] | None
    ) -> None:
        """Show a result, and a kept one beside it."""
        kept = named.result if named is not None else None
        self.numbers_head.remark.setText(column_words(named))
        pair = line_class.structure.differential
        self.kind.setText("Differential impedance" if pair else "Impedance")
        self.big.setText(f"{result.z:.1f}")
        off = f"{fixed(result.z - line_class.target.si, 1, sign=True)} Ω"
        self.target_note.setText(f"target {pretty(line_class.target)}\n{off}")
        at = format_si(line_class.loss_at.si, "frequency", digits=2)
        names = {"Loss": f"Loss, {at}"} | ({"Delay": "Delay, odd"} if pair else {})
        rows = []
        for name, attribute, unit, factor, decimals, only_pair in _ROWS:
            if only_pair and not pair:
                continue
            if unit == _LOSS:
                factor, unit = units_in_use().loss_length, units_in_use().loss_unit
            elif unit == _DELAY:
                size, unit = units_in_use().delay_length
                factor, decimals = 1 / size, decimals - 2 * (unit == "ps/in")
            now = f"{getattr(result, attribute) * factor:.{decimals}f}"
            then = f"{getattr(kept, attribute) * factor:.{decimals}f}" if kept else ""
            rows.append((names.get(name, name), now, unit, then))
        over = units_in_use().loss_length
        parts = zip(("copper", "roughness", "dielectric"), result.loss_parts, strict=True)
        at_loss = next((k for k, row in enumerate(rows) if row[0].startswith("Loss")), len(rows))
        rows[at_loss + 1 : at_loss + 1] = [
            (f"  of it {name}", f"{over * value:.2f}", units_in_use().loss_unit, "")
            for name, value in parts
        ]
        self.numbers.set_rows(rows)
        # Just after a class became a pair the old result still stands here for a moment.
        if pair and math.isfinite(result.z_common):
            self.fit.show_common(quantity(result.z_common, "resistance"))
        self.notes.setText("  ".join(result.notes))
        self.notes.setVisible(bool(result.notes))
