"""Materials as CSV: one line a point; lines of one name are one material."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from onda.errors import InputError
from onda.formats.table import Column, read_table, write_table

__all__ = ["MaterialRow", "materials_from_csv", "materials_to_csv"]

USES = ("core", "prepreg", "coating", "flex", "adhesive", "other")
_COLUMNS = (
    Column("material"),
    Column("frequency", (("GHz", 1e9), ("MHz", 1e6), ("Hz", 1.0))),
    Column("Dk", (("", 1.0),)),
    Column("Df", (("", 1.0),)),
    Column("use", needed=False),
    Column("glass", needed=False),
    Column("resin", (("%", 0.01), ("", 1.0)), needed=False),
    Column("conductivity", (("W/mK", 1.0), ("W/(m K)", 1.0)), needed=False),
    Column("Dk drift", (("ppm/K", 1e-6), ("1/K", 1.0)), needed=False),
    Column("Df drift", (("ppm/K", 1e-6), ("1/K", 1.0)), needed=False),
)


@dataclass(frozen=True, slots=True)
class MaterialRow:
    """A material and its points (Hz, Dk, Df), rising; NaN where a value is not given."""

    name: str
    points: tuple[tuple[float, float, float], ...]
    use: str = "other"
    glass: str = ""
    resin: float = math.nan
    conductivity: float = math.nan
    dk_drift: float = 0.0
    df_drift: float = 0.0


def materials_to_csv(materials: Iterable[MaterialRow]) -> bytes:
    """Materials as CSV."""
    header = [
        "material", "frequency [GHz]", "Dk", "Df", "use", "glass", "resin [%]",
        "conductivity [W/mK]", "Dk drift [ppm/K]", "Df drift [ppm/K]",
    ]  # fmt: skip
    rows = [
        [
            m.name, f / 1e9, dk, df, m.use, m.glass,
            "" if math.isnan(m.resin) else m.resin * 100,
            "" if math.isnan(m.conductivity) else m.conductivity,
            m.dk_drift * 1e6, m.df_drift * 1e6,
        ]
        for m in materials
        for f, dk, df in m.points
    ]  # fmt: skip
    return write_table(header, rows)


def materials_from_csv(data: bytes, *, file: str | None = None) -> tuple[MaterialRow, ...]:
    """Materials of a CSV table.

    Raises
    ------
    InputError : with line and remedy; also where a value cannot be that of a dielectric
    """
    points: dict[str, list[tuple[float, float, float]]] = {}
    first: dict[str, MaterialRow] = {}
    for row in read_table(data, _COLUMNS, file=file):
        name = row.text("material")[:120]
        f, dk, df = row.number("frequency"), row.number("Dk"), row.number("Df")
        if not 0.0 < f <= 1e13:
            raise row.error(f"frequency {f:g} Hz", "It must lie above 0.")
        if not 1.0 <= dk <= 1000.0:
            raise row.error(f"Dk {dk:g}", "It must be 1 or above; no dielectric lies below.")
        if not 0.0 <= df < 0.5:
            raise row.error(f"Df {df:g}", "It must lie between 0 and 0.5.")
        use = row.text("use", "other").lower()
        if use not in USES:
            raise row.error(f"unknown use {use[:20]!r}", f"Use one of {', '.join(USES)}.")
        resin = row.number("resin", math.nan)
        if not (math.isnan(resin) or 0.0 < resin < 0.95):
            raise row.error(f"resin {resin:.3g}", "It is a share by weight, from 1 to 95 %.")
        conductivity = row.number("conductivity", math.nan)
        if not (math.isnan(conductivity) or 0.0 < conductivity <= 1000.0):
            raise row.error(f"conductivity {conductivity:g}", "It must lie above 0 W/mK.")
        drifts = row.number("Dk drift", 0.0), row.number("Df drift", 0.0)
        if max(abs(d) for d in drifts) > 0.05:
            raise row.error("a drift above 50000 ppm/K", "Check its unit: ppm/K or 1/K.")
        known = points.setdefault(name, [])
        if known and f <= known[-1][0]:
            raise row.error(
                f"{name}: {f / 1e9:g} GHz after {known[-1][0] / 1e9:g} GHz",
                "Put the points of a material in rising order, each frequency once.",
            )
        known.append((f, dk, df))
        first.setdefault(
            name,
            MaterialRow(name, (), use, row.text("glass", "")[:40], resin, conductivity, *drifts),
        )
    if not points:
        raise InputError("no material below the header", file=file, remedy="Add one line a point.")
    return tuple(
        MaterialRow(
            name, tuple(rows), m.use, m.glass, m.resin, m.conductivity, m.dk_drift, m.df_drift
        )
        for (name, rows), m in zip(points.items(), first.values(), strict=True)
    )
