"""Curves against frequency: presets, forms, limits where they hold, a baseline, a band."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from onda.app.kit.kept import Kept
from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.shell.chips import Chips
from onda.app.shell.fields import ChoiceBox, TextField, label
from onda.app.stages.networks.circle_plot import CirclePlot, Locus
from onda.app.stages.networks.curve_sets import (
    BANDS,
    FORMS,
    NAMES,
    PRESETS,
    UNITS,
    Shown,
    band_of,
    in_form,
    normalised,
    picked,
)
from onda.app.theme import Look
from onda.errors import InputError, OndaError
from onda.project.quantities import fixed
from onda.project.requirements import Requirement
from onda.studies.networks.limits import limit_lines, worst_of_curve
from onda.studies.networks.network import NetworkResult

__all__ = ["CurvesView"]

_FLOOR = -120.0


class CurvesView(QWidget):
    """The plot with what chooses its curves.

    Signals
    -------
    baseline_wanted(network) : compare with another network, empty for none
    """

    baseline_wanted = pyqtSignal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._result: NetworkResult | None = None
        self._kept: list[Kept[NetworkResult]] = []
        self._baseline: NetworkResult | None = None
        self._requirements: list[Requirement] = []
        self._band = "all"
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self.presets = Chips(PRESETS, "Which curves")
        self.presets.chosen.connect(lambda _: self.draw())
        layout.addWidget(self.presets)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.form = self._choice("Form", FORMS, row, 140)
        self.form.activated.connect(lambda _: self.draw())
        self.band = self._choice("Band", BANDS, row, 168)
        self.band.activated.connect(lambda _: self._choose_band(self.band.currentData()))
        self.typed_band = TextField("or", self._choose_band, width=92)
        row.addWidget(self.typed_band)
        self.against = self._choice("Against", (("", "nothing"),), row, 150)
        self.against.activated.connect(
            lambda _: self.baseline_wanted.emit(self.against.currentData() or "")
        )
        row.addStretch(1)
        layout.addLayout(row)
        self.entries = TextField("Entries", self._choose_entries, width=240)
        self.entries.show_text("S11 S21")
        layout.addWidget(self.entries)
        self.plots = QStackedWidget()
        self.plot = CurvePlot(look, Axis("Frequency", "GHz"), Axis("Level", "dB"), axis_width=52)
        self.circle = CirclePlot(look)
        self.plots.addWidget(self.plot)
        self.plots.addWidget(self.circle)
        layout.addWidget(self.plots, 1)
        self.sentence = label("", "", wrap=True)
        layout.addWidget(self.sentence)

    def _choice(
        self, name: str, items: Sequence[tuple[str, str]], row: QHBoxLayout, width: int
    ) -> ChoiceBox:
        row.addWidget(label(name, "secondary"))
        box = ChoiceBox(self._look, width)
        box.setAccessibleName(name)
        for key, words in items:
            box.addItem(words, key)
        row.addWidget(box)
        return box

    def show_networks(self, networks: Sequence[tuple[str, str]], chosen: str) -> None:
        """What may serve as a baseline: (id, name)."""
        items = [("", "nothing"), ("kept", "the kept state"), *networks]
        present = [
            (self.against.itemData(i), self.against.itemText(i))
            for i in range(self.against.count())
        ]
        if present != items:
            self.against.clear()
            for key, words in items:
                self.against.addItem(words, key)
        self.against.setCurrentIndex(max(0, self.against.findData(chosen)))

    def show_result(
        self,
        result: NetworkResult,
        kept: Sequence[Kept[NetworkResult]],
        baseline: NetworkResult | None,
        requirements: Sequence[Requirement],
    ) -> None:
        """Show a result against kept ones; `baseline` normalises all curves."""
        self._result, self._kept = result, list(kept)
        self._baseline, self._requirements = baseline, list(requirements)
        there = {c.kind for c in result.curves} | {"any"}
        if result.lanes:
            there.add("fit")
        self.presets.blockSignals(True)
        self.presets.show_only({k for k, _ in PRESETS if k in there})
        self.presets.blockSignals(False)
        self.draw()

    def _choose_band(self, band: str) -> None:
        if self._result is not None:
            band_of(band, self._result)
        self._band = band
        self.draw()

    def _choose_entries(self, typed: str) -> None:
        if self._result is not None:
            picked(self._result, "any", typed)
        self.draw()

    @property
    def curves(self) -> list[Curve]:
        """What is drawn, limits too."""
        return list(self._drawn)

    _drawn: Sequence[Curve] = ()

    def draw(self) -> None:
        """Draw what is chosen."""
        result = self._result
        if result is None:
            return
        self.entries.setVisible(self.presets.current == "any")
        trouble = ""
        try:
            low, high = band_of(self._band, result)
        except InputError as error:
            self._band, trouble = "all", str(error)
            self.band.setCurrentIndex(0)
            low, high = band_of("all", result)
        self._draw_in(result, low, high)
        if trouble:
            # Last, or what is said of the curves would take its place.
            self._say(trouble, bad=True)

    def _draw_in(self, result: NetworkResult, low: float, high: float) -> None:
        preset, form = self.presets.current, str(self.form.currentData())
        if preset == "fit":
            self._draw_fit(result, low, high)
            return
        try:
            shown = picked(result, preset, self.entries.edit.text())
        except InputError as error:
            self._drawn = []
            self.plot.show_curves([])
            self._say(str(error), bad=True)
            return
        if form in ("polar", "impedance"):
            self._draw_circle(result, preset, form, low, high)
            return
        self.plots.setCurrentWidget(self.plot)
        t, f = self._look.t, result.frequency
        inside = (f >= low) & (f <= high)
        relative = self._baseline is not None and form == "db"
        curves: list[Curve] = []
        for k, one in enumerate(shown):
            color = t.series[k % len(t.series)]
            if relative:
                hz, values = self._against(result, one.values, preset, k)
                some = (hz >= low) & (hz <= high)
                curves.append(
                    Curve(
                        one.name, hz[some] / 1e9, values[some], color, 1.8, note=1 < len(shown) < 5
                    )
                )
            else:
                values = in_form(f, one.values, form)[inside]
                values = np.maximum(values, _FLOOR) if form == "db" else values
                curves.append(
                    Curve(one.name, f[inside] / 1e9, values, color, 1.8, note=1 < len(shown) < 5)
                )
        if not relative:
            curves += self._kept_curves(preset, form, low, high)
        limits = self._limit_curves(preset, low, high) if form == "db" and not relative else []
        self._drawn = [*curves, *limits]
        curves_seen = [c for c in self._drawn if len(c.x)]
        view = _view(curves_seen, low / 1e9, high / 1e9, form, relative=relative)
        self.plot.show_y(Axis(NAMES.get(form, "Value"), UNITS.get(form, "")))
        self.plot.show_curves(self._drawn, view=view)
        self._say(self._relative_words(curves) if relative else self._limit_words(preset))

    def _against(
        self, result: NetworkResult, values: np.ndarray, preset: str, k: int
    ) -> tuple[np.ndarray, np.ndarray]:
        base = self._baseline
        assert base is not None
        other = self._picked_of(base, preset)
        if k >= len(other):
            return np.empty(0), np.empty(0)
        return normalised(result.frequency, values, base.frequency, other[k].values)

    def _picked_of(self, result: NetworkResult, preset: str) -> list[Shown]:
        """What is chosen, of another state too, which may lack it."""
        try:
            return picked(result, preset, self.entries.edit.text())
        except InputError:
            return []

    def _kept_curves(self, preset: str, form: str, low: float, high: float) -> list[Curve]:
        out = []
        for kept in self._kept:
            then = kept.result
            f = then.frequency
            inside = (f >= low) & (f <= high)
            for one in self._picked_of(then, preset)[:4]:
                values = in_form(f, one.values, form)[inside]
                values = np.maximum(values, _FLOOR) if form == "db" else values
                ghz, color = f[inside] / 1e9, self._look.t.kept
                out.append(Curve(kept.called(one.name), ghz, values, color, 1.4, kept=kept.number))
        return out

    def _limit_curves(self, preset: str, low: float, high: float) -> list[Curve]:
        out = []
        for requirement in self._requirements:
            if requirement.measure != preset:
                continue
            try:
                lines = limit_lines(requirement, low, high)
            except OndaError as error:
                self._say(str(error), bad=True)
                continue
            for k, line in enumerate(lines):
                sign = "at least" if line.at_least else "at most"
                name = f"{sign}, {requirement.source}" if requirement.source else sign
                out.append(
                    Curve(
                        name,
                        line.frequency / 1e9,
                        line.level,
                        self._look.t.fails,
                        1.6,
                        limit=True,
                        note=k == 0,
                        legend=k == 0,
                    )
                )
        return out

    def _limit_words(self, preset: str) -> str:
        assert self._result is not None
        words = []
        for requirement in self._requirements:
            if requirement.measure != preset:
                continue
            try:
                found = worst_of_curve(requirement, self._result)
            except OndaError as error:
                return str(error)
            if found is None:
                words.append("No data lie in the range of the limit.")
                continue
            state = "Holds" if found.margin >= 0 else "Fails"
            words.append(
                f"{state} by {abs(found.margin):.2f} dB at {found.frequency / 1e9:.3g} GHz: "
                f"{fixed(found.value, 2)} dB against {fixed(found.limit, 2)} dB"
                + (f" ({found.curve})." if found.curve else ".")
            )
        return " ".join(words)

    def _relative_words(self, curves: Sequence[Curve]) -> str:
        there = [c for c in curves if len(c.y)]
        if not there:
            return "The other network has no such curve."
        worst = max(there, key=lambda c: float(np.abs(c.y).max()))
        k = int(np.abs(worst.y).argmax())
        more = "above" if worst.y[k] > 0 else "below"
        assert self._baseline is not None
        return (
            f"Largest difference {abs(worst.y[k]):.1f} dB {more} {self._baseline.name} at "
            f"{worst.x[k]:.3g} GHz ({worst.name})."
        )

    def _say(self, words: str, *, bad: bool = False) -> None:
        ink = self._look.t.fails if bad else self._look.t.ink
        self.sentence.setText(f'<span style="color:{ink}">{words}</span>')

    def _draw_circle(
        self, result: NetworkResult, preset: str, form: str, low: float, high: float
    ) -> None:
        self.plots.setCurrentWidget(self.circle)
        t = self._look.t
        loci = []
        for source, kept in ((result, 0), *((k.result, k.number) for k in self._kept)):
            inside = (source.frequency >= low) & (source.frequency <= high)
            for k, one in enumerate(self._picked_of(source, preset)[:8]):
                color = t.kept if kept else t.series[k % len(t.series)]
                loci.append(
                    Locus(one.name, source.frequency[inside], one.values[inside], color, kept)
                )
        z = result.reference
        if result.pair and preset != "any":
            z *= 0.5 if preset == "return_common" else 2.0
        self.circle.show_loci(loci, impedance=form == "impedance", reference=z)
        self._say("")

    def _draw_fit(self, result: NetworkResult, low: float, high: float) -> None:
        self.plots.setCurrentWidget(self.plot)
        t = self._look.t
        curves = []
        for lane in result.lanes:
            f = lane.band
            some = (f >= low) & (f <= high)
            name = f"lane {lane.lane + 1} " if len(result.lanes) > 1 else ""
            for what, values, color in (
                ("loss", lane.loss_db, t.series[2 * lane.lane % len(t.series)]),
                ("fit", lane.fit_db, t.ink),
                ("deviation", lane.deviation_db, t.series[(2 * lane.lane + 1) % len(t.series)]),
            ):
                x, y = f[some] / 1e9, values[some]
                curves.append(Curve(f"{name}{what}", x, y, color, 1.4, note=lane.lane == 0))
        self._drawn = curves
        self.plot.show_y(Axis("Loss", "dB"))
        self.plot.show_curves(curves)
        first = result.lanes[0]
        words = f"Deviation {first.ild:.3f} dB"
        if np.isfinite(first.icn):
            words += (
                f", crosstalk noise {first.icn * 1e3:.2f} mV "
                f"(near {first.sigma_near * 1e3:.2f}, far {first.sigma_far * 1e3:.2f})"
            )
        self._say(f"{words}. Up to 0.75 of the rate, 600 mV, edges of 0.25 UI, after IEEE 802.3.")


def _view(
    curves: Sequence[Curve], x0: float, x1: float, form: str, *, relative: bool
) -> tuple[float, float, float, float] | None:
    if not curves:
        return None
    low = min(float(c.y.min()) for c in curves)
    high = max(float(c.y.max()) for c in curves)
    if form == "db" and not relative:
        # Deep notches would press what matters together.
        levels = np.concatenate([c.y for c in curves])
        low = max(low, float(np.percentile(levels, 2)) - 6.0)
        high = max(high, low + 1.0)
    room = 0.07 * max(high - low, 1e-6)
    return x0, x1, low - room, high + room
