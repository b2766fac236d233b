"""What the page of a line class does to the document: trace, structure, layers, fit."""

from __future__ import annotations

from collections.abc import Callable

from onda.app.kit.editor import Editor
from onda.app.stages.lines.drawing import layer_of_slab
from onda.app.stages.lines.in_view import LineInView
from onda.project.base import set_value
from onda.project.build.edits import replace_layer
from onda.project.kind import Ref
from onda.project.kinds import kind_of
from onda.project.lines.objects import LineClass
from onda.project.lines.structure_edits import with_structure
from onda.project.model import Design
from onda.project.quantities import Quantity, parse_quantity, pretty, quantity, unit_for
from onda.project.requirement_edits import around_target
from onda.studies.lines.inputs import line_inputs
from onda.studies.lines.solved_line import section_of

__all__ = ["ClassEdits"]


Ask = Callable[[str, list[tuple[str, Callable[[], None]]]], None]
"""Say something, with what can be done about it."""


class ClassEdits:
    """Edits of the class in view; what is refused is said on the surface, `ask` asks there."""

    def __init__(self, editor: Editor, subject: LineInView, ask: Ask) -> None:
        self._editor, self._subject, self._ask = editor, subject, ask

    @property
    def _design(self) -> Design:
        return self._editor.design

    def set_class(self, name: str, **changes: object) -> None:
        """Change fields of the class in view."""
        line_class, _ = self._subject.present
        self._editor.put(name, set_value(line_class, **changes))

    def set_target(self, target: Quantity) -> None:
        """Another target; where limits lay around the old one, ask whether they follow."""
        line_class, _ = self._subject.present
        old = line_class.target
        self.set_class("Change target", target=target)
        ref = Ref(kind_of(line_class).key, line_class.id)
        moved = around_target(self._editor.project, ref, "impedance", old.si, target)
        if moved != self._editor.project:

            def follow() -> None:
                project = around_target(self._editor.project, ref, "impedance", old.si, target)
                self._editor.make("Limits follow the target", project)

            self._ask(
                f"The limits of {line_class.name} still lie around {pretty(old)}.",
                [(f"Move them to {pretty(target)}", follow)],
            )

    def set_structure(self, structure: str) -> bool:
        """Make the class in view another structure; say why where that is refused."""
        line_class, trace = self._subject.present

        def make() -> LineClass:
            changed = with_structure(line_class, trace.layer, structure)
            section_of(line_inputs(self._design, changed, trace.layer))
            return changed

        done = self._editor.attempt_put(f"Make {line_class.name} a {structure}", make)
        if done:
            self._editor.tell("")
        return done

    def set_trace(self, **changes: Quantity | None) -> None:
        """Change fields of the trace in view; refused with the reason where it cannot be drawn."""
        line_class, trace = self._subject.present
        new = set_value(trace, **changes)
        on = tuple(new if o.layer == trace.layer else o for o in line_class.on)
        changed = set_value(line_class, on=on)
        # A trace that cannot be drawn is refused here, with the reason, and nothing is lost.
        section_of(line_inputs(self._design, changed, trace.layer))
        what = ", ".join(changes)
        self.set_class(f"Change {what} on {trace.layer}", on=on)

    def dragged(self, what: str, metres: float) -> None:
        """An edge was pulled."""
        self._editor.run(lambda: self.set_trace(**{what: quantity(metres, "length", "um", 6)}))

    def dragged_on_map(self, width: float, gap: float) -> None:
        """A point of the map was pulled."""
        self._editor.run(
            lambda: self.set_trace(
                width=quantity(width, "length", "um", 6), gap=quantity(gap, "length", "um", 6)
            )
        )

    def typed(self, key: str, content: str) -> None:
        """A dimension was typed on the drawing."""
        if self._subject.line_class is None:
            return
        unit = unit_for("length", 1e-4)
        if self._editor.run(lambda: self._put_typed(key, parse_quantity(content, "length", unit))):
            self._editor.tell("")

    def _put_typed(self, key: str, typed: Quantity) -> None:
        line_class, trace = self._subject.present
        if key in ("width", "gap"):
            self.set_trace(**{key: typed})
        elif key == "thickness":
            self.set_layer(self._design.stackup.place(trace.layer).copper.id, typed)
        else:
            inputs = line_inputs(self._design, line_class, trace.layer)
            self.set_layer(layer_of_slab(self._design, inputs, trace.layer, key), typed)

    def set_layer(self, layer: str, thickness: Quantity) -> None:
        """Change the thickness of a layer of the build."""
        project = self._editor.project
        new = set_value(project.design.stackup.layer(layer), thickness=thickness)
        self._editor.make(f"Change thickness of {layer}", replace_layer(project, new))
