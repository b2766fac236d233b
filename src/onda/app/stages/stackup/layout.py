"""Where everything of the build lies: rows of layers, columns of zones, spans and classes."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QRectF

from onda.project.build.stackup import CopperLayer, Stackup
from onda.studies.build.remarks import layer_thickness, zone_rows

__all__ = ["BuildLayout", "lay_out"]

_TOP = 46.0
_NAMES = 36.0
_LEAST = 16.0
_TABLE_ROW = 46.0
_SPAN = 14.0


@dataclass(frozen=True)
class BuildLayout:
    """Places in pixels.

    Attributes
    ----------
    rows : (top, bottom) of every layer, by id; zone_rows : as drawn in each zone, without holes
    zones : left and right of every zone's pile, by id
    spans : middle of every via span, by id
    table : left and right of every class's column, by id
    cells_at : where the rows of cells lie, by place (``layer`` or ``zone.layer``)
    """

    rows: dict[str, tuple[float, float]]
    zone_rows: dict[str, dict[str, tuple[float, float]]]
    zones: dict[str, tuple[float, float]]
    spans: dict[str, float]
    table: dict[str, tuple[float, float]]
    cells_at: dict[str, tuple[float, float]]

    def layer_rect(self, zone: str, layer: str) -> QRectF:
        """A layer's rectangle in a zone."""
        (left, right), (top, bottom) = self.zones[zone], self.zone_rows[zone][layer]
        return QRectF(left, top, right - left, bottom - top)

    def cell_rect(self, line_class: str, place: str) -> QRectF:
        """The rectangle of a class on a layer."""
        (left, right), (top, bottom) = self.table[line_class], self.cells_at[place]
        middle = 0.5 * (top + bottom)
        tall = min(bottom - top, _TABLE_ROW)
        return QRectF(left, middle - 0.5 * tall + 1, right - left, tall - 2)


def lay_out(stackup: Stackup, classes: tuple[str, ...], width: float, height: float) -> BuildLayout:
    """Lay the build out in a widget of a size; heights go by the root of thickness."""
    rows = _rows(stackup, height)
    zones: dict[str, tuple[float, float]] = {}
    whole = min(max(0.215 * width, 150.0), 380.0)
    left = _NAMES
    for k, zone in enumerate(stackup.all_zones):
        wide = whole if k == 0 else max(0.34 * whole, 58.0)
        zones[zone.id] = (left, left + wide)
        left += wide + 6
    spans = {}
    left += 4
    for via in stackup.vias:
        spans[via.id] = left + 0.5 * _SPAN
        left += _SPAN
    left += 6 if stackup.vias else 2
    count = max(len(classes), 1)
    step = min((width - left) / count, 190.0)
    table = {c: (left + k * step, left + (k + 1) * step - 4) for k, c in enumerate(classes)}
    cells_at = {}
    for place in stackup.signal_layers:
        found = stackup.place(place)
        cells_at[place] = rows[found.copper.id]
    placed = {z.id: zone_rows(stackup, z, rows) for z in stackup.all_zones}
    return BuildLayout(rows, placed, zones, spans, table, cells_at)


def _rows(stackup: Stackup, height: float) -> dict[str, tuple[float, float]]:
    """Rows never thinner than their text; those with cells as high as these."""
    with_cells = {stackup.place(p).copper.id for p in stackup.signal_layers}
    least = {
        x.id: _TABLE_ROW if x.id in with_cells and isinstance(x, CopperLayer) else _LEAST
        for x in stackup.layers
    }
    room = height - _TOP - 4.0
    needed = sum(least.values())
    if needed > room > 0:
        # Too many layers for the window: all rows shrink alike, down to a line of text.
        least = {k: max(v * room / needed, 11.0) for k, v in least.items()}
        needed = sum(least.values())
    weights = {x.id: layer_thickness(x) ** 0.5 for x in stackup.layers}
    total = sum(weights.values()) or 1.0
    spare = max(room - needed, 0.0)
    out, y = {}, _TOP
    for x in stackup.layers:
        tall = least[x.id] + spare * weights[x.id] / total
        out[x.id] = (y, y + tall)
        y += tall
    return out
