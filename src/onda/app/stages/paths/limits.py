"""Limits typed on the measures of the path in view."""

from __future__ import annotations

from onda.app.kit.editor import Editor
from onda.app.stages.paths.in_view import PathInView
from onda.app.stages.paths.views import MeasuresView
from onda.app.theme import Look
from onda.project.measures import MEASURES, measure
from onda.project.quantities import DIMENSIONS
from onda.project.requirement_edits import require
from onda.studies.core.margin import limits_text

__all__ = ["MeasureLimits"]


class MeasureLimits:
    """Joins the view of measures to the requirements."""

    def __init__(self, editor: Editor, subject: PathInView) -> None:
        self._editor, self._subject = editor, subject
        self._limited = "overshoot"

    def view(self, look: Look) -> MeasuresView:
        """A view of measures whose limits can be typed."""
        view = MeasuresView(look, self.put)
        view.chosen.connect(lambda key: self._offer(view, key))
        return view

    def _offer(self, view: MeasuresView, key: str) -> None:
        if key not in MEASURES or self._subject.path is None:
            return
        self._limited = key
        present = next((r for r in self._subject.requirements if r.measure == key), None)
        words = ""
        if present is not None:
            subject = self._subject
            words = limits_text(subject.margin(present, subject.result, subject.failure))
        usual = DIMENSIONS[measure(key).dimension].shown
        view.show_limit(measure(key).title, words, f"0.3 {usual}")

    def put(self, typed: str) -> None:
        """Put a limit on the measure that was clicked; raises where it is none."""
        path = self._subject.path
        if path is None:
            return
        text = typed.replace("Ω", "ohm").replace("µ", "u").replace("−", "-")
        new = require(self._editor.project, path.id, self._limited, text)
        self._editor.make(f"Limit {measure(self._limited).title.lower()}", new)
