"""Mode check of a shielded section: what travels up to which frequency, and how large it may be."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from onda.app.kit.context import Context
from onda.app.kit.subject import Subject
from onda.app.plots.curves import Axis, Curve, CurvePlot, Limit
from onda.app.shell.asking import ask_open
from onda.app.shell.chips import Chips
from onda.app.shell.fields import ChoiceBox, Heading, NumberRows, label
from onda.app.shell.form import FieldSpec, Form
from onda.app.stages.lines.shield_view import ShieldView
from onda.errors import OndaError
from onda.project.base import set_value
from onda.project.edits import replace_object
from onda.project.lines.objects import Body, ShieldedSection
from onda.project.quantities import Quantity, format_si
from onda.project.shown_units import units_in_use
from onda.studies.core.reading import read_inputs
from onda.studies.lines.outlines import OUTLINES, Outlines
from onda.studies.lines.shield import (
    MODE_CHECK,
    SIZE_SWEEP,
    GuidedMode,
    ModeCheckResult,
    SizeSweepInputs,
    SizeSweepResult,
    mode_sentence,
    shield_inputs,
    shield_section,
)

__all__ = ["ShieldInspector", "ShieldPage"]

_FACTORS = tuple(float(f) for f in np.geomspace(0.45, 4.0, 11))
Ask = Callable[..., None]


def mode_name(modes: tuple[GuidedMode, ...], index: int) -> str:
    """A name for a mode: what lies along the line, and its number among those."""
    kind = modes[index].kind
    number = sum(m.kind == kind for m in modes[: index + 1])
    return "TEM" if kind == "TEM" else f"{kind} {number}"


class ShieldPage(QWidget):
    """Section with field, propagation against frequency, the window of sizes."""

    def __init__(self, context: Context, ask: Ask, tell: Callable[[str], None]) -> None:
        super().__init__()
        self._context, self._ask, self._tell = context, ask, tell
        self._shielded: ShieldedSection | None = None
        self.result: ModeCheckResult | None = None
        self.sizes: SizeSweepResult | None = None
        self.chosen = 0
        self._of = ""
        look = context.look
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self.sentence = label("", "title", wrap=True)
        layout.addWidget(self.sentence)
        self.view = ShieldView(look)
        layout.addWidget(self.view, 6)
        row = QHBoxLayout()
        self.modes = ChoiceBox(look, 210)
        self.modes.setAccessibleName("Mode")
        self.modes.activated.connect(self._choose)
        row.addWidget(label("Mode"))
        row.addWidget(self.modes)
        self.fields = Chips((("E", "Electric field"), ("H", "Magnetic field")), "Field")
        self.fields.chosen.connect(lambda _: self._draw_mode())
        row.addWidget(self.fields, 1)
        layout.addLayout(row)
        grid = QGridLayout()
        grid.setHorizontalSpacing(14)
        self.dispersion = CurvePlot(look, Axis("Frequency", "GHz"), Axis("Propagation", "rad/mm"))
        self.impedance = CurvePlot(look, Axis("Width", "mm"), Axis("Impedance", "Ω"))
        self.cut_off = CurvePlot(look, Axis("Width", "mm"), Axis("Cut-off", "GHz"))
        for k, (title, plot) in enumerate(
            (
                ("Propagation, rad/mm", self.dispersion),
                ("Impedance against size", self.impedance),
                ("First other mode against size", self.cut_off),
            )
        ):
            grid.addWidget(label(title, "heading"), 0, k)
            grid.addWidget(plot, 1, k)
            grid.setColumnStretch(k, 1)
        grid.setRowStretch(1, 1)
        layout.addLayout(grid, 5)
        self.window_note = label("", "secondary", wrap=True)
        layout.addWidget(self.window_note)

    def show_section(self, shielded: ShieldedSection) -> None:
        """Turn to a section and ask for what is not known of it."""
        if shielded.id != self._of:
            self._of, self.chosen = shielded.id, 0
            self.result, self.sizes = None, None
        self._shielded = shielded
        design = self._context.document.project.design
        try:
            inputs = shield_inputs(design, shielded)
            self.view.show_section(shield_section(inputs))
        except OndaError as error:
            self._fail(str(error))
            return
        self._tell("")
        self._ask("modes", MODE_CHECK, lambda: inputs, self._take, self._fail)
        if not self._context.document.in_gesture:
            self._ask(
                "sizes",
                SIZE_SWEEP,
                lambda: SizeSweepInputs(inputs, _FACTORS),
                self._take_sizes,
                lambda _: self._take_sizes(None),
            )

    def _fail(self, words: str) -> None:
        self._tell(words)
        self.result, self.sizes = None, None
        self.view.show_section(None)
        self._draw()

    def _take(self, result: ModeCheckResult) -> None:
        self.result = result
        self.chosen = min(self.chosen, max(len(result.modes) - 1, 0))
        self._draw()

    def _take_sizes(self, result: SizeSweepResult | None) -> None:
        self.sizes = result
        self._draw_sizes()

    def _choose(self, index: int) -> None:
        count = len(self.result.modes) if self.result is not None else 0
        self.chosen = max(min(index, count - 1), 0)
        self._draw()

    def _draw(self) -> None:
        result, shielded = self.result, self._shielded
        self.modes.blockSignals(True)
        self.modes.clear()
        if result is None or shielded is None:
            self.sentence.setText("" if shielded is None else "looking for modes…")
            self.dispersion.show_curves([])
            self.modes.blockSignals(False)
            return
        self.sentence.setText(mode_sentence(result, shielded.up_to.si))
        for k, m in enumerate(result.modes):
            at = "down to DC" if m.cut_off == 0 else f"from {m.cut_off / 1e9:.2f} GHz"
            self.modes.addItem(f"{mode_name(result.modes, k)}, {at}")
        self.modes.setCurrentIndex(self.chosen)
        self.modes.blockSignals(False)
        t = self._context.look.t
        curves = []
        for k, m in enumerate(result.modes):
            x, y = _dispersion(m, result.frequency)
            strong = k == self.chosen
            color = t.sea if strong else t.unknown
            curves.append(
                Curve(mode_name(result.modes, k), x, y, color, 2.2 if strong else 1.2, note=strong)
            )
        self.dispersion.show_curves(curves)
        self._draw_mode()

    def _draw_mode(self) -> None:
        result = self.result
        if result is None or not result.modes:
            self.view.show_mode(None, "", magnetic=False)
            return
        mode = result.modes[self.chosen]
        magnetic = self.fields.current == "H"
        name = mode_name(result.modes, self.chosen)
        if mode.kind == "TEM":
            words = f"{name}: field across the line"
        else:
            field = "magnetic" if mode.kind == "H" else "electric"
            words = (
                f"{name} at its cut-off, {mode.cut_off / 1e9:.2f} GHz: {field} field along the "
                "line as tint"
            )
        self.view.show_mode(mode, words, magnetic=magnetic)

    def _draw_sizes(self) -> None:
        sizes, shielded = self.sizes, self._shielded
        if sizes is None or shielded is None:
            self.impedance.show_curves([])
            self.cut_off.show_curves([])
            self.window_note.setText("")
            return
        t = self._context.look.t
        unit, name = units_in_use().long_length
        for plot in (self.impedance, self.cut_off):
            plot.show_x(Axis("Width", name))
        wide = sizes.size / unit
        good = np.isfinite(sizes.z0)
        curves = [Curve("impedance", wide[good], sizes.z0[good], t.sea, 1.8)]
        limits = []
        if not math.isnan(sizes.z_open):
            for k in (0.98, 1.02):
                words = f"{k - 1:+.0%} of no wall".replace("-", "\u2212")
                limits.append(Limit(k * sizes.z_open, words))
        now = shielded.width.si / unit
        marks = []
        if good.any():
            z_now = float(np.interp(now, wide[good], sizes.z0[good]))
            marks = [(now, z_now, t.ink)]
        view = None
        if good.any() and float(np.ptp(sizes.z0[good])) < 0.02 * float(sizes.z0[good].mean()):
            # Both diameters grow together: the impedance stays, and rounding is no curve.
            z = float(sizes.z0[good].mean())
            view = (float(wide[good][0]), float(wide[good][-1]), 0.9 * z, 1.1 * z)
        self.impedance.show_curves(curves, limits, marks=marks, view=view)
        known = np.isfinite(sizes.cut_off)
        top = shielded.up_to.si / 1e9
        self.cut_off.show_curves(
            [Curve("first other mode", wide[known], sizes.cut_off[known] / 1e9, t.sea, 1.8)],
            [Limit(top, f"wanted up to {top:g} GHz")],
            marks=(
                [(now, float(np.interp(now, wide[known], sizes.cut_off[known] / 1e9)), t.ink)]
                if known.any()
                else []
            ),
        )
        self.window_note.setText(_window_words(sizes, shielded))


def _dispersion(mode: GuidedMode, frequency: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """GHz and rad/mm of a mode from its cut-off up; beta squared is nearly straight in f^2."""
    known = np.isfinite(mode.beta)
    at = np.concatenate([[mode.cut_off], frequency[known]]) ** 2
    squares = np.concatenate([[0.0], mode.beta[known] ** 2])
    f = np.linspace(mode.cut_off, float(frequency[-1]), 60)
    return f / 1e9, np.sqrt(np.interp(f**2, at, squares)) / 1e3


def _window_words(sizes: SizeSweepResult, shielded: ShieldedSection) -> str:
    small, large = sizes.smallest, sizes.largest
    top = format_si(shielded.up_to.si, "frequency")
    if math.isnan(large):
        tops = sizes.cut_off[~np.isnan(sizes.cut_off)]
        if len(tops) and float(tops.min()) > shielded.up_to.si:
            return f"No other mode travels at {top} in any size tried."
        return f"In every size tried another mode travels at {top}."
    if math.isnan(small) or small <= float(sizes.size[0]) * 1.001:
        return f"Usable up to {format_si(large, 'length')}: larger, another mode travels at {top}."
    if small > large:
        return (
            f"No usable size: below {format_si(small, 'length')} the wall changes the impedance "
            f"by more than 2 %, above {format_si(large, 'length')} another mode travels at {top}."
        )
    return (
        f"Usable from {format_si(small, 'length')} (impedance within 2 %) to "
        f"{format_si(large, 'length')} (no other mode up to {top})."
    )


class ShieldInspector(QWidget):
    """Fields of a shielded section."""

    def __init__(self, context: Context, subject: Subject, tell: Callable[[str], None]) -> None:
        super().__init__()
        self._subject = subject
        self._context, self._tell = context, tell
        self._shielded: ShieldedSection | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        self.kind = label("", "secondary", wrap=True)
        layout.addWidget(self.kind)
        self.numbers = NumberRows(context.look)
        layout.addWidget(self.numbers)
        for name in ("shape", "material"):
            line = QHBoxLayout()
            line.addWidget(label(name.capitalize()), 1)
            box = ChoiceBox(context.look)
            box.setAccessibleName(name.capitalize())
            box.activated.connect(lambda _, name=name, box=box: self._pick(name, box))
            line.addWidget(box)
            layout.addLayout(line)
            setattr(self, name, box)
        self.form = Form(context.look, context.document)
        layout.addWidget(self.form)
        layout.addWidget(Heading("Drawn section"))
        self.read = QPushButton("Read outlines…")
        self.read.setToolTip("CSV with columns body, role, x, y, material")
        self.read.clicked.connect(lambda: self._ask_file())
        layout.addWidget(self.read)
        layout.addWidget(
            label(
                "Roles: signal, ground, shield, dielectric. The wall is the inner outline of the "
                "shield.",
                "secondary",
                wrap=True,
            )
        )
        layout.addStretch(1)

    shape: ChoiceBox
    material: ChoiceBox

    def show_section(self, shielded: ShieldedSection, result: ModeCheckResult | None) -> None:
        """Show the fields of a section and what is known of it."""
        self._shielded = shielded
        words = {
            "round": "round wall, round conductor",
            "box": "box with a trace on a floor",
            "drawn": "drawn outlines",
        }
        self.kind.setText(words[shielded.shape])
        if result is None:
            self.numbers.set_rows([])
        else:
            known = not math.isnan(result.z0)
            self.numbers.set_rows(
                [
                    ("Impedance", f"{result.z0:.2f}" if known else "–", "Ω", ""),
                    ("Target", f"{shielded.target.si:g}", "Ω", ""),
                    ("Effective Dk", f"{result.eeff:.3f}" if known else "–", "", ""),
                    ("Modes found", str(len(result.modes)), "", ""),
                    ("Looked up to", f"{result.looked_up_to / 1e9:.1f}", "GHz", ""),
                ]
            )
        _show(self.shape, [("round", "round"), ("box", "box"), ("drawn", "drawn")], shielded.shape)
        materials = self._context.document.project.design.materials
        _show(self.material, [(m.id, m.name) for m in materials], shielded.material)
        round_ = shielded.shape == "round"
        fields: list[tuple[str, str, str, tuple[float, float, float] | None]]
        fields = [("Up to", "up_to", "frequency", None), ("Target", "target", "resistance", None)]
        if shielded.shape != "drawn":
            size = shielded.width.si
            fields += [
                ("Wall diameter" if round_ else "Wall width", "width", "length",
                 (0.3 * size, 3 * size, 1e-5)),
                ("Conductor", "conductor", "length", (1e-5, size, 1e-5)),
            ]  # fmt: skip
        if shielded.shape == "box":
            fields += [
                ("Wall height", "height", "length", (1e-4, 3 * shielded.height.si, 1e-5)),
                ("Floor", "floor", "length", (0.0, shielded.height.si, 1e-6)),
                ("Copper", "conductor_height", "length", None),
            ]
        self.form.set_specs(
            [
                FieldSpec(
                    title,
                    dimension,
                    lambda key=key: getattr(self._shielded, key),  # type: ignore[misc]
                    lambda q, key=key: self._put(key, q),  # type: ignore[misc]
                    trim,
                )
                for title, key, dimension, trim in fields
            ]
        )

    def _change(self, words: str, **changes: Any) -> None:
        assert self._shielded is not None
        new = set_value(self._shielded, **changes)
        document = self._context.document
        document.edit(words, replace_object(document.project, new))

    def _put(self, key: str, q: Quantity) -> None:
        self._change(f"Change {key.replace('_', ' ')}", **{key: q})

    def _pick(self, name: str, box: ChoiceBox) -> None:
        try:
            self._change(f"Change {name}", **{name: str(box.currentData())})
            self._tell("")
        except OndaError as error:
            self._tell(str(error))
            if self._shielded is not None:
                self.show_section(self._shielded, None)

    def _ask_file(self) -> None:
        path = ask_open(self, "Read outlines", "CSV (*.csv)")
        if path is not None:
            self.read_outlines(path)

    def read_outlines(self, path: Path) -> None:
        """Take outlines over from a CSV file, read in the background."""
        design = self._context.document.project.design
        by_name = {m.name: m.id for m in design.materials} | {m.id: m.id for m in design.materials}

        def arrived(found: Outlines) -> None:
            try:
                bodies = tuple(
                    Body(
                        name=r.name,
                        role=r.role,  # type: ignore[arg-type]
                        material=by_name.get(r.material, r.material or None),
                        corners=r.corners,
                    )
                    for r in found.rows
                )
                self._change(f"Read {path.name}", bodies=bodies, shape="drawn")
                self._tell("")
            except (OndaError, ValueError) as error:
                self._tell(str(error))

        self._subject.ask("outlines", OUTLINES, lambda: read_inputs(path), arrived, self._tell)


def _show(box: ChoiceBox, items: list[tuple[str, str]], current: str) -> None:
    box.blockSignals(True)
    box.clear()
    for key, words in items:
        box.addItem(words, key)
    box.setCurrentIndex(box.findData(current))
    box.blockSignals(False)
