"""Operating margin of a link: every figure on the way, and the sheet that it goes by."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.shell.fields import label
from onda.app.shell.ledger import Column, Ledger, LedgerRow
from onda.app.theme import Look
from onda.project.quantities import format_si
from onda.studies.links.margin import ChannelMargin, MarginTerms

__all__ = ["MarginView"]

_LEAST = 3.0
"""dB that the standard asks for."""


class MarginView(QWidget):
    """Figures to the left, the sheet in the middle, the pulse to the right."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.sentence = label("", "heading", wrap=True)
        layout.addWidget(self.sentence)
        row = QHBoxLayout()
        row.setSpacing(14)
        columns = (Column("figure", 0.62), Column("", 0.38, True))
        self.figures = Ledger(look, "Figures", columns)
        self.sheet = Ledger(look, "Sheet", (Column("sheet", 0.6), Column("", 0.4, True)))
        self.pulse = CurvePlot(look, Axis("Time", "UI"), Axis("Voltage", "mV"))
        for part, share in ((self.figures, 3), (self.sheet, 3), (self.pulse, 4)):
            row.addWidget(part, share)
        layout.addLayout(row, 1)

    def show_margin(
        self, found: ChannelMargin | None, terms: MarginTerms | None, why_not: str
    ) -> None:
        """Show a margin; why there is none where there is none."""
        t = self._look.t
        if found is None or terms is None:
            self.sentence.setText(why_not or "Working out the operating margin…")
            self.figures.set_rows([])
            self.sheet.set_rows([])
            self.pulse.show_curves([], empty="")
            return
        holds = "holds" if found.com_db >= _LEAST else "fails"
        words = f"Operating margin {found.com_db:.2f} dB, at least {_LEAST:g} dB: {holds}."
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
            ("Tap before, c(-1)", f"{s.before:g}"),
            ("Main tap, c(0)", f"{s.main:g}"),
            ("Tap behind, c(1)", f"{s.behind:g}"),
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
        sheet = (
            ("Symbol rate, f_b", f"{terms.baud / 1e9:g} GBd"),
            ("Levels, R_LM", f"{terms.levels}, {terms.level_ratio:g}"),
            ("Device, C_d", format_si(terms.capacitance, "capacitance")),
            ("Package, z_p", f"{terms.package_length * 1e3:g} mm"),
            ("Package, Z_c", f"{terms.package_z:g} \u03a9"),
            ("Package, C_p", format_si(terms.board_capacitance, "capacitance")),
            ("Ends, R_d", f"{terms.device:g} \u03a9"),
            ("Receiver filter, f_r", f"{terms.receiver / 1e9:.4g} GHz"),
            ("Amplitude, A_v", f"{terms.victim:g} V"),
            ("Far ones, A_fe", f"{terms.far:g} V"),
            ("Near ones, A_ne", f"{terms.near:g} V"),
            ("Feedback, N_b", f"{terms.decisions}"),
            ("Its limit, b_max", f"{terms.tap_limit:g}"),
            ("Random, sigma_RJ", f"{terms.random:g} UI"),
            ("Two places, A_DD", f"{terms.dual_dirac:g} UI"),
            ("Noise, V\u00b2/GHz", f"{terms.noise * 1e9:.3g}".replace("-", "\u2212")),
            ("Transmitter, SNR_TX", f"{terms.snr:g} dB"),
            ("Error ratio, DER_0", f"{terms.error_ratio:g}".replace("-", "\u2212")),
        )
        self.sheet.set_rows([LedgerRow(str(k), pair) for k, pair in enumerate(sheet)])
        unit = terms.unit_interval
        ui = (found.time - found.sampling) / unit
        some = (ui > -4.0) & (ui < 16.0)
        curve = Curve("at the sampler", ui[some], 1e3 * found.pulse[some], t.sea, 1.8)
        marks = [(0.0, 1e3 * found.main, t.ink)]
        self.pulse.show_curves([curve], marks=marks)
