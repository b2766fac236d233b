"""What the fields of all parts of a link share: columns, and edits of one end of the link."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from onda.app.kit.editor import Editor
from onda.app.shell.fields import TextField
from onda.project.base import set_value
from onda.project.links.link import Link
from onda.project.quantities import parse_quantity

__all__ = ["PartFields"]


class PartFields(QWidget):
    """Fields in columns beside each other; `link` is the link in view."""

    def __init__(self, editor: Editor, link: Callable[[], Link | None], columns: int) -> None:
        super().__init__()
        self.editor, self._link = editor, link
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 4, 8, 6)
        row.setSpacing(20)
        self._columns: list[QVBoxLayout] = []
        for _ in range(columns):
            column = QVBoxLayout()
            column.setSpacing(3)
            row.addLayout(column, 1)
            self._columns.append(column)

    @property
    def present(self) -> Link:
        """The link in view."""
        link = self._link()
        assert link is not None
        return link

    def place(self, column: int, widget: QWidget) -> None:
        """Put something at the end of a column."""
        self._columns[column].addWidget(widget)

    def fill_up(self) -> None:
        """Let what is in the columns stand at their top."""
        for column in self._columns:
            column.addStretch(1)

    def field(self, column: int, title: str, put: Callable[[str], None], like: str) -> TextField:
        """A field at the end of a column; `like` is shown where nothing is typed."""
        made = TextField(title, put, width=130)
        made.edit.setPlaceholderText(like)
        made.edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.place(column, made)
        return made

    def change(self, what: str, part: str, **changes: Any) -> None:
        """Change fields of the sender or the listener."""
        link = self.present
        new = set_value(getattr(link, part), **changes)
        self.editor.put(what, set_value(link, **{part: new}))

    def putting(
        self, what: str, part: str, key: str, dimension: str, unit: str
    ) -> Callable[[str], None]:
        """What changes a field that is a quantity by what was typed."""

        def put(typed: str) -> None:
            self.change(what, part, **{key: parse_quantity(typed, dimension, unit)})

        return put

    def try_change(self, what: str, part: str, **changes: Any) -> None:
        """The same; why not is said where it is refused."""
        self.editor.run(lambda: self.change(what, part, **changes))
