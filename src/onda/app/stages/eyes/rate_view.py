"""A link at its error rate: eyes side by side, bathtubs, pulse with cursors, responses."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from onda.app.kit.kept import Kept
from onda.app.plots.curves import Axis, Bars, Curve, CurvePlot, Limit
from onda.app.shell.fields import label
from onda.app.stages.eyes.rate_eye import RateEye, reach_of
from onda.app.theme import Look
from onda.studies.links.inputs import Mask
from onda.studies.links.link import LinkEye, Setting

__all__ = ["RateView"]

_MOST = 4
_DEEPEST = -18.0
_PULSE_UI = (-3.0, 13.0)


class RateView(QWidget):
    """Everything that goes by the error rate."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.eyes = [RateEye(look) for _ in range(_MOST)]
        for eye in self.eyes:
            row.addWidget(eye, 1)
        layout.addLayout(row, 5)
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(1)
        self.bathtubs = CurvePlot(look, Axis("Time", "UI"), Axis("log10 of error rate"))
        self.pulse = CurvePlot(look, Axis("Time", "UI"), Axis("Voltage", "mV"))
        self.response = CurvePlot(look, Axis("Frequency", "GHz"), Axis("Level", "dB"))
        for k, (title, plot) in enumerate(
            (
                ("Bathtubs", self.bathtubs),
                ("Pulse and cursors", self.pulse),
                ("Channel and equalisers", self.response),
            )
        ):
            grid.addWidget(label(title, "heading"), 0, k)
            grid.addWidget(plot, 1, k)
            grid.setColumnStretch(k, 1)
        grid.setRowStretch(1, 1)
        layout.addLayout(grid, 4)

    def show_point(self, link: LinkEye, setting: Setting, mask: Mask | None) -> None:
        """Show the eye at one point of the chain in the place of all others."""
        for view in self.eyes[1:]:
            view.hide()
        self.eyes[0].show_setting(setting.name, link, setting, mask, reach_of(setting))

    def show_link(self, link: LinkEye, kept: Sequence[Kept[LinkEye]], mask: Mask | None) -> None:
        """Show a link beside kept states; without any, beside itself without equalisers."""
        t = self._look.t
        shown = [("now" if kept else link.settings[0].name, link, link.settings[0], False)]
        if kept:
            shown += [
                (k.called(), k.result, k.result.settings[0], True) for k in kept[-_MOST + 1 :]
            ]
        else:
            shown += [(s.name, link, s, False) for s in link.settings[1:]]
        reach = max(reach_of(one.settings[0]) for _, one, _, _ in shown)
        for view, one in zip(self.eyes, [*shown, *[None] * _MOST], strict=False):
            view.setVisible(one is not None)
            if one is not None:
                title, of, setting, is_kept = one
                view.show_setting(title, of, setting, mask, reach, kept=is_kept)
        self._draw_bathtubs(link, kept)
        self._draw_pulse(link)
        ghz = link.frequency * 1e-9
        curves = [
            Curve("channel", ghz, link.channel_db, t.secondary, 1.4, note=True),
            Curve("equalised", ghz, link.equalised_db, t.sea, 1.8, note=True),
        ]
        low = max(float(min(link.channel_db.min(), link.equalised_db.min())), -60.0)
        high = float(max(link.channel_db.max(), link.equalised_db.max(), 0.0))
        self.response.show_curves(curves, view=(0.0, float(ghz[-1]), low - 2.0, high + 2.0))

    def _draw_bathtubs(self, link: LinkEye, kept: Sequence[Kept[LinkEye]]) -> None:
        t, ui = self._look.t, link.moments / link.unit_interval
        curves = []
        colors = (t.sea, t.series[1], t.series[2])
        for k, eye in enumerate(link.settings[0].eyes):
            curves.append(Curve(eye.name, ui, eye.bathtub, colors[k % 3], 1.8))
        if len(link.settings) > 1 and not kept:
            last = link.settings[-1]
            worst = min(last.eyes, key=lambda e: e.width)
            curves.append(Curve(last.name, ui, worst.bathtub, t.secondary, 1.2))
        for one in kept:
            worst = min(one.result.settings[0].eyes, key=lambda e: e.width)
            x = one.result.moments / one.result.unit_interval
            curves.append(Curve(one.called(), x, worst.bathtub, t.kept, 1.4, one.number))
        rate = float(np.log10(link.error_rate))
        limit = Limit(rate, f"1e{rate:.3g}".replace("-", "−"))
        self.bathtubs.show_curves(curves, [limit], view=(-0.75, 0.75, _DEEPEST, 0.5))

    def _draw_pulse(self, link: LinkEye) -> None:
        t, unit = self._look.t, link.unit_interval
        ui = link.time / unit
        some = (ui >= _PULSE_UI[0]) & (ui <= _PULSE_UI[1])
        curves = [
            Curve("channel", ui[some], 1e3 * link.bare[some], t.secondary, 1.2),
            Curve("sampled", ui[some], 1e3 * link.pulse[some], t.sea, 1.8),
        ]
        marks, bars = [], []
        taps = dict(enumerate(link.taps, 1))
        for number, volts in link.cursors.items():
            if _PULSE_UI[0] <= number <= _PULSE_UI[1]:
                color = t.ink if number == 0 else t.tight
                marks.append((float(number), 1e3 * volts, color))
        for number, tap in taps.items():
            if number <= _PULSE_UI[1] and tap:
                low, high = sorted((0.0, 1e3 * tap))
                bar = Bars(np.array([float(number)]), np.array([high]), low, 0.7, t.sea_tint)
                bars.append(bar)
        self.pulse.show_curves(curves, marks=marks, bars=bars)
