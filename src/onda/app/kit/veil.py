"""A cover over views that are not of what is chosen: it says what is coming, or why not."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QObject, QRect, QRectF, Qt, QTimer
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from onda.app.theme import Look

__all__ = ["Veil"]

_PATIENCE_MS = 250
"""A result of the same object that is there by then needs no cover."""
_THIN = 150
"""Of 255: numbers of an older state are seen through, and not taken for the present ones."""


class Veil(QWidget):
    """Covers some widgets of a surface, wherever they lie.

    Of another object nothing is seen through it; of an older state of the same one it is thin.
    """

    def __init__(self, look: Look, parent: QWidget) -> None:
        super().__init__(parent)
        self._look = look
        self._over: Sequence[QWidget] = ()
        self.words = ""
        self.failed = False
        self.is_thin = False
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_PATIENCE_MS)
        self._later.timeout.connect(lambda: self._show(thin=True))
        parent.installEventFilter(self)
        look.changed.connect(self.update)
        self.hide()

    def cover(self, over: Sequence[QWidget]) -> None:
        """What it lies over, side by side or below each other."""
        for widget in over:
            widget.installEventFilter(self)
        self._over = tuple(over)

    def drop(self, words: str, *, failed: bool = False) -> None:
        """Cover all: what lies below is of something else."""
        self.words, self.failed = words, failed
        self._later.stop()
        self._show(thin=False)

    def drop_soon(self, words: str) -> None:
        """Cover thinly in a moment, unless it was lifted by then; a cover that is there stays."""
        if not self.isHidden() and not self.is_thin and not self.failed:
            return
        self.words, self.failed = words, False
        if self.isHidden():
            self._later.start()
        else:
            self._show(thin=True)

    def lift(self) -> None:
        """What lies below is what is chosen."""
        self._later.stop()
        self.hide()

    def _show(self, *, thin: bool) -> None:
        self.is_thin = thin
        # Under a thin cover one can go on working; another object's views are not to be touched.
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents, thin)
        self.setAccessibleName(self.words)
        self._place()
        self.show()
        self.raise_()
        self.update()

    def _place(self) -> None:
        rect = QRect()
        parent = self.parentWidget()
        assert parent is not None
        for widget in self._over:
            if widget.isVisibleTo(parent):
                corner = widget.mapTo(parent, widget.rect().topLeft())
                rect = rect.united(QRect(corner, widget.size()))
        self.setGeometry(rect)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if (
            event is not None
            and event.type()
            in (
                QEvent.Type.Resize,
                QEvent.Type.Move,
                QEvent.Type.Show,
                QEvent.Type.Hide,
            )
            and not self.isHidden()
        ):
            self._place()
        return False

    def paintEvent(self, event: QPaintEvent | None) -> None:
        t = self._look.t
        painter = QPainter(self)
        ground = QColor(t.paper)
        if self.is_thin:
            ground.setAlpha(_THIN)
        painter.fillRect(self.rect(), ground)
        painter.setFont(self._look.font(12))
        painter.setPen(QColor(t.fails if self.failed else t.secondary))
        room = QRectF(self.rect()).adjusted(24, 12, -24, -12)
        if self.is_thin:
            # On ground of its own, so that it can be read over curves.
            width = painter.fontMetrics().horizontalAdvance(self.words) + 20
            tag = QRectF(room.center().x() - width / 2, room.top(), width, 24)
            painter.fillRect(tag, QColor(t.sheet))
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, self.words)
        else:
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(room, int(flags), self.words)
        painter.end()
