"""The margin strip: every requirement of what is on screen as a bar against its limit."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPolygonF,
    QWheelEvent,
)
from PyQt6.QtWidgets import QMenu, QPushButton, QSizePolicy, QToolTip, QWidget

from onda.app.kit.explain import measure_words
from onda.app.kit.menus import MenuEntry, fill
from onda.app.shell.fields import Entry
from onda.app.shell.painting import pen, text
from onda.app.theme import Look
from onda.studies.core.margin import Margin, State, limits_text

__all__ = ["MarginStrip", "bar_scale"]

_LEFT = 140.0
_PITCH = 190.0


def bar_scale(margin: Margin, kept: Sequence[float]) -> tuple[float, float]:
    """Lowest and highest value that a bar shows, limits and kept marks included."""
    values = [v for v in (margin.value, *kept) if math.isfinite(v)]
    low, high = margin.low, margin.high
    if low is not None and high is not None:
        room = high - low
        bottom, top = low - room, high + 0.4 * room
    elif high is not None:
        bottom, top = (0.0, 1.45 * high) if high >= 0.0 else (1.9 * high, 0.4 * high)
    elif low is not None:
        bottom, top = (0.0, 1.9 * low) if low >= 0.0 else (1.6 * low, 0.0)
        if margin.dimension == "ratio" and 0.8 < low < 1.0:
            # A share cannot be above 1; what matters lies close to it.
            bottom, top = 1.0 - 4.0 * (1.0 - low), 1.0
    else:
        # Over ranges, and nothing is known yet.
        bottom, top = 0.0, 1.0
    if values:
        bottom, top = min(bottom, *values), max(top, max(values) * (1.04 if top != 1.0 else 1.0))
    return bottom, top if top > bottom else bottom + 1.0


class MarginStrip(QWidget):
    """Bars of the shown margins; kept states as small marks below each.

    Signals
    -------
    limit_typed(requirement, text) : another limit was typed on a bar
    limit_dropped(requirement) : a limit is not wanted any more
    limit_wanted(point) : another requirement is wanted; where the plus is, in global coordinates
    """

    limit_typed = pyqtSignal(str, str)
    limit_dropped = pyqtSignal(str)
    limit_wanted = pyqtSignal(object)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self.setObjectName("strip")
        self._look = look
        self._title = ""
        self._margins: list[Margin] = []
        self._kept: dict[str, list[float]] = {}
        self._first = 0
        self._focus_at = 0
        self._editing = ""
        self.editor = Entry(parent=self, in_place=True)
        self.editor.hide()
        self.editor.returnPressed.connect(self._commit)
        self.editor.editingFinished.connect(self.editor.hide)
        self.editor.abandoned.connect(self.editor.hide)
        self.add = QPushButton("+", self)
        self.add.setObjectName("plain")
        self.add.setAccessibleName("Require something")
        self.add.setToolTip("Put a limit on a measure of what is on screen (L)")
        self.add.setGeometry(104, 4, 28, 24)
        self.add.clicked.connect(lambda: self.ask_limit())
        self.add.hide()
        self.setFixedHeight(76)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Margins")
        look.changed.connect(self.update)

    @property
    def margins(self) -> tuple[Margin, ...]:
        """What is shown."""
        return tuple(self._margins)

    def show_margins(
        self, title: str, margins: Sequence[Margin], kept: dict[str, list[float]]
    ) -> None:
        """Show margins of `title`; `kept` holds values of kept states by requirement."""
        if title != self._title:
            self._first = 0
        self._title, self._margins, self._kept = title, list(margins), kept
        self._first = min(self._first, max(0, len(self._margins) - 1))
        self.setAccessibleDescription("; ".join(m.sentence for m in self._margins))
        self.update()

    def can_require(self, can: bool) -> None:
        """Whether something can be required of what is on screen."""
        self.add.setVisible(can)

    def ask_limit(self) -> None:
        """Ask for another requirement."""
        self.limit_wanted.emit(self.mapToGlobal(QPoint(int(_LEFT), 0)))

    @property
    def _fit(self) -> int:
        return max(1, int((self.width() - _LEFT) / _PITCH))

    def _shown(self) -> list[Margin]:
        return self._margins[self._first : self._first + self._fit]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.sheet))
        painter.fillRect(QRectF(0, 0, self.width(), 2), QColor(t.hairline))
        painter.setFont(look.font(12, bold=True))
        text(painter, QRectF(18, 8, 116, 18), "Margins", t.ink)
        painter.setFont(look.font(11))
        text(painter, QRectF(18, 28, 116, 16), self._title, t.secondary)
        summary, ink = self._summary()
        text(painter, QRectF(18, 50, 116, 16), summary, ink)
        if not self._margins:
            text(
                painter,
                QRectF(_LEFT, 24, 700, 20),
                "Nothing is required of this yet: + puts a limit on it." if self._title else "",
                t.secondary,
            )
        for i, margin in enumerate(self._shown()):
            rect = QRectF(_LEFT + i * _PITCH, 4, _PITCH - 18, 70)
            self._draw(painter, rect, margin)
            if self.hasFocus() and i == self._focus_at:
                painter.setPen(pen(t.sea, 1, Qt.PenStyle.DotLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(rect.adjusted(-5, 1, 5, -1), 5, 5)
        painter.end()

    def edit_limit(self, index: int) -> None:
        """Open the entry on the limit of a shown bar."""
        if not 0 <= index < len(self._shown()):
            return
        margin = self._shown()[index]
        self._editing = margin.requirement
        self.editor.setText(limits_text(margin).lstrip("≤≥ "))
        self.editor.setAccessibleName(f"Limit of {margin.title}")
        self.editor.setGeometry(int(_LEFT + index * _PITCH) - 4, 48, 130, 24)
        self.editor.show()
        self.editor.setFocus()
        self.editor.selectAll()

    def _commit(self) -> None:
        requirement, self._editing = self._editing, ""
        self.editor.hide()
        if requirement:
            self.limit_typed.emit(requirement, self.editor.text())

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.position().x() > _LEFT:
            self.edit_limit(int((event.position().x() - _LEFT) // _PITCH))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is None:
            return
        index = int((event.x() - _LEFT) // _PITCH)
        shown = self._shown()
        entries: list[MenuEntry] = []
        if 0 <= index < len(shown):
            name = shown[index].requirement
            entries.append(MenuEntry("Type another limit", lambda: self.edit_limit(index)))
            entries.append(
                MenuEntry("Remove this limit\tDelete", lambda: self.limit_dropped.emit(name))
            )
        if not self.add.isHidden():
            entries.append(MenuEntry("Require something else…\tL", self.ask_limit))
        fill(QMenu(self), entries).popup(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = event.key()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if key == Qt.Key.Key_Right else -1
            self._focus_at = min(max(self._focus_at + step, 0), max(len(self._shown()) - 1, 0))
            self.update()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self._shown():
            self.edit_limit(self._focus_at)
        elif key == Qt.Key.Key_Delete and self._focus_at < len(self._shown()):
            self.limit_dropped.emit(self._shown()[self._focus_at].requirement)
        else:
            super().keyPressEvent(event)

    def _summary(self) -> tuple[str, QColor]:
        t = self._look.t
        count = {s: sum(m.state is s for m in self._margins) for s in State}
        hidden = len(self._margins) - self._fit
        more = f" · {hidden} more" if hidden > 0 else ""
        if not self._margins:
            return "", QColor(t.secondary)
        if count[State.FAILS]:
            tight = f" · {count[State.TIGHT]} tight" if count[State.TIGHT] else ""
            return f"{_fail(count[State.FAILS])}{tight or more}", QColor(t.fails)
        if count[State.UNKNOWN]:
            return "computing…", QColor(t.secondary)
        if count[State.TIGHT]:
            return f"{count[State.TIGHT]} tight{more}", QColor(t.tight_ink)
        return f"all hold{more}", QColor(t.holds)

    def _draw(self, painter: QPainter, rect: QRectF, margin: Margin) -> None:
        look, t = self._look, self._look.t
        painter.setFont(look.font(12, bold=True))
        value = "…" if margin.state is State.UNKNOWN else margin.value_text
        value += " ?" if margin.doubts else ""
        if math.isinf(margin.normalised):
            value = "none"
        width = painter.fontMetrics().horizontalAdvance(value) + 6
        ink = look.state_ink(margin.state)
        top = QRectF(rect.left(), rect.top() + 2, rect.width(), 18)
        text(painter, top, value, ink, Qt.AlignmentFlag.AlignRight)
        painter.setFont(look.font(11))
        text(painter, top.adjusted(0, 0, -width, 0), margin.title, t.secondary)
        bar = QRectF(rect.left(), rect.top() + 25, rect.width(), 8)
        self._draw_bar(painter, bar, margin)
        painter.setFont(look.font(11))
        word = "" if margin.state is State.HOLDS else margin.state.value
        below = QRectF(rect.left(), rect.top() + 48, rect.width(), 18)
        text(painter, below, limits_text(margin), t.secondary)
        text(painter, below, word, ink, Qt.AlignmentFlag.AlignRight)

    def _draw_bar(self, painter: QPainter, bar: QRectF, margin: Margin) -> None:
        look, t = self._look, self._look.t
        kept = self._kept.get(margin.requirement, [])
        low, high = bar_scale(margin, kept)

        def at(value: float) -> float:
            return bar.left() + bar.width() * min(max((value - low) / (high - low), 0.0), 1.0)

        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.track))
        painter.drawRoundedRect(bar, 4, 4)
        if math.isfinite(margin.value):
            painter.setBrush(look.state_color(margin.state))
            filled = QRectF(bar.left(), bar.top(), max(6.0, at(margin.value) - bar.left()), 8)
            painter.drawRoundedRect(filled, 4, 4)
        painter.setPen(pen(t.ink, 2.0))
        for limit in (margin.low, margin.high):
            if limit is not None:
                x = at(limit)
                painter.drawLine(QPointF(x, bar.top() - 4), QPointF(x, bar.bottom() + 5))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(t.kept))
        for value in kept:
            if math.isfinite(value):
                x = at(value)
                y = bar.bottom() + 4
                triangle = [QPointF(x, y), QPointF(x - 4, y + 7), QPointF(x + 4, y + 7)]
                painter.drawPolygon(QPolygonF(triangle))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None:
            return
        step = -1 if event.angleDelta().y() > 0 else 1
        last = max(0, len(self._margins) - self._fit)
        self._first = min(max(self._first + step, 0), last)
        self.update()

    def event(self, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.ToolTip:
            index = int((event.pos().x() - _LEFT) // _PITCH)  # type: ignore[attr-defined]
            shown = self._shown()
            if 0 <= index < len(shown):
                m = shown[index]
                lines = [
                    m.sentence,
                    measure_words(m.measure),
                    m.basis,
                    f"Limit: {m.source}",
                ]
                lines.append("Double click to type another limit.")
                tip = "\n".join(line for line in lines if line)
                QToolTip.showText(event.globalPos(), tip, self)  # type: ignore[attr-defined]
                return True
        return super().event(event)


def _fail(count: int) -> str:
    return "1 fails" if count == 1 else f"{count} fail"
