"""Materials: library, user's own and project's, each with its causal model over its table."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from onda.app.kit.context import Context
from onda.app.plots.curves import Axis, Curve, CurvePlot
from onda.app.shell.asking import ask_open, ask_save
from onda.app.shell.fields import Entry, NumberRows, label
from onda.errors import OndaError
from onda.project.build.library import (
    add_user_materials,
    fit_of,
    library,
    material_from_row,
    material_to_row,
    materials_csv,
    read_user_materials,
    user_materials,
)
from onda.project.build.stackup import Material
from onda.project.writing import write_atomically

__all__ = ["MaterialsPage"]

_TABLE = "CSV (*.csv)"


@dataclass(frozen=True)
class _Entry:
    """A material in the list: where it is from, and how to have it under an id."""

    origin: str
    name: str
    make: Callable[[str], Material]
    own: Material | None = None


class MaterialsPage(QWidget):
    """Find a material, see what it is worth, use it for the chosen layer.

    Signals
    -------
    wanted(material maker) : use it for the chosen layer
    left : back to the build
    said(words) : what was done
    """

    wanted = pyqtSignal(object)
    left = pyqtSignal()
    said = pyqtSignal(str)

    def __init__(self, context: Context) -> None:
        super().__init__()
        self._context = context
        self._entries: list[_Entry] = []
        self._layer = ""
        look = context.look
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 4, 0, 0)
        grid.setHorizontalSpacing(16)
        self.filter = Entry()
        self.filter.setPlaceholderText("Find: low-loss 1080, mask, flex …")
        self.filter.setAccessibleName("Find a material")
        self.filter.textChanged.connect(lambda _: self._fill())
        grid.addWidget(self.filter, 0, 0)
        self.list = QListWidget()
        self.list.setAccessibleName("Materials")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.list.currentRowChanged.connect(lambda _: self._show())
        grid.addWidget(self.list, 1, 0, 4, 1)
        self.name = label("", "heading")
        grid.addWidget(self.name, 0, 1)
        self.dk = CurvePlot(look, Axis("Frequency", "GHz", log=True), Axis("Dk"), axis_width=48)
        self.df = CurvePlot(look, Axis("Frequency", "GHz", log=True), Axis("Df"), axis_width=48)
        grid.addWidget(label("Points as given, causal model as a line", "secondary"), 1, 1)
        grid.addWidget(self.dk, 2, 1)
        grid.addWidget(self.df, 4, 1)
        self.numbers = NumberRows(look)
        grid.addWidget(self.numbers, 5, 1)
        grid.setColumnStretch(0, 5)
        grid.setColumnStretch(1, 6)
        grid.setRowStretch(2, 1)
        grid.setRowStretch(4, 1)
        grid.addWidget(self._buttons(), 5, 0, Qt.AlignmentFlag.AlignTop)
        self.problem = label("", "error", wrap=True)
        self.problem.hide()
        grid.addWidget(self.problem, 6, 0, 1, 2)

    def _buttons(self) -> QWidget:
        holder = QWidget()
        column = QVBoxLayout(holder)
        column.setContentsMargins(0, 4, 0, 0)
        first, second = QHBoxLayout(), QHBoxLayout()
        self.use = QPushButton("Use for the layer")
        self.use.setObjectName("primary")
        self.use.clicked.connect(lambda: self._use())
        back = QPushButton("Back to the build")
        back.clicked.connect(lambda: self.left.emit())
        first.addWidget(self.use)
        first.addWidget(back)
        first.addStretch(1)
        self.keep = QPushButton("Add to my materials")
        self.keep.setToolTip("Keep a material of this project for all projects")
        self.keep.clicked.connect(lambda: self._keep())
        second.addWidget(self.keep)
        for words, act, tip in (
            ("Read table…", self._ask_table, "Add the materials of a CSV table to your own"),
            ("Write table…", self._ask_where, "This project's materials as such a table"),
        ):
            button = QPushButton(words)
            button.setToolTip(tip)
            button.clicked.connect(lambda _, act=act: act())
            second.addWidget(button)
        column.addLayout(first)
        second.addStretch(1)
        column.addLayout(second)
        return holder

    def show_for(self, layer: str) -> None:
        """Fill the list; the button uses the choice for `layer`."""
        self._layer = layer
        self.use.setText(f"Use for {layer}" if layer else "Add to the project")
        self._tell("")
        entries = [
            _Entry("project", m.name, lambda _, m=m: m, m)  # type: ignore[misc]
            for m in self._context.document.project.design.materials
        ]
        try:
            entries += [
                _Entry("mine", r.name, lambda i, r=r: material_from_row(r, i, source="own table"))  # type: ignore[misc]
                for r in user_materials()
            ]
        except OndaError as error:
            self._tell(str(error))
        entries += [_Entry("library", m.name, m.as_material) for m in library().materials]
        self._entries = entries
        self._fill()

    def _tell(self, words: str) -> None:
        self.problem.setText(words)
        self.problem.setVisible(bool(words))

    def _fill(self) -> None:
        wanted = self.filter.text().lower().split()
        self.list.blockSignals(True)
        self.list.clear()
        for k, entry in enumerate(self._entries):
            words = f"{entry.name} {entry.origin}".lower()
            if all(w in words for w in wanted):
                item = QListWidgetItem(f"{entry.name}  ({entry.origin})")
                item.setData(Qt.ItemDataRole.UserRole, k)
                self.list.addItem(item)
        self.list.blockSignals(False)
        self.list.setCurrentRow(0)
        self._show()

    @property
    def entry(self) -> _Entry | None:
        """The chosen material."""
        item = self.list.currentItem()
        return self._entries[item.data(Qt.ItemDataRole.UserRole)] if item else None

    def _show(self) -> None:
        entry = self.entry
        self.use.setEnabled(entry is not None)
        self.keep.setEnabled(entry is not None and entry.origin == "project")
        if entry is None:
            self.name.setText("Nothing found")
            self.numbers.set_rows([])
            for plot in (self.dk, self.df):
                plot.show_curves([])
            return
        material = entry.make("shown")
        self.name.setText(material.name)
        try:
            fit = fit_of(material)
        except OndaError as error:
            self._tell(str(error))
            return
        t = self._context.look.t
        known = np.array(material.known)
        f = np.geomspace(min(1e8, known[0, 0]), max(4e10, known[-1, 0]), 120)
        e = fit.model.permittivity(np.asarray(2j * np.pi * f, dtype=np.complex128))
        ghz, at = f / 1e9, known[:, 0] / 1e9
        for plot, values, points in (
            (self.dk, e.real, known[:, 1]),
            (self.df, -e.imag / e.real, known[:, 2]),
        ):
            curves = [Curve("model", ghz, values, t.sea, 1.8)]
            plot.show_curves(
                curves,
                marks=[(float(a), float(p), t.ink) for a, p in zip(at, points, strict=True)],
            )
        conductivity = material.thermal_conductivity
        self.numbers.set_rows(
            [
                ("Points given", str(len(known)), "", ""),
                ("Model off, Dk", f"{100 * fit.dk_error:.2f}", "%", ""),
                ("Model off, Df", f"{fit.df_error:.5f}", "", ""),
                ("Dk drift", f"{material.dk_per_kelvin * 1e6:.0f}", "ppm/K", ""),
                ("Conductivity", f"{conductivity:.2f}" if conductivity else "–", "W/mK", ""),
            ]
        )

    def _use(self) -> None:
        if self.entry is not None:
            self.wanted.emit(self.entry)

    def _keep(self) -> None:
        entry = self.entry
        if entry is None or entry.own is None:
            return
        try:
            add_user_materials((material_to_row(entry.own),))
            self.show_for(self._layer)
        except OndaError as error:
            self._tell(str(error))

    def _ask_table(self) -> None:
        path = ask_open(self, "Read materials", _TABLE)
        if path is not None:
            self.read_table(path)

    def _ask_where(self) -> None:
        path = ask_save(self, "Write materials", "materials.csv", _TABLE)
        if path is not None:
            self.write_table(path)

    def read_table(self, path: Path) -> None:
        """Add a table's materials to the user's own."""
        try:
            count = read_user_materials(path)
            self.show_for(self._layer)
            self.said.emit(f"Added to your own: {count} from {path.name}")
        except OndaError as error:
            self._tell(str(error))

    def write_table(self, path: Path) -> None:
        """Write the project's materials as a table."""
        materials = self._context.document.project.design.materials
        try:
            write_atomically(path, materials_csv(materials))
            self._tell("")
            self.said.emit(f"Written: {path.name}")
        except OndaError as error:
            self._tell(str(error))
