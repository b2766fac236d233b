"""Lumped series parts in the Paths stage."""

from __future__ import annotations

from onda.app.stages.paths.look import ElementLook, FieldRow
from onda.project.paths.elements import LumpedPart
from onda.project.quantities import format_si, plain

__all__ = ["LOOK"]


def _chip(element: LumpedPart) -> str:
    if element.role == "capacitor" and element.c_series is not None:
        return format_si(element.c_series.si, "capacitance", digits=2)
    if element.role == "ferrite" and element.r_parallel is not None:
        return f"{plain(element.r_parallel.si)} Ω∥"
    return format_si(element.inductance.si, "inductance", digits=2)


LOOK = ElementLook(
    "{role}",
    "parts in the line of {net}",
    (
        FieldRow("Inductance", "inductance", "inductance", (0.0, 10e-9, 5e-11)),
        FieldRow("Resistance", "resistance", "r", (0.0, 50.0, 0.1)),
        FieldRow("Capacitance", "capacitance", "c", (0.0, 5e-12, 2e-14)),
        FieldRow("Beside it", "resistance", "r_parallel", (1.0, 1000.0, 5.0)),
        FieldRow("In series", "capacitance", "c_series"),
    ),
    chip=_chip,
)
