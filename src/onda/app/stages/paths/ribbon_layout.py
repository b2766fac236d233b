"""Where everything on the ribbon lies: pieces, chips, tributaries and ends, in pixels."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF

from onda.app.stages.paths.scale import LEFT, DelayScale
from onda.project.paths.elements import Branch
from onda.project.paths.ends import RECEIVER
from onda.project.paths.path import Path
from onda.studies.paths.layout import Span

__all__ = ["DRIVER", "MIDDLE", "RIBBON", "ROW", "RibbonLayout"]

DRIVER = "driver"
MIDDLE = 76.0
"""Height of the ribbon's axis, px."""
RIBBON = 112
"""Height of a ribbon without tributaries, px."""
ROW = 34
"""Height of a row of tributaries, px."""
_CHIP = 40.0
_END = 62.0


@dataclass(frozen=True)
class RibbonLayout:
    """Geometry of a path at a width; rows of tributaries below share the delay scale.

    `is_outline`: neither delays nor impedances are known yet.
    """

    path: Path
    spans: tuple[Span, ...]
    width: float
    is_outline: bool = False

    @property
    def scale(self) -> DelayScale:
        """The delay scale."""
        return DelayScale(self.width, max((s.end for s in self.spans), default=1e-12) or 1e-12)

    @property
    def rows(self) -> int:
        """Rows of tributaries."""
        return max((s.row for s in self.spans), default=0)

    @property
    def height(self) -> int:
        """Pixels for all of it."""
        return RIBBON + ROW * self.rows + self._hang

    @property
    def _hang(self) -> int:
        """Room for loads that hang on the ribbon itself."""
        return 18 if any(s.kind == "branch" and s.row == 0 for s in self.spans) else 0

    def y(self, row: int) -> float:
        """Axis of a row."""
        return MIDDLE if row == 0 else MIDDLE + 34.0 + self._hang + ROW * (row - 0.5)

    def piece(self, span: Span) -> QRectF:
        """Where a piece of line lies; as high as its impedance is low."""
        scale = self.scale
        most, base = (58.0, 34.0) if span.row == 0 else (24.0, 17.0)
        height = min(max(base * 60.0 / span.z, 0.4 * base), most)
        x0, x1 = scale.x(span.start), scale.x(span.end)
        return QRectF(x0, self.y(span.row) - height / 2, max(x1 - x0, 2.0), height)

    def chips(self) -> dict[str, QRectF]:
        """Chips of parts without length; those before the line stand left of the scale."""
        out: dict[str, QRectF] = {}
        ribbon = [s for s in self.spans if s.row == 0 and s.kind != "branch"]
        first = next((i for i, s in enumerate(ribbon) if s.z > 0.0), len(ribbon))
        ahead = [s.id for s in ribbon[:first]]
        width = min(_CHIP, 44.0 / max(len(ahead), 1))
        for i, name in enumerate(ahead):
            x = LEFT - 2 - (len(ahead) - i) * (width + 2)
            out[name] = QRectF(x, MIDDLE - 10, width, 20)
        crowd: dict[tuple[int, float], int] = {}
        for span in self.spans:
            if span.z > 0.0 or span.kind == "branch" or span.id in out:
                continue
            place = (span.row, span.start)
            k = crowd[place] = crowd.get(place, -1) + 1
            high = 20 if span.row == 0 else 16
            x = self.scale.x(span.start) - _CHIP / 2 + 8 * k
            up = 26 if span.kind == "shunt" and span.row == 0 else 0
            out[span.id] = QRectF(x, self.y(span.row) - high / 2 - up, _CHIP, high)
        return out

    def tees(self) -> list[tuple[Span, QPointF, QPointF]]:
        """Branches with where they leave the line, and where their row begins."""
        out = []
        for span in self.spans:
            if span.kind != "branch":
                continue
            parent = self._parent_row(span.id)
            leave = QPointF(self.scale.x(span.start), self.y(parent))
            row = self.y(span.row) if span.row else self.y(parent) + 30.0
            out.append((span, leave, QPointF(self.scale.x(span.start), row)))
        return out

    def _parent_row(self, branch: str) -> int:
        """Row that a branch leaves from."""

        def find(elements: tuple[object, ...], row_of: str) -> str | None:
            for e in elements:
                if isinstance(e, Branch):
                    if e.id == branch:
                        return row_of
                    inner = find(e.elements, e.id)
                    if inner is not None:
                        return inner
            return None

        parent = find(self.path.elements, "") or ""
        return next((s.row for s in self.spans if s.kind == "branch" and s.id == parent), 0)

    def ends(self) -> dict[str, QRectF]:
        """Boxes of the driver and of every receiver."""
        out = {
            DRIVER: QRectF(2, MIDDLE - 18, 66, 36),
            RECEIVER: QRectF(self.width - _END - 1, MIDDLE - 18, _END, 36),
        }
        taken: list[QRectF] = []
        for span, _, start in self.tees():
            end = max((s.end for s in self.spans if s.branch == span.id), default=span.start)
            x = self.scale.x(end)
            rect = (
                QRectF(x + 6, start.y() - 13, _END, 26)
                if span.row
                else QRectF(x - _END / 2, start.y() - 4, _END, 22)
            )
            if rect.right() > self.width - 1:
                rect.moveRight(self.width - 1)
            # Loads that hang close together step down instead of covering each other.
            while any(rect.intersects(other) for other in taken):
                rect.translate(0, 4)
            taken.append(rect)
            out[span.id] = rect
        return out

    def element_at(self, point: QPointF) -> str:
        """Id of what lies under a point, empty for nothing."""
        for name, rect in (*self.chips().items(), *self.ends().items()):
            if rect.contains(point):
                return name
        for span in self.spans:
            if span.z > 0.0 and self.piece(span).adjusted(-1, -4, 1, 4).contains(point):
                return span.id
        return ""

    def edge_at(self, point: QPointF) -> Span | None:
        """The piece with a length whose right end is near a point."""
        for span in self.spans:
            if span.length <= 0.0:
                continue
            rect = self.piece(span)
            inside = rect.top() - 2 < point.y() < rect.bottom() + 2
            if inside and abs(point.x() - rect.right()) < 4:
                return span
        return None
