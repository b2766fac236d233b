"""The course: the twelve stages on one line in the order of work."""

from __future__ import annotations

import math

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from onda.app.document import Document
from onda.app.selection import Selection
from onda.app.shell.painting import draw_state, pen, text
from onda.app.stages import StageInfo
from onda.app.standing import Standing
from onda.app.theme import Look
from onda.studies.core.margin import State

__all__ = ["Course"]

_LEFT = 200.0
_RIGHT = 60.0
_LINE_Y = 24.0


class Course(QWidget):
    """Project name, stages, and the question mark.

    Signals
    -------
    project_menu_wanted : the project's name was pressed, at a point in global coordinates
    help_wanted : the question mark was pressed
    """

    project_menu_wanted = pyqtSignal(object)
    help_wanted = pyqtSignal()

    def __init__(
        self,
        look: Look,
        document: Document,
        selection: Selection,
        standing: Standing,
        stages: tuple[StageInfo, ...],
    ) -> None:
        super().__init__()
        self.setObjectName("course")
        self._look = look
        self._document = document
        self._selection = selection
        self._standing = standing
        self._stages = stages
        self._looked_at: set[str] = {selection.stage}
        self._focus_at = 0
        self.setFixedHeight(64)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Course: stages of the work")
        for signal in (
            look.changed,
            document.saved_changed,
            document.settled,
            document.changed,
            selection.subject_changed,
        ):
            signal.connect(self.update)
        selection.stage_changed.connect(self._on_stage)
        self._states: tuple[State | None, ...] = ()
        standing.changed.connect(self._on_standing)

    def _on_standing(self) -> None:
        # While something is dragged this comes many times a second, mostly with the same states.
        states = tuple(self._standing.state_of_kinds(stage.judged) for stage in self._stages)
        if states != self._states:
            self._states = states
            self.update()

    def _on_stage(self, stage: str) -> None:
        self._looked_at.add(stage)
        self._focus_at = [s.id for s in self._stages].index(stage)
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(1280, 64)

    def centre(self, index: int) -> QPointF:
        """Where a stage's buoy lies."""
        step = (self.width() - _LEFT - _RIGHT - 40.0) / (len(self._stages) - 1)
        x = _LEFT + index * step
        return QPointF(x, self._wave(x))

    def _wave(self, x: float) -> float:
        return _LINE_Y + 3.0 * math.sin((x - _LEFT) / (self.width() - _LEFT) * 24.0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(t.sheet))
        painter.fillRect(QRectF(0, self.height() - 2, self.width(), 2), QColor(t.hairline))
        project = self._document.project
        painter.setFont(look.font(14, bold=True))
        text(painter, QRectF(18, 6, 165, 22), project.name, t.ink)
        painter.setFont(look.font(11))
        file = self._document.path
        state = "saved" if self._document.is_saved else "not saved"
        parts = [p for p in (project.revision, state) if p]
        place = f"{file.name} in {file.parent.name or file.parent}" if file else "no file yet"
        text(painter, QRectF(18, 27, 165, 16), place, t.secondary)
        text(painter, QRectF(18, 42, 165, 16), " · ".join(parts) + "  ▾", t.secondary)
        current = [s.id for s in self._stages].index(self._selection.stage)
        self._draw_line(painter, current)
        for i, stage in enumerate(self._stages):
            self._draw_stage(painter, i, stage, i == current)
        painter.setFont(look.font(14, bold=True))
        text(painter, self._help_rect(), "?", t.secondary, Qt.AlignmentFlag.AlignHCenter)
        painter.end()

    def _help_rect(self) -> QRectF:
        return QRectF(self.width() - 36, 34, 24, 22)

    def _draw_line(self, painter: QPainter, current: int) -> None:
        first, here, last = self.centre(0), self.centre(current), self.centre(len(self._stages) - 1)
        for start, stop, color in (
            (first.x(), here.x(), self._look.t.sea),
            (here.x(), last.x(), self._look.t.hairline),
        ):
            path = QPainterPath(QPointF(start, self._wave(start)))
            x = start
            while x < stop:
                x = min(x + 4.0, stop)
                path.lineTo(x, self._wave(x))
            painter.setPen(pen(color, 2.0))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)

    def _draw_stage(self, painter: QPainter, index: int, stage: StageInfo, chosen: bool) -> None:
        look, t, centre = self._look, self._look.t, self.centre(index)
        shown = self._standing.state_of_kinds(stage.judged) if stage.ready else None
        if chosen:
            painter.setPen(pen(t.sea, 2.0))
            painter.setBrush(QColor(t.sheet))
            painter.drawEllipse(centre, 10.0, 10.0)
        draw_state(painter, look, centre, 6.0, shown)
        if self.hasFocus() and index == self._focus_at:
            painter.setPen(pen(t.sea, 1.5, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(centre.x() - 38, 8, 76, 50), 6, 6)
        painter.setFont(look.font(11, bold=chosen))
        ink = t.ink if chosen or stage.ready else t.secondary
        text(
            painter,
            QRectF(centre.x() - 44, 38, 88, 18),
            stage.title,
            ink,
            Qt.AlignmentFlag.AlignHCenter,
        )

    def _stage_at(self, x: float) -> int | None:
        for i in range(len(self._stages)):
            if abs(self.centre(i).x() - x) < 36:
                return i
        return None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        point = event.position()
        if point.x() < 186:
            self.project_menu_wanted.emit(self.mapToGlobal(self.rect().bottomLeft()))
        elif self._help_rect().adjusted(-6, -6, 6, 6).contains(point):
            self.help_wanted.emit()
        else:
            index = self._stage_at(point.x())
            if index is not None:
                self._selection.go(self._stages[index].id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        key = event.key()
        if key == Qt.Key.Key_Right:
            self._focus_at = min(self._focus_at + 1, len(self._stages) - 1)
        elif key == Qt.Key.Key_Left:
            self._focus_at = max(self._focus_at - 1, 0)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._selection.go(self._stages[self._focus_at].id)
        elif key == Qt.Key.Key_Down:
            self.project_menu_wanted.emit(self.mapToGlobal(self.rect().bottomLeft()))
        else:
            super().keyPressEvent(event)
            return
        self.update()

    def event(self, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.ToolTip:
            point = event.pos()  # type: ignore[attr-defined]
            if point.x() <= 186:
                file = self._document.path
                tip = str(file) if file else "Not saved in a file yet"
                QToolTip.showText(event.globalPos(), tip, self)  # type: ignore[attr-defined]
                return True
            index = self._stage_at(point.x())
            if index is not None:
                QToolTip.showText(event.globalPos(), self._tip(index), self)  # type: ignore[attr-defined]
                return True
        return super().event(event)

    def _tip(self, index: int) -> str:
        stage = self._stages[index]
        if not stage.ready:
            return f"{stage.title}: {stage.promise} Not built yet."
        state = self._standing.state_of_kinds(stage.judged)
        key = f" (Ctrl+{index + 1})" if index < 9 else ""
        words = {
            None: "no requirement",
            State.HOLDS: "all hold",
            State.TIGHT: "something is tight",
            State.FAILS: "something fails",
            State.UNKNOWN: "not all computed yet",
        }[state]
        return f"{stage.title}{key}: {words}"
