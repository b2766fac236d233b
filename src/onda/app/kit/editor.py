"""One attempt at an edit: one undo step where it holds, one sentence where it is refused."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from onda.app.document import Document
from onda.errors import OndaError
from onda.project.base import Frozen
from onda.project.edits import replace_object
from onda.project.model import Design, Project

__all__ = ["Editor", "Tell"]

Tell = Callable[[str], None]
"""Say a sentence to the user, or take it back with nothing."""


class Editor:
    """Edits of the document on behalf of a stage; `tell` is where its refusals are said."""

    def __init__(self, document: Document, tell: Tell) -> None:
        self._document = document
        self.tell = tell

    @property
    def project(self) -> Project:
        """The present project."""
        return self._document.project

    @property
    def design(self) -> Design:
        """The present design."""
        return self._document.project.design

    @property
    def in_gesture(self) -> bool:
        """Whether something is being dragged right now."""
        return self._document.in_gesture

    def begin_gesture(self) -> None:
        """All edits until `end_gesture` are one undo step."""
        self._document.begin_gesture()

    def end_gesture(self) -> None:
        """End the gesture."""
        self._document.end_gesture()

    def make(self, label: str, project: Project) -> None:
        """Make a project the present one, as an undo step of that label."""
        self._document.edit(label, project)

    def put(self, label: str, new: Frozen) -> None:
        """Put a changed object in its place; raises `InputError` where it does not fit."""
        self._document.edit(label, replace_object(self.project, new))

    def attempt(self, label: str, change: Callable[[Project], Project]) -> bool:
        """Change the project; say why where that is refused."""
        return self.run(lambda: self._document.edit(label, change(self.project)))

    def attempt_put(self, label: str, new: Callable[[], Frozen]) -> bool:
        """Put the object that `new` makes in its place; say why where that is refused."""
        return self.run(lambda: self.put(label, new()))

    def run(self, act: Callable[[], Any]) -> bool:
        """Do something that edits; say why where it is refused, and whether it was not."""
        try:
            act()
        except OndaError as error:
            self.tell(str(error))
            return False
        return True
