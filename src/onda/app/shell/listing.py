"""The list: objects of the stage with their worst margin, below them the kept states."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint, QRect, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from onda.app.document import Document
from onda.app.kit.menus import MenuEntry, fill
from onda.app.shell.fields import Entry, label
from onda.app.shell.rows import Row, RowList
from onda.app.theme import Look
from onda.errors import OndaError
from onda.project.edits import rename_kept, restore_kept, show_kept, without_kept

__all__ = ["Listing"]


class Listing(QWidget):
    """Left side of the frame.

    Signals
    -------
    chosen(id), part_chosen(id), add_wanted, copy_wanted(id), remove_wanted(id)
    rename_wanted(id, name)
    trouble(sentence)
    """

    chosen = pyqtSignal(str)
    part_chosen = pyqtSignal(str)
    add_wanted = pyqtSignal()
    remove_wanted = pyqtSignal(str)
    copy_wanted = pyqtSignal(str)
    rename_wanted = pyqtSignal(str, str)
    trouble = pyqtSignal(str)

    def __init__(self, look: Look, document: Document) -> None:
        super().__init__()
        self.setObjectName("listing")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(196)
        self._document = document
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 2, 0)
        content = QWidget()
        layout = QVBoxLayout(content)
        layout.setContentsMargins(0, 10, 0, 8)
        layout.setSpacing(4)
        area = QScrollArea()
        area.setWidget(content)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer.addWidget(area)
        head = QHBoxLayout()
        head.setContentsMargins(18, 0, 10, 0)
        self.title = label("", "title")
        self.add = QPushButton("+")
        self.add.setObjectName("plain")
        self.add.setFixedWidth(28)
        self.add.setAccessibleName("Add")
        self.add.clicked.connect(lambda: self.add_wanted.emit())
        head.addWidget(self.title, 1)
        self.title.setFixedHeight(24)
        head.addWidget(self.add)
        layout.addLayout(head)
        self.objects = RowList(look, "Objects of this stage")
        self.objects.chosen.connect(self.chosen)
        self.objects.removed.connect(self.remove_wanted)
        self.objects.renamed.connect(lambda i: self._rename_in(self.objects, i, self._ask_rename))
        self.objects.menu_wanted.connect(self._object_menu)
        layout.addWidget(self.objects)
        self.parts_title = label("", "title")
        self.parts_title.setContentsMargins(18, 12, 0, 0)
        layout.addWidget(self.parts_title)
        self.parts = RowList(look, "Parts", height=26)
        self.parts.chosen.connect(self.part_chosen)
        layout.addWidget(self.parts)
        kept_title = label("Kept states", "title")
        kept_title.setContentsMargins(18, 12, 0, 0)
        layout.addWidget(kept_title)
        self.kept = RowList(look, "Kept states", height=40, switches=True)
        self.kept.chosen.connect(self._toggle)
        self.kept.removed.connect(self._delete)
        self.kept.renamed.connect(lambda i: self._rename_in(self.kept, i, self._rename_kept))
        self.kept.menu_wanted.connect(self._kept_menu)
        layout.addWidget(self.kept)
        self.empty = label(
            "Press K to keep this state and compare with it.", "secondary", wrap=True
        )
        self.empty.setContentsMargins(18, 0, 12, 0)
        layout.addWidget(self.empty)
        layout.addStretch(1)
        self._editor: Entry | None = None

    def show_rows(self, title: str, rows: list[Row], current: str, can_add: str) -> None:
        """Show a stage's objects; `can_add` is the tip of the plus, empty without one."""
        self.title.setText(title)
        self.objects.set_rows(rows, current)
        self.add.setVisible(bool(can_add))
        self.add.setToolTip(can_add)

    def show_parts(self, title: str, rows: Sequence[Row], current: str) -> None:
        """Show the second list, or none."""
        self.parts_title.setText(title)
        self.parts_title.setVisible(bool(rows))
        self.parts.setVisible(bool(rows))
        self.parts.set_rows(rows, current)

    def show_kept(self) -> None:
        """Show the kept states."""
        kept = self._document.project.kept
        numbers = {k.id: n for n, k in enumerate((k for k in kept if k.shown), 1)}
        self.kept.set_rows(
            [
                Row(
                    k.id,
                    k.name,
                    k.note or ("shown" if k.shown else "hidden"),
                    dash=numbers.get(k.id, 1),
                    faded=not k.shown,
                )
                for k in kept
            ],
            "",
        )
        self.kept.setVisible(bool(kept))
        self.empty.setVisible(not kept)

    def _edit(self, name: str, change: Callable[[], object]) -> None:
        try:
            self._document.edit(name, change())  # type: ignore[arg-type]
        except OndaError as error:
            self.trouble.emit(str(error))

    def _toggle(self, identifier: str) -> None:
        project = self._document.project
        state = next(k for k in project.kept if k.id == identifier)
        self._edit(
            "Hide kept state" if state.shown else "Show kept state",
            lambda: show_kept(project, identifier, not state.shown),
        )

    def _delete(self, identifier: str) -> None:
        project = self._document.project
        self._edit("Delete kept state", lambda: without_kept(project, identifier))

    def _restore(self, identifier: str) -> None:
        project = self._document.project
        self._edit("Restore kept state", lambda: restore_kept(project, identifier))

    def _rename_kept(self, identifier: str, name: str) -> None:
        project = self._document.project
        self._edit("Rename kept state", lambda: rename_kept(project, identifier, name))

    def _ask_rename(self, identifier: str, name: str) -> None:
        self.rename_wanted.emit(identifier, name)

    def _kept_menu(self, identifier: str, point: QPoint) -> None:
        shown = next(k.shown for k in self._document.project.kept if k.id == identifier)
        entries = (
            MenuEntry("Hide" if shown else "Show", lambda: self._toggle(identifier)),
            MenuEntry("Go back to this state", lambda: self._restore(identifier)),
            MenuEntry("Rename", lambda: self._rename_in(self.kept, identifier, self._rename_kept)),
            MenuEntry("Delete", lambda: self._delete(identifier)),
        )
        fill(QMenu(self), entries).popup(point)

    def _object_menu(self, identifier: str, point: QPoint) -> None:
        entries = (
            MenuEntry(
                "Rename", lambda: self._rename_in(self.objects, identifier, self._ask_rename)
            ),
            MenuEntry("Copy", lambda: self.copy_wanted.emit(identifier)),
            MenuEntry("Remove", lambda: self.remove_wanted.emit(identifier)),
        )
        fill(QMenu(self), entries).popup(point)

    def _rename_in(self, rows: RowList, identifier: str, done: Callable[[str, str], None]) -> None:
        """Type a name in place of a row's title."""
        index = [r.id for r in rows.rows].index(identifier)
        rect = rows.row_rect(index)
        editor = Entry(parent=rows, in_place=True)
        editor.setGeometry(
            QRect(int(rect.left()) + 20, int(rect.top()) + 2, int(rect.width()) - 22, 26)
        )
        editor.setText(rows.rows[index].title)
        editor.selectAll()

        def finish() -> None:
            if self._editor is editor:
                self._editor = None
                name = editor.text().strip()
                editor.deleteLater()
                if name and name != rows.rows[index].title:
                    done(identifier, name)

        def abandon() -> None:
            self._editor = None
            editor.deleteLater()
            rows.setFocus()

        self._editor = editor
        editor.editingFinished.connect(finish)
        editor.abandoned.connect(abandon)
        editor.show()
        editor.setFocus()
