"""A card below the project's name: name and revision, to be typed anew."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFrame, QVBoxLayout, QWidget

from onda.app.document import Document
from onda.app.shell.fields import TextField, label
from onda.project.base import set_value

__all__ = ["ProjectCard"]


class ProjectCard(QFrame):
    """Name and revision of the project, and where its file is."""

    def __init__(self, parent: QWidget, document: Document) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self._document = document
        layout = QVBoxLayout(self)
        layout.setContentsMargins(14, 10, 14, 12)
        layout.addWidget(label("Project", "heading"))
        self.name = TextField("Name", lambda typed: self._put("Rename project", name=typed))
        self.revision = TextField(
            "Revision", lambda typed: self._put("Change revision", revision=typed)
        )
        layout.addWidget(self.name)
        layout.addWidget(self.revision)
        self.place = label("", "secondary", wrap=True)
        layout.addWidget(self.place)
        self.setFixedWidth(280)

    def _put(self, what: str, **changes: str) -> None:
        self._document.edit(what, set_value(self._document.project, **changes))

    def show_at(self, point: QPoint) -> None:
        """Show it with the present words."""
        project, path = self._document.project, self._document.path
        self.name.show_text(project.name)
        self.revision.show_text(project.revision)
        self.place.setText(str(path) if path else "It has no file yet: Ctrl+S saves it.")
        self.adjustSize()
        self.move(point)
        self.show()
        self.name.edit.setFocus()
