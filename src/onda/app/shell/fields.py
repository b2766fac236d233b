"""Parts of the inspector: entry fields with units, rows of numbers, trims, headings."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QKeySequence, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QSizePolicy,
    QStyle,
    QStyleOptionComboBox,
    QStylePainter,
    QVBoxLayout,
    QWidget,
)

from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.errors import OndaError
from onda.project.quantities import Quantity, as_shown, parse_quantity, split_si

__all__ = [
    "ChoiceBox",
    "Entry",
    "Heading",
    "NumberRows",
    "QuantityField",
    "TextField",
    "Trim",
    "claims_escape",
    "label",
]


_ROW = 20
"""Height of a row of numbers, pixels."""
_UNIT, _NUMBER = 42, 58
"""Widths of the columns of units, at least, and of numbers."""


def label(content: str, kind: str = "", *, wrap: bool = False) -> QLabel:
    """A label styled by kind: title, heading, secondary, error, mono."""
    made = QLabel(content)
    made.setObjectName(kind)
    made.setWordWrap(wrap)
    return made


class Heading(QWidget):
    """A heading with a quiet remark at its right."""

    def __init__(self, title: str, remark: str = "") -> None:
        super().__init__()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 10, 0, 0)
        layout.setSpacing(6)
        layout.addWidget(label(title, "heading"))
        self.remark = label(remark, "secondary")
        self.remark.setAlignment(Qt.AlignmentFlag.AlignRight)
        # A long remark is cut before it pushes what stands below out of view.
        self.remark.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        layout.addWidget(self.remark, 1)


def claims_escape(event: QEvent | None) -> bool:
    """Whether a widget is asked if it wants Escape, before the window's own key takes it."""
    return (
        isinstance(event, QKeyEvent)
        and event.type() == QEvent.Type.ShortcutOverride
        and event.key() == Qt.Key.Key_Escape
    )


class Entry(QLineEdit):
    """A line that is typed in: it undoes its own typing only until that is committed.

    Before and after, undo and redo are the document's. One that is opened `in_place` of what it
    changes is left with Escape: `abandoned`.
    """

    abandoned = pyqtSignal()

    def __init__(
        self, content: str = "", parent: QWidget | None = None, *, in_place: bool = False
    ) -> None:
        super().__init__(content, parent)
        self._in_place = in_place

    def event(self, event: QEvent | None) -> bool:
        if event is not None and self._in_place and claims_escape(event):
            event.accept()
            return True
        if (
            event is not None
            and event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and (event.matches(QKeySequence.StandardKey.Undo) or _is_redo(event))
            and not self.isModified()
        ):
            event.ignore()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and self._in_place and event.key() == Qt.Key.Key_Escape:
            self.abandoned.emit()
            return
        super().keyPressEvent(event)
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            # What it lies on would take the same key for one of its own.
            event.accept()

    def settle(self) -> None:
        """What stands here is what holds: its typing can not be undone any more."""
        at = self.cursorPosition()
        self.setText(self.text())
        self.setCursorPosition(at)


def _is_redo(event: QKeyEvent) -> bool:
    return event.matches(QKeySequence.StandardKey.Redo)


class _Entry(QWidget):
    """A label, a line edit, and a place below for what is wrong with the entry."""

    def __init__(self, title: str, width: int) -> None:
        super().__init__()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 1, 0, 1)
        outer.setSpacing(1)
        line = QHBoxLayout()
        line.setSpacing(6)
        self.title = name = label(title)
        line.addWidget(name, 1)
        self.edit = Entry()
        self.edit.setFixedWidth(width)
        self.edit.setAccessibleName(title)
        name.setBuddy(self.edit)
        line.addWidget(self.edit)
        outer.addLayout(line)
        self.problem = label("", "error", wrap=True)
        self.problem.hide()
        outer.addWidget(self.problem)
        self._old = ""
        self.edit.editingFinished.connect(self._commit)
        self.edit.installEventFilter(self)

    def eventFilter(self, watched: object, event: QEvent | None) -> bool:
        if not isinstance(event, QKeyEvent) or event.key() != Qt.Key.Key_Escape:
            return False
        if event.type() == QEvent.Type.ShortcutOverride:
            # Escape belongs to the entry while something unfinished stands in it.
            event.setAccepted(self.edit.text() != self._old)
            return event.isAccepted()
        if event.type() == QEvent.Type.KeyPress:
            self._show_text(self._old)
            return True
        return False

    def _show_text(self, content: str) -> None:
        self._old = content
        self.edit.setText(content)
        self._tell("")

    def _tell(self, problem: str) -> None:
        self.problem.setText(problem)
        self.problem.setVisible(bool(problem))
        self.edit.setProperty("bad", "true" if problem else "false")
        style = self.edit.style()
        if isinstance(style, QStyle):
            style.unpolish(self.edit)
            style.polish(self.edit)

    def _commit(self) -> None:
        typed = self.edit.text().strip()
        if typed == self._old:
            self.edit.settle()
            self._tell("")
            return
        try:
            self._take(typed)
        except OndaError as error:
            self._tell(str(error))
            return
        self.edit.settle()
        self._old = self.edit.text()
        self._tell("")

    def _is_busy(self, content: str) -> bool:
        """Whether the user is typing here, or still has to read why an entry was refused."""
        typing = self.edit.hasFocus() and self.edit.isModified()
        refused = bool(self.problem.text()) and content == self._old
        return typing or refused

    def _take(self, typed: str) -> None:
        """Apply what was typed; raise `OndaError` where it is refused."""
        raise NotImplementedError


