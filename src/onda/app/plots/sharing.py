"""What is seen leaves Onda: as a picture or a table, on the clipboard or in a file."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QIODevice, QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QGuiApplication, QPainter, QPixmap
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QGraphicsView, QMenu, QWidget
from pyqtgraph import GraphicsScene

from onda.app.kit.menus import MenuEntry, fill
from onda.app.shell.asking import ask_save
from onda.app.theme import Look
from onda.errors import InputError, OndaError
from onda.project.writing import write_atomically

__all__ = ["Share", "Table", "offer_share", "subject_of", "titled"]

_HEAD = 26
_TWICE = 2.0
Table = tuple[list[str], list[list[object]]]
"""Names of columns with their units, and rows."""


def subject_of(widget: QWidget) -> str:
    """What a widget shows something of: what the surface says that it lies on."""
    above: QWidget | None = widget
    while above is not None:
        told = getattr(above, "what_is_shown", None)
        if callable(told):
            return str(told())
        above = above.parentWidget()
    return ""


def titled(widget: QWidget, what: str) -> str:
    """A title of a view: whose it is, what it is, and that it is the present state."""
    subject = subject_of(widget)
    return f"{subject}: {what}, now" if subject else f"{what}, now"


def offer_share(widget: QWidget, look: Look, what: str) -> Share:
    """Let a right click copy and save what a painted widget shows."""
    share = Share(widget, look, lambda: titled(widget, what))

    def show(point: QPoint) -> None:
        entries = (
            MenuEntry("Copy as picture", share.copy_picture),
            MenuEntry("Save as PNG, SVG…", share.ask_save),
        )
        fill(QMenu(widget), entries).popup(widget.mapToGlobal(point))

    widget.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
    widget.customContextMenuRequested.connect(show)
    return share


@dataclass(frozen=True, slots=True)
class Share:
    """A widget that shows something: its picture and its table.

    `title` says what is shown and of which state; `legend` are (words, colour) that the picture
    itself does not hold; `trouble` says why something could not be saved.
    """

    widget: QWidget
    look: Look
    title: Callable[[], str]
    table: Callable[[], Table] | None = None
    legend: Callable[[], list[tuple[str, str]]] = field(default=list)
    trouble: Callable[[str], None] = field(default=lambda _: None)

    # ---- picture

    def _size(self) -> QSize:
        return QSize(self.widget.width(), self.widget.height() + _HEAD)

    def _paint(self, painter: QPainter) -> None:
        t, size = self.look.t, self._size()
        painter.fillRect(QRect(QPoint(), size), QColor(t.paper))
        title = QFont(self.look.font(12, bold=True))
        painter.setFont(title)
        painter.setPen(QColor(t.ink))
        words = self.title()
        painter.drawText(QRect(8, 4, size.width() - 16, 18), int(Qt.AlignmentFlag.AlignLeft), words)
        x = 8 + painter.fontMetrics().horizontalAdvance(words) + 18
        painter.setFont(self.look.font(11))
        for name, color in self.legend():
            painter.setPen(QColor(color))
            painter.drawText(x, 17, name)
            x += painter.fontMetrics().horizontalAdvance(name) + 14
        scene = self.widget.scene() if isinstance(self.widget, QGraphicsView) else None
        if isinstance(scene, GraphicsScene):
            scene.prepareForPaint()
        # As a widget: a view of a scene would render the scene, in another way.
        QWidget.render(self.widget, painter, QPoint(0, _HEAD))

    def pixmap(self) -> QPixmap:
        """The picture, twice as fine as the screen."""
        size = self._size()
        out = QPixmap(round(size.width() * _TWICE), round(size.height() * _TWICE))
        out.setDevicePixelRatio(_TWICE)
        painter = QPainter(out)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint(painter)
        painter.end()
        return out

    def png(self) -> bytes:
        """The picture as PNG."""
        store = QByteArray()
        buffer = QBuffer(store)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        self.pixmap().save(buffer, "PNG")
        return store.data()

    def svg(self) -> bytes:
        """The picture as SVG."""
        store = QByteArray()
        buffer = QBuffer(store)
        made = QSvgGenerator()
        made.setOutputDevice(buffer)
        made.setSize(self._size())
        made.setViewBox(QRect(QPoint(), self._size()))
        made.setTitle(self.title())
        painter = QPainter(made)
        self._paint(painter)
        painter.end()
        return store.data()

    # ---- table

    def csv(self) -> bytes:
        """The table as CSV; the first line is the title.

        Raises
        ------
        InputError : there is none
        """
        if self.table is None:
            raise InputError("this view has no table", remedy="Save it as PNG or SVG.")
        head, rows = self.table()
        stream = io.StringIO()
        writer = csv.writer(stream, lineterminator="\n")
        stream.write(f"# {self.title()}\n")
        writer.writerow(head)
        writer.writerows(rows)
        return stream.getvalue().encode("utf-8")

    # ---- out

    def copy_picture(self) -> None:
        """The picture on the clipboard."""
        board = QGuiApplication.clipboard()
        if board is not None:
            board.setPixmap(self.pixmap())

    def copy_table(self) -> None:
        """The table on the clipboard, as a spreadsheet takes it."""
        board = QGuiApplication.clipboard()
        if board is not None and self.table is not None:
            head, rows = self.table()
            lines = ["\t".join(head), *("\t".join(str(c) for c in row) for row in rows)]
            board.setText("\n".join(lines))

    def save(self, path: Path) -> None:
        """Write a file in the format that its name asks for.

        Raises
        ------
        InputError : another ending, or it cannot be written
        """
        makers = {".png": self.png, ".svg": self.svg, ".csv": self.csv}
        make = makers.get(path.suffix.lower())
        if make is None:
            raise InputError(
                f"cannot be written as *{path.suffix}",
                file=path.name,
                remedy="End the name in .png, .svg or .csv.",
            )
        write_atomically(path, make())

    def ask_save(self) -> Path | None:
        """Ask where to, and write; where, None where that was left."""
        kinds = "PNG (*.png);;SVG (*.svg)" + (";;CSV (*.csv)" if self.table is not None else "")
        path = ask_save(self.widget, "Save this view", "", kinds)
        if path is None:
            return None
        try:
            self.save(path)
        except OndaError as error:
            self.trouble(str(error))
            return None
        return path
