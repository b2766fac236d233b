"""What the user looks at: stage, object, element. Not part of the project, so not undone."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from onda.project.kind import Ref

__all__ = ["Selection"]


class Selection(QObject):
    """Stage in view, object chosen in each stage, element chosen in the object.

    Signals
    -------
    stage_changed, subject_changed, element_changed, hover_changed
    """

    stage_changed = pyqtSignal(str)
    subject_changed = pyqtSignal(str)
    element_changed = pyqtSignal(str)
    hover_changed = pyqtSignal(str)

    def __init__(self, stage: str, stage_of: Callable[[str], str]) -> None:
        super().__init__()
        self.stage = stage
        self._stage_of = stage_of
        self._subjects: dict[str, str] = {}
        self._elements: dict[str, str] = {}
        self.hovered = ""

    @property
    def subject(self) -> str:
        """Object chosen in the present stage, empty where there is none."""
        return self._subjects.get(self.stage, "")

    def subject_of(self, stage: str) -> str:
        """Object chosen in a stage."""
        return self._subjects.get(stage, "")

    @property
    def element(self) -> str:
        """Element chosen in the present object (a layer, a resistor, ...)."""
        return self.element_of(self.stage)

    def element_of(self, stage: str) -> str:
        """Element chosen in the object of a stage."""
        return self._elements.get(f"{stage}/{self.subject_of(stage)}", "")

    def go(self, stage: str) -> None:
        """Change the stage."""
        if stage != self.stage:
            self.stage = stage
            self.stage_changed.emit(stage)

    def show(self, ref: Ref, element: str = "") -> None:
        """Go to an object, in the stage that shows its kind."""
        stage = self._stage_of(ref.kind)
        self.choose(ref.id, stage)
        self.go(stage)
        if element:
            self.choose_element(element)

    def choose(self, subject: str, stage: str | None = None) -> None:
        """Choose an object, in the present stage unless another is named."""
        stage = stage or self.stage
        if self._subjects.get(stage) != subject:
            self._subjects[stage] = subject
            if stage == self.stage:
                self.subject_changed.emit(subject)

    def choose_element(self, element: str) -> None:
        """Choose an element of the present object."""
        key = f"{self.stage}/{self.subject}"
        if self._elements.get(key) != element:
            self._elements[key] = element
            self.element_changed.emit(element)

    def hover(self, element: str) -> None:
        """Light up an element in all views; empty for none."""
        if self.hovered != element:
            self.hovered = element
            self.hover_changed.emit(element)
