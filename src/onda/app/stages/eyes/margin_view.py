"""Operating margin of a link: every figure on the way, and the sheet that it goes by."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.shell.fields import TextField, label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.stages.eyes.margin_sheet import SHEET
from onda.app.theme import Look
from onda.project.quantities import fixed, format_si
from onda.studies.links.margin import ChannelMargin, MarginTerms

__all__ = ["MarginView"]

_SHORT = 4
"""Blanks of a value that is shown whole."""
_LEAST = 3.0
"""dB that the standard asks for."""


class MarginView(QWidget):
    """Figures to the left, the sheet in the middle, the pulse to the right.

    `put(name, values)` sets a parameter of the sheet, without values to the usual one.
    """

    def __init__(self, look: Look, put: Callable[[str, tuple[float, ...]], None]) -> None:
        super().__init__()
        self._look, self._put_values = look, put
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.sentence = label("", "heading", wrap=True)
        layout.addWidget(self.sentence)
        row = QHBoxLayout()
        row.setSpacing(14)
        columns = (Column("figure", 0.62), Column("", 0.38, True))
        self.figures = Ledger(look, "Figures", columns)
        self.sheet = Ledger(look, "Sheet", (Column("sheet", 0.6), Column("", 0.4, True)))
        self.sheet.chosen.connect(self._choose)
        self.entry = TextField("Sheet", self._put, width=150)
        self.entry.edit.setToolTip("Of the chosen row; nothing for the usual value")
        self.pulse = CurvePlot(look, Axis("Time", "UI"), Axis("Voltage", "mV"))
        middle = QVBoxLayout()
        middle.addWidget(self.sheet, 1)
        middle.addWidget(self.entry)
        row.addWidget(self.figures, 3)
        row.addLayout(middle, 3)
        row.addWidget(self.pulse, 4)
        self._terms: MarginTerms | None = None
        self._row = SHEET[1]
        layout.addLayout(row, 1)

    def show_margin(
        self,
        found: ChannelMargin | None,
        terms: MarginTerms | None,
        why_not: str,
        changed: frozenset[str] = frozenset(),
    ) -> None:
        """Show a margin; why there is none where there is none; `changed` are the parameters that
        are not the usual ones."""
        t = self._look.t
        if found is None or terms is None:
            self.sentence.setText(why_not or "Working out the operating margin…")
            self.figures.set_rows([])
            self.sheet.set_rows([])
            self.pulse.show_curves([], empty="")
            return
        holds = "holds" if found.com_db >= _LEAST else "fails"
        words = f"Operating margin {fixed(found.com_db, 2)} dB, at least {_LEAST:g} dB: {holds}."
        self.sentence.setText(" ".join((words, *(f"But {w}." for w in found.warnings))))

        def volts(value: float) -> str:
            return format_si(value, "voltage")

        s = found.settings
        rows = (
            ("Operating margin, COM", f"{found.com_db:.2f} dB"),
            ("Figure of merit", f"{found.merit_db:.2f} dB"),
            ("Available signal, A_s", volts(found.available)),
            ("Noise peak, A_ni", volts(found.noise_peak)),
            ("Main cursor, h(t_s)", volts(found.main)),
            ("Interference, sigma_ISI", volts(found.sigma_isi)),
            ("Jitter, sigma_J", volts(found.sigma_jitter)),
            ("Crosstalk, sigma_XT", volts(found.sigma_crosstalk)),
            ("Receiver, sigma_N", volts(found.sigma_noise)),
            ("Transmitter, sigma_TX", volts(found.sigma_transmitter)),
            ("Gaussian, sigma_G", volts(found.sigma_gaussian)),
            ("Tap before, c(-1)", f"{s.before + 0.0:g}"),
            ("Main tap, c(0)", f"{s.main:g}"),
            ("Tap behind, c(1)", f"{s.behind + 0.0:g}"),
            ("Gain at 0 Hz, g_DC", f"{s.gain_db:g} dB"),
            *((f"Feedback, b({k})", f"{x:.3f}") for k, x in enumerate(found.taps[:4], 1)),
        )
        color = t.holds if found.com_db >= _LEAST else t.fails
        self.figures.set_rows(
            [
                LedgerRow(
                    str(k), (name, value.replace("-", "\u2212")), ((1, color),) if k == 0 else ()
                )
                for k, (name, value) in enumerate(rows)
            ]
        )
        self._terms = terms
        self._show_sheet(changed)
        unit = terms.unit_interval
        ui = (found.time - found.sampling) / unit
        some = (ui > -4.0) & (ui < 16.0)
        curve = Curve("at the sampler", ui[some], 1e3 * found.pulse[some], t.sea, 1.8)
        marks = [(0.0, 1e3 * found.main, t.ink)]
        self.pulse.show_curves([curve], marks=marks)

    def _show_sheet(self, changed: frozenset[str]) -> None:
        terms, t = self._terms, self._look.t
        assert terms is not None
        rows = [
            LedgerRow("baud", ("Symbol rate, f_b", f"{terms.baud / 1e9:g} GBd")),
            LedgerRow("levels", ("Levels", str(terms.levels))),
        ]
        for one in SHEET:
            words = one.shown(terms)
            if words.count(" ") > _SHORT:
                parts = words.split(" ")
                words = f"{parts[0]} \u2026 {parts[-1]}"
            own = ((0, t.sea), (1, t.sea)) if one.name in changed else ()
            rows.append(LedgerRow(one.name, (one.words, words), own))
        self.sheet.set_rows(rows)
        self._choose(self._row.name)

    def _choose(self, name: str) -> None:
        found = next((one for one in SHEET if one.name == name), None)
        if found is None or self._terms is None:
            return
        self._row = found
        self.entry.title.setText(found.words)
        self.entry.show_text(found.shown(self._terms))

    def _put(self, typed: str) -> None:
        assert self._terms is not None
        plain = typed.strip().lower()
        values = () if plain in ("", "usual") else self._row.read(typed, self._terms)
        self._put_values(self._row.name, values)