class QuantityField(_Entry):
    """An entry field for a quantity; a bare number takes the unit shown before.

    `apply` gets the new quantity and may raise an `OndaError`; then, as with text that is no
    quantity, the old value stays in the project and the reason is shown below the field.
    """

    def __init__(
        self, title: str, dimension: str, apply: Callable[[Quantity], None], *, width: int = 96
    ) -> None:
        # The longest units need more room.
        super().__init__(title, max(width, 130) if dimension == "loss per length" else width)
        self._dimension = dimension
        self._apply = apply
        self._unit = ""
        self.edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.edit.setObjectName("mono")

    def show_quantity(self, quantity: Quantity | None) -> None:
        """Show a quantity as it was typed, unless the user is typing here."""
        content = as_shown(quantity, self._dimension) if quantity is not None else ""
        if self._is_busy(content):
            return
        self._unit = content.partition(" ")[2] or self._unit
        if content != self._old or self.problem.isVisible() or self.edit.text() != content:
            self._show_text(content)

    def _take(self, typed: str) -> None:
        self._apply(parse_quantity(typed, self._dimension, self._unit or None))


class TextField(_Entry):
    """An entry field for text; `apply` may raise an `OndaError`."""

    def __init__(self, title: str, apply: Callable[[str], None], *, width: int = 140) -> None:
        super().__init__(title, width)
        self._apply = apply

    def show_text(self, content: str) -> None:
        """Show the text, unless the user is typing here."""
        if not self._is_busy(content) and content != self.edit.text():
            self._show_text(content)
            self.edit.setCursorPosition(0)

    def _take(self, typed: str) -> None:
        self._apply(typed)


class ChoiceBox(QComboBox):
    """A list to choose from, with a mark drawn in the look's own colours."""

    def __init__(self, look: Look, width: int = 142) -> None:
        super().__init__()
        self._look = look
        self.setFixedWidth(width)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        look.changed.connect(self.update)

    def showPopup(self) -> None:
        """The list is as wide as its longest words need."""
        view = self.view()
        if view is not None:
            widest = max(
                (
                    self.fontMetrics().horizontalAdvance(self.itemText(i))
                    for i in range(self.count())
                ),
                default=0,
            )
            view.setMinimumWidth(min(max(widest + 30, self.width()), 420))
        super().showPopup()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        option = QStyleOptionComboBox()
        self.initStyleOption(option)
        # Words that do not fit are cut with a mark; the tip has all of them.
        room = self.width() - 34
        option.currentText = self.fontMetrics().elidedText(
            option.currentText, Qt.TextElideMode.ElideRight, room
        )
        painter = QStylePainter(self)
        painter.drawComplexControl(QStyle.ComplexControl.CC_ComboBox, option)
        painter.drawControl(QStyle.ControlElement.CE_ComboBoxLabel, option)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(pen(self._look.t.secondary, 1.6))
        x, y = self.width() - 15.0, self.height() / 2 - 2
        painter.drawLine(QPointF(x - 4, y), QPointF(x, y + 4))
        painter.drawLine(QPointF(x, y + 4), QPointF(x + 4, y))
        painter.end()


