"""A series resistor in the Paths stage."""

from __future__ import annotations

from onda.app.stages.paths.look import ElementLook, FieldRow, Sweepable, Trim
from onda.project.paths.elements import SeriesResistor
from onda.project.quantities import plain

__all__ = ["LOOK"]


def _trim(element: SeriesResistor, row: FieldRow) -> Trim | None:
    return (0.0, max(100.0, 1.5 * element.value.si), 0.5) if row.key == "value" else None


def _sweep(element: SeriesResistor, z: float) -> Sweepable:
    top = round(1.5 * z, -1)
    return Sweepable(element.id, element.id, "resistance", 0.0, top, element.value.si)


LOOK = ElementLook(
    "Series resistor",
    "in the line of {net}",
    (FieldRow("Value", "resistance", "value"), FieldRow("Tolerance", "ratio", "tolerance")),
    trim=_trim,
    chip=lambda e: f"{plain(e.value.si)} Ω",
    sweep=_sweep,
)
