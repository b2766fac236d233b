"""Joins the build to the document: thickness, Dk, Df, copper, and what the classes reach."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.shell.fields import ChoiceBox, Heading, NumberRows, QuantityField, TextField, label
from onda.app.shell.form import FieldSpec, Form
from onda.app.shell.rows import Row
from onda.app.stages.base import Context, Stage, scrolled
from onda.app.stages.stackup.build_view import BuildView, Cell
from onda.errors import InputError, OndaError
from onda.project.edits import set_value, with_design
from onda.project.model import CoatingLayer, CopperLayer, DielectricLayer, Material, StackLayer
from onda.project.quantities import Quantity, format_si, split_si
from onda.studies.margins import Margin

__all__ = ["StackupStage"]


_SPREAD: tuple[tuple[str, str, str], ...] = (
    ("Width", "length", "width"),
    ("Dielectric", "ratio", "dielectric"),
    ("Dk", "ratio", "dk"),
    ("Copper", "length", "copper"),
    ("Mask", "length", "coating"),
)


class StackupStage(Stage):
    """Stackup, in its first form: one rigid build."""

    id = "stackup"
    add_title = ""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self.surface.add_button(
            "Keep state", self.keep_wanted.emit, primary=True, tip="Keep this state to compare (K)"
        )
        self.view = BuildView(context.look)
        self.view.layer_chosen.connect(context.selection.choose_element)
        self.view.cell_chosen.connect(self._go_to_line)
        self.surface.body.addWidget(self.view, 1)
        self.inspector = scrolled(self._build_inspector())
        context.standing.changed.connect(self._refresh_if_active)

    def _build_inspector(self) -> QWidget:
        content = QWidget()
        layout = QVBoxLayout(content)
        layout.setContentsMargins(16, 10, 16, 8)
        layout.setSpacing(3)
        self.title = label("", "title")
        self.what = label("", "secondary", wrap=True)
        layout.addWidget(self.title)
        layout.addWidget(self.what)
        self.choices = QWidget()
        line = QHBoxLayout(self.choices)
        line.setContentsMargins(0, 2, 0, 2)
        self.choice_title = label("Role")
        line.addWidget(self.choice_title, 1)
        self.choice = ChoiceBox(self.context.look)
        self.choice.activated.connect(lambda _: self._chosen())
        line.addWidget(self.choice)
        layout.addWidget(self.choices)
        self.form = Form(self.context.look, self.context.document)
        layout.addWidget(self.form)
        self.material_heading = Heading("Material")
        layout.addWidget(self.material_heading)
        self.dk = TextField("Dk", self._put_number("dk"), width=96)
        self.df = TextField("Df", self._put_number("df"), width=96)
        layout.addWidget(self.dk)
        layout.addWidget(self.df)
        self.material_note = label("", "secondary", wrap=True)
        layout.addWidget(self.material_note)
        layout.addWidget(Heading("Fabricator's spread", "either way"))
        self.spread = [
            QuantityField(title, dimension, self._put_spread(key))
            for title, dimension, key in _SPREAD
        ]
        for made in self.spread:
            layout.addWidget(made)
        layout.addWidget(Heading("Whole build"))
        self.numbers = NumberRows(self.context.look)
        layout.addWidget(self.numbers)
        layout.addStretch(1)
        return content

    @property
    def layer(self) -> StackLayer | None:
        """The chosen layer."""
        chosen = self.context.selection.element
        return next((x for x in self.design.stackup.layers if x.id == chosen), None)

    def rows(self) -> Sequence[Row]:
        state = self.context.standing.state_of("lines")
        copper = self.design.stackup.copper
        return [Row("rigid", "Rigid build", f"{len(copper)} copper layers", state)]

    def refresh(self) -> None:
        layers = self.design.stackup.layers
        if not layers:
            self.surface.title.setText("Stackup")
            self.surface.remark.setText("There is no layer yet.")
            return
        if self.layer is None:
            first = next((x.id for x in layers if isinstance(x, DielectricLayer)), layers[0].id)
            self.context.selection.choose_element(first)
            return
        self.surface.title.setText("Rigid build")
        total = sum(BuildView.thickness(x) for x in layers)
        copper = self.design.stackup.copper
        self.surface.remark.setText(
            f"{len(copper)} copper layers, {format_si(total, 'length')} over all"
        )
        self._draw()
        self._show_layer(self.layer)
        for made, (_, _, key) in zip(self.spread, _SPREAD, strict=True):
            made.show_quantity(getattr(self.design.stackup.spread, key))
        half = len(layers) // 2
        mirrored = all(
            abs(BuildView.thickness(layers[i]) - BuildView.thickness(layers[-1 - i])) < 1e-9
            for i in range(half)
        )
        self.numbers.set_rows(
            [
                ("Thickness", *split_si(total, "length"), ""),
                ("Copper layers", str(len(copper)), "", ""),
                ("Symmetric", "yes" if mirrored else "no", "", ""),
            ]
        )
        self.margins_changed.emit()

    def _draw(self) -> None:
        design = self.design
        found = {
            (m.subject, m.title.rsplit(" ", 1)[-1]): m
            for m in self.context.standing.margins
            if m.stage == "lines" and m.title.startswith("Impedance")
        }
        cells = []
        for c in design.line_classes:
            for trace in c.on:
                margin: Margin | None = found.get((c.id, trace.layer))
                shape = format_si(trace.width.si, "length").replace(" µm", "")
                if trace.gap is not None:
                    shape += f" / {format_si(trace.gap.si, 'length').replace(' µm', '')}"
                value = margin.value_text if margin is not None else "no limit"
                state = margin.state if margin is not None else None
                cells.append(Cell(trace.layer, c.id, f"{shape} µm", value, state))
        self.view.show_build(
            design.stackup.layers,
            {m.id: m for m in design.materials},
            [(c.id, c.name) for c in design.line_classes],
            cells,
            self.context.selection.element,
        )

    def _show_layer(self, layer: StackLayer) -> None:
        self.title.setText(layer.id)
        is_copper = isinstance(layer, CopperLayer)
        for part in (self.dk, self.df, self.material_note, self.material_heading):
            part.setVisible(not is_copper)
        self.choice.blockSignals(True)
        self.choice.clear()
        if isinstance(layer, CopperLayer):
            self.what.setText("copper, finished thickness")
            self.choice_title.setText("Role")
            for role in ("signal", "plane"):
                self.choice.addItem(role, role)
            self.choice.setCurrentIndex(("signal", "plane").index(layer.role))
            keys = [
                ("Thickness", "thickness", (5e-6, 105e-6, 1e-6)),
                ("Etch undercut", "undercut", (0.0, 30e-6, 5e-7)),
            ]
        else:
            self._show_material(layer.material)
            if isinstance(layer, CoatingLayer):
                self.what.setText("solder mask, conformal")
                keys = [
                    ("Over laminate", "over_laminate", (5e-6, 60e-6, 1e-6)),
                    ("Over copper", "over_copper", (5e-6, 60e-6, 1e-6)),
                    ("Beside copper", "beside", (5e-6, 60e-6, 1e-6)),
                ]
            else:
                self.what.setText(f"{layer.name}, thickness as pressed between copper")
                thick = layer.thickness.si
                keys = [("Thickness", "thickness", (25e-6, max(2 * thick, 250e-6), 1e-6))]
        self.choice.blockSignals(False)
        self.form.set_specs(
            [
                FieldSpec(
                    title,
                    "length",
                    lambda key=key: getattr(self.layer, key, None),  # type: ignore[misc]
                    self._put_length(key),
                    trim,
                    kept=lambda key=key: self._kept_values(key),  # type: ignore[misc]
                )
                for title, key, trim in keys
            ]
        )

    def _put_spread(self, key: str) -> Callable[[Quantity], None]:
        def put(q: Quantity) -> None:
            project = self.context.document.project
            spread = set_value(project.design.stackup.spread, **{key: q})
            stackup = set_value(project.design.stackup, spread=spread)
            self.context.document.edit(
                f"Change spread of {key}", with_design(project, stackup=stackup)
            )

        return put

    def _show_material(self, identifier: str) -> None:
        self.choice_title.setText("Material")
        for m in self.design.materials:
            self.choice.addItem(m.name, m.id)
        self.choice.setCurrentIndex([m.id for m in self.design.materials].index(identifier))
        material = self.design.material(identifier)
        self.dk.show_text(f"{material.dk:g}")
        self.df.show_text(f"{material.df:g}")
        users = sum(getattr(x, "material", "") == identifier for x in self.design.stackup.layers)
        self.material_note.setText(
            f"{material.name}, given at {material.at.text}; used in {users} layers"
        )

    def _kept_values(self, key: str) -> list[float]:
        chosen = self.context.selection.element
        found = (x for k in self.shown_kept for x in k.design.stackup.layers if x.id == chosen)
        values = (getattr(x, key, None) for x in found)
        return [v.si for v in values if v is not None]

    def _put_length(self, key: str) -> Callable[[Quantity], None]:
        def put(q: Quantity) -> None:
            self._change_layer(**{key: q})

        return put

    def _change_layer(self, **changes: Any) -> None:
        layer = self.layer
        assert layer is not None
        project = self.context.document.project
        new = set_value(layer, **changes)
        layers = tuple(new if x.id == layer.id else x for x in project.design.stackup.layers)
        stackup = set_value(project.design.stackup, layers=layers)
        what = ", ".join(changes).replace("_", " ")
        self.context.document.edit(
            f"Change {what} of {layer.id}", with_design(project, stackup=stackup)
        )

    def _put_number(self, key: str) -> Callable[[str], None]:
        def put(typed: str) -> None:
            layer = self.layer
            if isinstance(layer, CopperLayer) or layer is None:
                return
            try:
                value = float(typed.replace(",", "."))
            except ValueError as error:
                raise InputError(
                    f"{typed[:20]!r} is not a number", remedy="Write it like 3.64."
                ) from error
            project = self.context.document.project
            new: Material = set_value(project.design.material(layer.material), **{key: value})
            materials = tuple(new if m.id == new.id else m for m in project.design.materials)
            self.context.document.edit(
                f"Change {key} of {new.name}", with_design(project, materials=materials)
            )

        return put

    def _chosen(self) -> None:
        try:
            if isinstance(self.layer, CopperLayer):
                self._change_layer(role=str(self.choice.currentData()))
            else:
                self._change_layer(material=str(self.choice.currentData()))
            self.surface.tell("")
        except OndaError as error:
            self.surface.tell(str(error))
            self.refresh()

    def _go_to_line(self, line_class: str, layer: str) -> None:
        selection = self.context.selection
        selection.choose(line_class, "lines")
        selection.go("lines")
        selection.choose_element(layer)

    def margins(self) -> tuple[str, Sequence[Margin], dict[str, list[float]]]:
        names = {c.id: c.name for c in self.design.line_classes}
        # Several classes are on screen, so each bar has to say whose it is.
        shown = [
            replace(m, title=f"{names[m.subject]} {m.title.removeprefix('Impedance ')}")
            for m in self.context.standing.margins
            if m.stage == "lines"
        ]
        return "all classes", sorted(shown, key=lambda m: m.normalised), {}

    def add_copy(self) -> None:
        raise InputError("layers are added with the next version of this stage")

    def remove(self, identifier: str) -> None:
        raise InputError("the build cannot be removed", remedy="Start a new project instead.")

    def rename(self, identifier: str, name: str) -> None:
        raise InputError("the build has no name of its own")
