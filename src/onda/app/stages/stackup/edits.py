"""What the Stackup stage does to the document: layers, vias, zones, limits."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from onda.app.kit.editor import Editor
from onda.app.stages.stackup.in_view import BuildInView, via_element
from onda.errors import InputError
from onda.project.base import set_value
from onda.project.build.edits import (
    add_layer,
    add_material,
    add_via_span,
    remove_layer,
    remove_via_span,
    replace_layer,
    scaled_material,
    set_copper_part,
    set_in_zone,
    with_stackup,
)
from onda.project.build.library import foils
from onda.project.build.stackup import (
    CoatingLayer,
    CopperLayer,
    StackLayer,
    ViaSpan,
)
from onda.project.model import Project
from onda.project.quantities import Quantity, quantity

__all__ = ["BuildEdits"]


class BuildEdits:
    """Edits of the build in view; what is refused is said on the surface."""

    def __init__(self, editor: Editor, subject: BuildInView, refused: Callable[[], None]) -> None:
        self._editor, self._subject, self._refused = editor, subject, refused

    def edit(self, name: str, change: Callable[[Project], Project]) -> None:
        """Change the project; where that is refused, say why and show what is."""
        if self._editor.attempt(name, change):
            self._editor.tell("")
        else:
            self._refused()

    def add(self, kind: Any) -> None:
        self.new_layer(f"Add {kind}", lambda p, below: add_layer(p, below, kind))

    def new_layer(self, name: str, change: Callable[[Project, str], tuple[Project, str]]) -> None:
        """Add a layer made from the chosen one, and choose it."""
        layer = self._subject.layer
        if layer is not None:
            self._choose_new(name, lambda p: change(p, layer.id))

    def _choose_new(self, name: str, make: Callable[[Project], tuple[Project, str]]) -> None:
        """Add something and choose it; what is refused is said."""
        made = ""

        def change(project: Project) -> Project:
            nonlocal made
            project, made = make(project)
            return project

        if self._editor.attempt(name, change):
            self._editor.tell("")
            self._subject.choose_element(made)

    def remove_chosen(self) -> None:
        layer, via = self._subject.layer, self._subject.via
        if via is not None:
            self.edit(f"Remove {via.name}", lambda p: remove_via_span(p, via.id))
        elif layer is not None:
            self.edit(f"Remove {layer.id}", lambda p: remove_layer(p, layer.id))

    def put(self, key: str, q: Quantity) -> None:
        """Change a value of the chosen layer or via; refused with the reason beside the field."""
        project, layer, via = (
            self._editor.project,
            self._subject.layer,
            self._subject.via,
        )
        if via is not None:
            vias = tuple(
                set_value(v, **{key: q}) if v.id == via.id else v
                for v in self._subject.stackup.vias
            )
            self._editor.make(f"Change {key} of {via.name}", with_stackup(project, vias=vias))
            return
        assert layer is not None
        if isinstance(layer, CopperLayer) and key in ("foil", "plating"):
            new: StackLayer = set_copper_part(layer, key, q)  # type: ignore[arg-type]
        else:
            new = set_value(layer, **{key: q})
        words = f"Change {key.replace('_', ' ')} of {layer.id}"
        self._editor.make(words, replace_layer(project, new))

    def dragged(self, layer: str, metres: float) -> None:
        old = self._subject.stackup.layer(layer)
        if isinstance(old, CoatingLayer):
            return
        q = quantity(metres, "length", "um", 6)
        self.edit(
            f"Change thickness of {layer}",
            lambda p: replace_layer(p, set_value(old, thickness=q)),
        )

    def first_chosen(self, value: str) -> None:
        layer, via = self._subject.layer, self._subject.via
        if via is not None:
            top, bottom = value.split(" ")
            self._change_via(via, top=top, bottom=bottom, backdrilled_to=None)
        elif isinstance(layer, CopperLayer):
            self._change_layer(layer, role=value)
        elif layer is not None:
            self._change_layer(layer, material=value)

    def second_chosen(self, value: str) -> None:
        layer, via = self._subject.layer, self._subject.via
        if via is not None:
            kind, _, back = value.partition(">")
            self._change_via(via, kind=kind, backdrilled_to=back or None)
        elif isinstance(layer, CopperLayer):
            foil = next((f for f in foils() if f.id == value), None)
            if foil is not None:
                self._change_layer(
                    layer,
                    rz_base=quantity(foil.rz_base_um * 1e-6, "length", "um"),
                    rz_face=quantity(foil.rz_face_um * 1e-6, "length", "um"),
                )
        elif layer is not None:
            self._change_layer(layer, build=value)

    def _change_layer(self, layer: StackLayer, **changes: Any) -> None:
        what = ", ".join(changes).replace("_", " ")
        self.edit(
            f"Change {what} of {layer.id}",
            lambda p: replace_layer(p, set_value(layer, **changes)),
        )

    def put_number(self, key: str, typed: str) -> None:
        """Change Dk or Df of the chosen layer's material; refused with the reason."""
        try:
            value = float(typed.replace(",", "."))
        except ValueError as error:
            raise InputError(
                f"{typed[:20]!r} is not a number", remedy="Write it like 3.64."
            ) from error
        self.change_material(key, **{key: value})

    def change_material(self, what: str, **changes: Any) -> None:
        layer = self._subject.layer
        if layer is None or isinstance(layer, CopperLayer):
            return
        project = self._editor.project
        old = project.design.material(layer.material)
        new = set_value(old, **changes) if "at" in changes else scaled_material(old, **changes)
        self._editor.make(f"Change {what} of {old.name}", add_material(project, new))

    def _change_via(self, via: ViaSpan, **changes: Any) -> None:
        vias = tuple(
            set_value(v, **changes) if v.id == via.id else v for v in self._subject.stackup.vias
        )
        self.edit(f"Change {via.name}", lambda p: with_stackup(p, vias=vias))

    def change_stackup(self, words: str, **changes: Any) -> None:
        project = self._editor.project
        self._editor.make(f"Change {words}", with_stackup(project, **changes))

    def put_spread(self, key: str) -> Callable[[Quantity], None]:
        def put(q: Quantity) -> None:
            spread = set_value(self._subject.stackup.spread, **{key: q})
            self.change_stackup(f"spread of {key}", spread=spread)

        return put

    def put_made(self, change: Callable[..., Any], index: int, typed: str) -> None:
        made = change(self._subject.stackup.fabrication, index, typed)
        self.change_stackup("what can be made", fabrication=made)

    def change_zone(self, **changes: Any) -> None:
        zone = self._subject.zone
        if zone is None or not self._subject.stackup.zones:
            return
        zones = tuple(
            set_value(z, **changes) if z.id == zone.id else z for z in self._subject.stackup.zones
        )
        self.edit(f"Change {zone.name}", lambda p: with_stackup(p, zones=zones))

    def in_zone(self, there: bool) -> None:
        zone, layer = self._subject.zone, self._subject.layer
        if zone is not None and layer is not None:
            self.edit(
                f"{'Put' if there else 'Take'} {layer.id} {'into' if there else 'out of'} "
                f"{zone.name}",
                lambda p: set_in_zone(p, zone.id, layer.id, there),
            )

    def carries(self, there: bool) -> None:
        zone, layer = self._subject.zone, self._subject.layer
        if zone is None or layer is None:
            return
        kept = tuple(x for x in zone.signal if x != layer.id)
        self.change_zone(signal=(*kept, layer.id) if there else kept)

    def add_via(self) -> None:
        """Add a via span and choose it."""

        def make(project: Project) -> tuple[Project, str]:
            changed, new = add_via_span(project)
            return changed, via_element(new)

        self._choose_new("Add via span", make)
