"""Outlines of a drawn cross-section as CSV: one line a corner, lines of one body together."""

from __future__ import annotations

from dataclasses import dataclass

from onda.errors import InputError
from onda.formats.table import Column, read_table

__all__ = ["OutlineRow", "outlines_from_csv"]

ROLES = ("signal", "ground", "shield", "dielectric")
_LENGTHS = (("um", 1e-6), ("mm", 1e-3), ("mil", 25.4e-6), ("in", 25.4e-3), ("m", 1.0))
_COLUMNS = (
    Column("body"),
    Column("role"),
    Column("x", _LENGTHS),
    Column("y", _LENGTHS),
    Column("material", needed=False),
)


@dataclass(frozen=True, slots=True)
class OutlineRow:
    """A closed outline, corners in metres."""

    name: str
    role: str
    material: str
    corners: tuple[tuple[float, float], ...]


def outlines_from_csv(data: bytes, *, file: str | None = None) -> tuple[OutlineRow, ...]:
    """Outlines of a CSV table.

    Raises
    ------
    InputError : with line and remedy
    """
    corners: dict[str, list[tuple[float, float]]] = {}
    kinds: dict[str, tuple[str, str]] = {}
    for row in read_table(data, _COLUMNS, file=file):
        name, role = row.text("body")[:120], row.text("role").lower()
        if role not in ROLES:
            raise row.error(f"unknown role {role[:20]!r}", f"Use one of {', '.join(ROLES)}.")
        kind = (role, row.text("material", "")[:64])
        if kinds.setdefault(name, kind) != kind:
            raise row.error(f"{name} has two roles or materials", "Give each body its own name.")
        place = (row.number("x"), row.number("y"))
        if max(abs(v) for v in place) > 1.0:
            raise row.error("a corner more than 1 m away", "Check the unit of x and y.")
        corners.setdefault(name, []).append(place)
    if not corners:
        raise InputError("no corner below the header", file=file, remedy="Add one line a corner.")
    for name, found in corners.items():
        if len(found) < 3:
            raise InputError(
                f"{name} has {len(found)} corners", file=file, remedy="An outline needs three."
            )
    return tuple(OutlineRow(n, *kinds[n], tuple(c)) for n, c in corners.items())
