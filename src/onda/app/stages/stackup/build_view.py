"""The build, top to bottom, thick layers compressed so that thin ones stay legible."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from onda.app.shell.painting import draw_state, pen, text
from onda.app.theme import Look
from onda.project.model import CoatingLayer, CopperLayer, Material, StackLayer
from onda.project.quantities import format_si
from onda.studies.margins import State

__all__ = ["BuildView", "Cell"]

_LAYERS_WIDTH = 330.0
_NAMES = 54.0


@dataclass(frozen=True)
class Cell:
    """A class on a layer: what it is routed with, the impedance it reaches, and how that stands."""

    layer: str
    line_class: str
    shape: str
    z: str
    state: State | None


class BuildView(QWidget):
    """Draws the build and beside it, layer by layer, what every class reaches there.

    Signals
    -------
    layer_chosen(id), cell_chosen(class id, layer id)
    """

    layer_chosen = pyqtSignal(str)
    cell_chosen = pyqtSignal(str, str)

    def __init__(self, look: Look) -> None:
        super().__init__()
        self._look = look
        self._layers: tuple[StackLayer, ...] = ()
        self._materials: dict[str, Material] = {}
        self._cells: list[Cell] = []
        self._classes: list[tuple[str, str]] = []
        self._current = ""
        self.setMinimumHeight(360)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Build, top to bottom")
        look.changed.connect(self.update)

    def show_build(
        self,
        layers: tuple[StackLayer, ...],
        materials: dict[str, Material],
        classes: list[tuple[str, str]],
        cells: list[Cell],
        current: str,
    ) -> None:
        """Show layers, and cells of classes (id, name)."""
        self._layers, self._materials = layers, materials
        self._classes, self._cells, self._current = classes, cells, current
        self.setAccessibleDescription("; ".join(layer.id for layer in layers))
        self.update()

    @staticmethod
    def thickness(layer: StackLayer) -> float:
        """Thickness of a layer in metres; of a coating, over laminate."""
        return layer.over_laminate.si if isinstance(layer, CoatingLayer) else layer.thickness.si

    def rects(self) -> list[QRectF]:
        """Where each layer lies: never thinner than its text, else by the root of its thickness."""
        if not self._layers:
            return []
        room = self.height() - 40.0
        least = 17.0
        weight = [self.thickness(layer) ** 0.5 for layer in self._layers]
        spare = max(room - least * len(weight), 0.0)
        total = sum(weight)
        out, y = [], 26.0
        for w in weight:
            height = least + spare * w / total
            out.append(QRectF(_NAMES, y, _LAYERS_WIDTH, height))
            y += height
        return out

    def paintEvent(self, event: QPaintEvent | None) -> None:
        look, t = self._look, self._look.t
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(look.font(11))
        text(
            painter,
            QRectF(0, 2, 360, 18),
            "heights by the root of thickness, so that thin layers stay legible",
            t.secondary,
        )
        self._draw_class_names(painter)
        for layer, rect in zip(self._layers, self.rects(), strict=True):
            self._draw_layer(painter, layer, rect)
        if self.hasFocus():
            painter.setPen(pen(t.sea, 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5))
        painter.end()

    def _fill(self, layer: StackLayer) -> QColor:
        t = self._look.t
        if isinstance(layer, CopperLayer):
            return QColor(t.copper)
        if isinstance(layer, CoatingLayer):
            return QColor(t.coating)
        material = self._materials[layer.material]
        return (
            QColor(t.dielectric_high if "core" in layer.name else t.dielectric_low)
            if material
            else QColor()
        )

    def _draw_layer(self, painter: QPainter, layer: StackLayer, rect: QRectF) -> None:
        look, t = self._look, self._look.t
        painter.setPen(pen(t.hairline))
        painter.setBrush(self._fill(layer))
        drawn = rect
        if isinstance(layer, CopperLayer) and layer.role == "signal":
            # A signal layer is mostly etched away; short pieces of copper say so.
            painter.setBrush(QColor(t.sheet if layer.id in self._outer() else t.dielectric_low))
            painter.drawRect(rect)
            painter.setBrush(QColor(t.copper))
            for k in range(4):
                painter.drawRect(QRectF(rect.left() + 84 + k * 44, rect.top(), 22, rect.height()))
        else:
            painter.drawRect(drawn)
        if layer.id == self._current:
            painter.setPen(pen(t.sea, 2.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(rect.adjusted(1, 1, -1, -1))
        painter.setFont(look.font(11, bold=isinstance(layer, CopperLayer)))
        copper = isinstance(layer, CopperLayer)
        left = QRectF(0, rect.center().y() - 8, _NAMES - 6, 16)
        if copper:
            text(painter, left, layer.id, t.ink, Qt.AlignmentFlag.AlignRight)
        painter.setFont(look.font(11))
        inside = rect.adjusted(8, 0, -8, 0)
        plane = isinstance(layer, CopperLayer) and layer.role == "plane"
        ink = "#1E2B33" if plane else t.ink
        if not (isinstance(layer, CopperLayer) and layer.role == "signal"):
            text(painter, inside, self._words(layer), ink)
        else:
            text(painter, inside, "signal", t.ink)
        value = format_si(self.thickness(layer), "length")
        painter.setFont(look.mono(11))
        text(painter, inside, value, ink, Qt.AlignmentFlag.AlignRight)
        if isinstance(layer, CopperLayer) and layer.role == "signal":
            self._draw_cells(painter, layer.id, rect)

    def _outer(self) -> set[str]:
        copper = [layer.id for layer in self._layers if isinstance(layer, CopperLayer)]
        return {copper[0], copper[-1]} if copper else set()

    def _words(self, layer: StackLayer) -> str:
        if isinstance(layer, CopperLayer):
            return layer.role
        material = self._materials[layer.material]
        name = "solder mask" if isinstance(layer, CoatingLayer) else layer.name
        return f"{name} · Dk {material.dk:.2f} · Df {material.df:.4f}"

    def _columns(self) -> list[tuple[str, str, QRectF]]:
        start = _NAMES + _LAYERS_WIDTH + 18
        count = max(len(self._classes), 1)
        width = min((self.width() - start) / count, 190.0)
        return [
            (key, name, QRectF(start + i * width, 0, width - 8, 20))
            for i, (key, name) in enumerate(self._classes)
        ]

    def _draw_class_names(self, painter: QPainter) -> None:
        painter.setFont(self._look.font(11, bold=True))
        for _, name, rect in self._columns():
            text(painter, rect.translated(0, 2), name, self._look.t.ink)

    def cell_rects(self) -> dict[tuple[str, str], QRectF]:
        """Where each class on each layer stands, by (class, layer)."""
        out = {}
        rows = {layer.id: r for layer, r in zip(self._layers, self.rects(), strict=True)}
        for key, _, column in self._columns():
            for cell in self._cells:
                if cell.line_class == key:
                    middle = rows[cell.layer].center().y()
                    out[(key, cell.layer)] = QRectF(column.left(), middle - 18, column.width(), 36)
        return out

    def _draw_cells(self, painter: QPainter, layer: str, row: QRectF) -> None:
        look, t = self._look, self._look.t
        places = self.cell_rects()
        for cell in self._cells:
            if cell.layer != layer:
                continue
            rect = places[(cell.line_class, layer)]
            painter.setPen(pen(t.hairline))
            painter.setBrush(QColor(t.sheet))
            painter.drawRoundedRect(rect, 6, 6)
            draw_state(painter, look, QPointF(rect.left() + 12, rect.center().y()), 4.5, cell.state)
            painter.setFont(look.mono(12))
            text(
                painter,
                rect.adjusted(22, 2, -4, -17),
                cell.z,
                look.state_ink(cell.state or State.UNKNOWN),
            )
            painter.setFont(look.font(11))
            text(painter, rect.adjusted(22, 17, -4, -2), cell.shape, t.secondary)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        point = event.position()
        for (line_class, layer), rect in self.cell_rects().items():
            if rect.contains(point):
                self.cell_chosen.emit(line_class, layer)
                return
        for layer_, rect in zip(self._layers, self.rects(), strict=True):
            if rect.top() <= point.y() <= rect.bottom() and point.x() < rect.right():
                self.layer_chosen.emit(layer_.id)
                return

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or not self._layers:
            return
        ids = [layer.id for layer in self._layers]
        at = ids.index(self._current) if self._current in ids else 0
        if event.key() == Qt.Key.Key_Down:
            self.layer_chosen.emit(ids[min(at + 1, len(ids) - 1)])
        elif event.key() == Qt.Key.Key_Up:
            self.layer_chosen.emit(ids[max(at - 1, 0)])
        else:
            super().keyPressEvent(event)