class NumberRows(QWidget):
    """Names, numbers and units in three columns with hairlines, the kept number beside each."""

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._rows: list[tuple[str, str, str, str]] = []
        look.changed.connect(self.update)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def set_rows(self, rows: list[tuple[str, str, str, str]]) -> None:
        """Rows of (name, number, unit, kept number)."""
        if rows == self._rows:
            return
        resized = len(rows) != len(self._rows)
        self._rows = rows
        if resized:
            self.setFixedHeight(len(rows) * _ROW + 2)
        self.setAccessibleDescription("; ".join(f"{n} {v} {u}" for n, v, u, _ in rows))
        self.update()

    def title_at(self, y: int) -> str:
        """Name of the row at a height, empty below them."""
        index = y // _ROW
        return self._rows[index][0].strip() if 0 <= index < len(self._rows) else ""

    @staticmethod
    def si_row(
        name: str, si: float, dimension: str, kept: float | None = None
    ) -> tuple[str, str, str, str]:
        """A row from an SI value, kept value in the same unit."""
        number, unit = split_si(si, dimension)
        if kept is None:
            return name, number, unit, ""
        return name, number, unit, split_si(kept, dimension, like=si)[0]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setFont(look.font(11))
        metrics = painter.fontMetrics()
        for i, (name, number, unit, kept) in enumerate(self._rows):
            top = i * _ROW
            # A long unit takes the room that it needs in its own row.
            units = max(_UNIT, metrics.horizontalAdvance(unit) + 4)
            right = self.width() - units - 4
            kept_right = right - _NUMBER
            painter.setFont(look.font(11))
            room = (kept_right - _NUMBER if kept else kept_right) + 2
            text(painter, QRectF(0, top, room, _ROW - 1), name, t.secondary)
            text(painter, QRectF(self.width() - units, top, units, _ROW - 1), unit, t.secondary)
            painter.setFont(look.mono(12))
            place = QRectF(right - _NUMBER, top, _NUMBER, _ROW - 1)
            text(painter, place, number, t.ink, Qt.AlignmentFlag.AlignRight)
            if kept:
                painter.setFont(look.mono(11))
                place = QRectF(kept_right - _NUMBER, top, _NUMBER - 2, _ROW - 1)
                text(painter, place, kept, t.kept_ink, Qt.AlignmentFlag.AlignRight)
            painter.setPen(pen(t.hairline))
            painter.drawLine(QPointF(0, top + _ROW - 0.5), QPointF(self.width(), top + _ROW - 0.5))
        painter.end()


class Trim(QWidget):
    """A slider on any number; while it moves everything that depends on it follows.

    Signals
    -------
    began, moved(float), ended : SI values within the range
    """

    began = pyqtSignal()
    moved = pyqtSignal(float)
    ended = pyqtSignal()

    def __init__(self, look: Look, name: str) -> None:
        super().__init__()
        self._look = look
        self.low, self.high, self.value = 0.0, 1.0, 0.0
        self.step = 0.01
        self.marks: list[float] = []
        self._dragging = False
        self.setFixedHeight(30)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"Trim: {name}")
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(220, 30)

    def set_range(self, low: float, high: float, step: float) -> None:
        """Range and key step, SI."""
        self.low, self.high, self.step = low, high, step
        self.update()

    def set_value(self, value: float, marks: list[float] | None = None) -> None:
        """Show a value, and kept values as marks."""
        self.value = value
        if marks is not None:
            self.marks = marks
        self.update()

    def _x(self, value: float) -> float:
        share = (value - self.low) / (self.high - self.low)
        return 8 + min(max(share, 0.0), 1.0) * (self.width() - 16)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        y = self.height() / 2
        painter.setPen(pen(t.hairline, 4))
        painter.drawLine(QPointF(4, y), QPointF(self.width() - 4, y))
        painter.setPen(pen(t.sea, 4))
        painter.drawLine(QPointF(4, y), QPointF(self._x(self.value), y))
        painter.setPen(pen(t.kept, 2))
        for mark in self.marks:
            x = self._x(mark)
            painter.drawLine(QPointF(x, y - 10), QPointF(x, y + 10))
        painter.setPen(pen(t.sea, 2))
        painter.setBrush(QColor(t.sheet))
        painter.drawEllipse(QPointF(self._x(self.value), y), 7, 7)
        if self.hasFocus():
            painter.setPen(pen(t.sea, 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        painter.end()

    def _to(self, x: float) -> None:
        share = min(max((x - 8) / (self.width() - 16), 0.0), 1.0)
        raw = self.low + share * (self.high - self.low)
        self.value = round(raw / self.step) * self.step
        self.update()
        self.moved.emit(self.value)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._dragging = True
            self.began.emit()
            self._to(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and self._dragging:
            self._to(event.position().x())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._dragging:
            self._dragging = False
            self.ended.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        steps = {
            Qt.Key.Key_Right: 1,
            Qt.Key.Key_Up: 1,
            Qt.Key.Key_Left: -1,
            Qt.Key.Key_Down: -1,
            Qt.Key.Key_PageUp: 10,
            Qt.Key.Key_PageDown: -10,
        }.get(Qt.Key(event.key()))
        if steps is None:
            super().keyPressEvent(event)
            return
        self.began.emit()
        value = min(max(self.value + steps * self.step, self.low), self.high)
        self.value = value
        self.moved.emit(value)
        self.ended.emit()
        self.update()
