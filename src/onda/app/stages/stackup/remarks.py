"""What a fabricator would ask, as a few lines with their state; a click goes to the place."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.shell.painting import draw_state, text
from onda.app.theme import Look
from onda.studies.build.remarks import BuildRemark
from onda.studies.core.margin import State

__all__ = ["RemarkLines"]

_ROW = 17
_MOST = 3


class RemarkLines(QWidget):
    """The worst remarks; those that hold are counted.

    Signals
    -------
    chosen(where)
    """

    chosen = pyqtSignal(str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._shown: list[BuildRemark] = []
        self._readout = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(_ROW * (_MOST + 1))
        self.setAccessibleName("Remarks on the build")
        look.changed.connect(self.update)

    def show_remarks(self, remarks: tuple[BuildRemark, ...]) -> None:
        """Show remarks, the worst first."""
        open_ = [r for r in remarks if r.state is not State.HOLDS]
        held = len(remarks) - len(open_)
        self._shown = open_[:_MOST]
        more = len(open_) - len(self._shown)
        words = f"{held} of {len(remarks)} checks of the build hold"
        if more > 0:
            words += f"; {more} more do not"
        self._shown.append(BuildRemark(State.HOLDS if not open_ else State.UNKNOWN, words))
        self.setFixedHeight(_ROW * len(self._shown))
        self.setAccessibleDescription("; ".join(r.text for r in remarks))
        self.update()

    def show_readout(self, words: str) -> None:
        """Words about what the mouse is on, in the place of the last line."""
        self._readout = words
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(look.font(11))
        shown = list(self._shown)
        if self._readout:
            shown = [*shown[:-1][:_MOST], BuildRemark(State.UNKNOWN, self._readout)]
        top = self.height() - _ROW * len(shown)
        for k, remark in enumerate(shown):
            y = top + k * _ROW
            last = k == len(shown) - 1
            if not last:
                draw_state(painter, look, QPointF(6, y + _ROW / 2), 4.0, remark.state)
            rect = QRectF(16 if not last else 0, y, self.width() - 16, _ROW)
            text(painter, rect, remark.text, t.secondary if last else t.ink)
        painter.end()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        top = self.height() - _ROW * len(self._shown)
        index = int((event.position().y() - top) // _ROW)
        if 0 <= index < len(self._shown) and self._shown[index].where:
            self.chosen.emit(self._shown[index].where)
