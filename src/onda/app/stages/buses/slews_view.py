"""What slews of data and strobe add to set-up and hold: two tables that are typed in."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QKeySequence
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from onda.app.shell.fields import label
from onda.errors import OndaError
from onda.project.buses.bus import SlewTable, TimingSheet
from onda.project.buses.slew_text import CORNER, rows_of, table_of, table_pasted

__all__ = ["SlewGrid", "SlewsView"]

Put = Callable[[str, SlewTable | None], None]
"""Another table in a field of the sheet; may raise `OndaError`."""
_FIELDS = (("setup_table", "Set-up, ps"), ("hold_table", "Hold, ps"))
_BEGUN = [[CORNER, "2", "4"], ["1", "0", "0"], ["2", "0", "0"]]
"""What a new table has: nothing that counts yet."""


class SlewGrid(QWidget):
    """One table; `put(table)` changes it, and may raise `OndaError`, which is told below it."""

    def __init__(self, title: str, put: Callable[[SlewTable | None], None]) -> None:
        super().__init__()
        self._put = put
        self._rows: list[list[str]] = []
        self._filling = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        head = QHBoxLayout()
        head.addWidget(label(title, "heading"), 1)
        self.buttons: dict[str, QPushButton] = {}
        for key, words, tip, act in (
            ("make", "Make a table", "", lambda: self._take(_BEGUN)),
            ("row", "+ Row", "A data slew more", self._add_row),
            ("column", "+ Column", "A strobe slew more", self._add_column),
            ("less", "Remove", "The row of the chosen cell, or in the first row its column",
             self._remove),
            ("none", "None", "Slews add nothing", self._clear),
        ):  # fmt: skip
            button = QPushButton(words)
            button.setToolTip(tip)
            button.setObjectName("plain")
            button.clicked.connect(lambda _, act=act: act())
            self.buttons[key] = button
            head.addWidget(button)
        layout.addLayout(head)
        self.grid = _Grid(self._paste)
        self.grid.setAccessibleName(f"{title}: strobe slews across, data slews down, V/ns")
        self.grid.itemChanged.connect(lambda _: self._typed())
        layout.addWidget(self.grid, 1)
        self.problem = label("", "error", wrap=True)
        self.problem.hide()
        layout.addWidget(self.problem)

    def show_table(self, table: SlewTable | None) -> None:
        """Show a table, None for none."""
        for key, button in self.buttons.items():
            button.setVisible((key == "make") == (table is None))
        rows = rows_of(table) if table is not None else []
        if rows == self._rows and self.problem.isHidden():
            return
        self._rows = rows
        self._tell("")
        self._fill()

    @property
    def texts(self) -> list[list[str]]:
        """What stands in the cells."""
        return [
            [self._cell(r, c) for c in range(self.grid.columnCount())]
            for r in range(self.grid.rowCount())
        ]

    def _cell(self, row: int, column: int) -> str:
        item = self.grid.item(row, column)
        return item.text() if item is not None else ""

    def _fill(self) -> None:
        self._filling = True
        self.grid.setRowCount(len(self._rows))
        self.grid.setColumnCount(len(self._rows[0]) if self._rows else 0)
        for r, row in enumerate(self._rows):
            for c, words in enumerate(row):
                item = QTableWidgetItem(words)
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if r == c == 0:
                    item.setFlags(Qt.ItemFlag.NoItemFlags)
                elif r == 0 or c == 0:
                    font = item.font()
                    font.setBold(True)
                    item.setFont(font)
                self.grid.setItem(r, c, item)
        self._filling = False

    def _tell(self, problem: str) -> None:
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))

    # ---- what is done

    def _typed(self) -> None:
        if not self._filling:
            self._take(self.texts)

    def _take(self, rows: list[list[str]]) -> None:
        self._attempt(lambda: table_of(rows))

    def _paste(self, text: str) -> None:
        self._attempt(lambda: table_pasted(text))

    def _clear(self) -> None:
        self._attempt(lambda: None)

    def _attempt(self, make: Callable[[], SlewTable | None]) -> None:
        try:
            self._put(make())
        except OndaError as error:
            # What was typed is taken back; why stays below.
            self._fill()
            self._tell(str(error))
            return
        self._tell("")

    def _add_row(self) -> None:
        rows = self.texts
        self._take([*rows, [_after([row[0] for row in rows[1:]]), *rows[-1][1:]]])

    def _add_column(self) -> None:
        head, *rest = self.texts
        self._take([[*head, _after(head[1:])], *([*row, row[-1]] for row in rest)])

    def _remove(self) -> None:
        row, column = self.grid.currentRow(), self.grid.currentColumn()
        rows = self.texts
        if row == 0 and column > 0:
            self._take([[x for k, x in enumerate(r) if k != column] for r in rows])
        elif row > 0:
            self._take([r for k, r in enumerate(rows) if k != row])
        else:
            self._tell("Choose a cell of the row that goes, or in the first row of the column.")


def _after(slews: list[str]) -> str:
    """The next slew in a row of them."""
    last = float(slews[-1])
    step = last - float(slews[-2]) if len(slews) > 1 else 1.0
    return f"{last + step:.6g}"


class _Grid(QTableWidget):
    """Cells without heads; what is pasted is a whole table."""

    def __init__(self, paste: Callable[[str], None]) -> None:
        super().__init__()
        self._paste = paste
        for header in (self.horizontalHeader(), self.verticalHeader()):
            assert header is not None
            header.hide()
        across, down = self.horizontalHeader(), self.verticalHeader()
        assert across is not None
        assert down is not None
        across.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        across.setMinimumSectionSize(48)
        down.setDefaultSectionSize(22)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setTabKeyNavigation(False)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        clipboard = QApplication.clipboard()
        if (
            event is not None
            and clipboard is not None
            and event.matches(QKeySequence.StandardKey.Paste)
        ):
            self._paste(clipboard.text())
            return
        super().keyPressEvent(event)


class SlewsView(QWidget):
    """Both tables of a sheet."""

    def __init__(self, put: Put) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 8, 0)
        self.sentence = label("", "secondary", wrap=True)
        layout.addWidget(self.sentence)
        both = QHBoxLayout()
        both.setSpacing(16)
        self.grids: dict[str, SlewGrid] = {}
        for key, title in _FIELDS:
            grid = SlewGrid(title, lambda table, key=key: put(key, table))  # type: ignore[misc]
            self.grids[key] = grid
            both.addWidget(grid, 1)
        layout.addLayout(both, 1)

    def show_sheet(self, owner: str, sheet: TimingSheet | None) -> None:
        """Show the tables of a device's sheet; nothing where there is none."""
        self.setEnabled(sheet is not None)
        words = (
            "What slews add: of the strobe across, of data down, V/ns. A whole table can be pasted."
        )
        self.sentence.setText(f"{owner}. {words}" if sheet is not None else "")
        for key, grid in self.grids.items():
            grid.show_table(getattr(sheet, key) if sheet is not None else None)
