"""Width and gap of a trace in a few letters."""

from __future__ import annotations

from onda.project.quantities import Quantity
from onda.project.shown_units import units_in_use

__all__ = ["shape_of"]


def shape_of(width: Quantity, gap: Quantity | None, *, with_unit: bool = True) -> str:
    """``124/150 µm``, in the unit that the user chose."""
    size, unit = units_in_use().small_length
    decimals = 0 if unit == "µm" else 1
    numbers = [f"{q.si / size:.{decimals}f}" for q in (width, gap) if q is not None]
    return "/".join(numbers) + (f" {unit}" if with_unit else "")
