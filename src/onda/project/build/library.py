"""The library of materials that ships with Onda, and the user's own beside it."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import Annotated, Any, Literal

import platformdirs
from pydantic import Field, TypeAdapter, ValidationError

from onda.engine.materials import DielectricFit, fit_dielectric
from onda.errors import InputError
from onda.formats.material_csv import MaterialRow, materials_from_csv, materials_to_csv
from onda.formats.plain_file import check_plain
from onda.project.base import Frozen, Name
from onda.project.build.stackup import Material, MaterialPoint
from onda.project.quantities import quantity
from onda.project.writing import write_atomically

__all__ = [
    "Foil",
    "Library",
    "LibraryMaterial",
    "add_user_materials",
    "fit_of",
    "foils",
    "library",
    "material_from_row",
    "material_to_row",
    "materials_csv",
    "read_user_materials",
    "user_library_path",
    "user_materials",
]

_STATED_AT = 1.0
"""GHz at which a library material's single Dk and Df are stated."""


class LibraryMaterial(Frozen):
    """A material of the library; `table` rows are GHz, Dk, Df."""

    id: str
    name: Name
    use: Literal["core", "prepreg", "coating", "flex", "adhesive", "other"]
    family: str = ""
    glass: str = ""
    resin: float | None = None
    glass_mass: float | None = None
    laid_um: float | None = None
    thermal_conductivity: float | None = None
    dk_per_kelvin: float = 0.0
    df_per_kelvin: float = 0.0
    table: Annotated[tuple[tuple[float, float, float], ...], Field(min_length=1, max_length=200)]

    def as_material(self, identifier: str) -> Material:
        """A material of a project, under an id of its own."""
        return material_from_row(
            MaterialRow(
                name=self.name,
                points=tuple((f * 1e9, dk, df) for f, dk, df in self.table),
                use=self.use,
                glass=self.glass,
                resin=float("nan") if self.resin is None else self.resin / 100.0,
                conductivity=(
                    float("nan") if self.thermal_conductivity is None else self.thermal_conductivity
                ),
                dk_drift=self.dk_per_kelvin,
                df_drift=self.df_per_kelvin,
            ),
            identifier,
            source="Onda's library, values typical of its class",
        )


class Foil(Frozen):
    """A copper foil by profile: ten-point roughness in micrometres."""

    id: str
    name: Name
    rz_base_um: float
    rz_face_um: float


@dataclass(frozen=True, slots=True)
class Library:
    """Materials and foils."""

    materials: tuple[LibraryMaterial, ...]
    foils: tuple[Foil, ...]


@lru_cache(maxsize=1)
def library() -> Library:
    """The library that ships with Onda."""
    tree: dict[str, Any] = json.loads(
        files("onda.data").joinpath("materials.json").read_text(encoding="utf-8")
    )
    return Library(
        TypeAdapter(tuple[LibraryMaterial, ...]).validate_json(json.dumps(tree["materials"])),
        TypeAdapter(tuple[Foil, ...]).validate_json(json.dumps(tree["foils"])),
    )


def foils() -> tuple[Foil, ...]:
    """The copper foils."""
    return library().foils


def user_library_path() -> Path:
    """Where the user's own materials are kept, as CSV."""
    return platformdirs.user_data_path("onda") / "materials.csv"


def user_materials(path: Path | None = None) -> tuple[MaterialRow, ...]:
    """The user's own materials; none where there is no file.

    Raises
    ------
    InputError : with line and remedy where the file is wrong
    """
    path = path or user_library_path()
    try:
        data = path.read_bytes()
    except FileNotFoundError:
        return ()
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", file=str(path)) from error
    return materials_from_csv(data, file=str(path))


def add_user_materials(rows: tuple[MaterialRow, ...], path: Path | None = None) -> None:
    """Add materials to the user's own; those of the same name are replaced."""
    path = path or user_library_path()
    new = {r.name for r in rows}
    kept = tuple(r for r in user_materials(path) if r.name not in new)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise InputError(f"cannot be made: {error.strerror}", file=str(path.parent)) from error
    write_atomically(path, materials_to_csv((*kept, *rows)))


def material_from_row(row: MaterialRow, identifier: str, *, source: str = "") -> Material:
    """A project's material from a table; its single Dk and Df are those nearest to 1 GHz.

    Raises
    ------
    InputError : a value is out of its range
    """
    at, dk, df = min(row.points, key=lambda p: abs(p[0] / 1e9 - _STATED_AT))
    try:
        points = tuple(
            MaterialPoint(at=quantity(f, "frequency", "GHz", 9), dk=d, df=t)
            for f, d, t in row.points
        )
        return Material(
            id=identifier,
            name=row.name,
            dk=dk,
            df=df,
            at=quantity(at, "frequency", "GHz", 9),
            points=points if len(points) > 1 else (),
            use=row.use,  # type: ignore[arg-type]
            glass=row.glass,
            resin=None if row.resin != row.resin else quantity(row.resin, "ratio", "%"),
            thermal_conductivity=None if row.conductivity != row.conductivity else row.conductivity,
            dk_per_kelvin=row.dk_drift,
            df_per_kelvin=row.df_drift,
            source=source,
        )
    except ValidationError as error:
        first = error.errors(include_url=False, include_input=False)[0]
        raise InputError(f"material {row.name}: {first['msg']}") from error


def material_to_row(material: Material) -> MaterialRow:
    """A project's material as a table."""
    return MaterialRow(
        name=material.name,
        points=material.known,
        use=material.use,
        glass=material.glass,
        resin=float("nan") if material.resin is None else material.resin.si,
        conductivity=(
            float("nan") if material.thermal_conductivity is None else material.thermal_conductivity
        ),
        dk_drift=material.dk_per_kelvin,
        df_drift=material.df_per_kelvin,
    )


def fit_of(material: Material) -> DielectricFit:
    """The causal model of a material and how well it follows its table."""
    return fit_dielectric(material.known)


def read_user_materials(path: Path) -> int:
    """Add a table's materials to the user's own; return how many.

    Raises
    ------
    InputError : it cannot be read
    NotPhysical : a table that no causal material can have
    """
    check_plain(path)
    try:
        data = path.read_bytes()
    except OSError as error:
        raise InputError(f"cannot be read: {error.strerror}", file=path.name) from error
    rows = materials_from_csv(data, file=path.name)
    for k, row in enumerate(rows):
        # What cannot be is refused before it is kept.
        fit_of(material_from_row(row, f"m{k}"))
    add_user_materials(rows)
    return len(rows)


def materials_csv(materials: Iterable[Material]) -> bytes:
    """Materials as a table."""
    return materials_to_csv(material_to_row(m) for m in materials)
