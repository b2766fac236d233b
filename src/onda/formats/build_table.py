"""A stackup between programs: plain layers, spans, impedance wishes; and its CSV form."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from onda.errors import InputError
from onda.formats.table import Column, read_table, write_table

__all__ = [
    "BuildLayer",
    "BuildTable",
    "ImpedanceWish",
    "SpanRow",
    "ZoneRow",
    "layers_from_csv",
    "layers_to_csv",
    "rules_to_csv",
]

KINDS = ("signal", "plane", "core", "prepreg", "adhesive", "flex", "coating")
_LENGTHS = (("um", 1e-6), ("mm", 1e-3), ("mil", 25.4e-6), ("in", 25.4e-3), ("m", 1.0))
_FREQUENCIES = (("GHz", 1e9), ("MHz", 1e6), ("Hz", 1.0))
_PLAIN = (("", 1.0),)
_SHARE = (("%", 0.01), ("", 1.0))


@dataclass(frozen=True, slots=True)
class BuildLayer:
    """A layer, metres; NaN where a value is not given.

    `kind` is one of `KINDS`. A coating has its thickness over laminate in `thickness` and the
    others in `over_copper`, `beside`. Dk and Df hold at `frequency` (Hz).
    """

    name: str
    kind: str
    thickness: float
    material: str = ""
    dk: float = math.nan
    df: float = math.nan
    frequency: float = math.nan
    tolerance: float = math.nan
    foil: float = math.nan
    plating: float = math.nan
    undercut: float = math.nan
    base_above: bool = False
    cover: float = math.nan
    rz_base: float = math.nan
    rz_face: float = math.nan
    over_copper: float = math.nan
    beside: float = math.nan
    remark: str = ""


@dataclass(frozen=True, slots=True)
class SpanRow:
    """Vias between two copper layers; `back_to` names where a back-drill stops."""

    name: str
    kind: str
    top: str
    bottom: str
    drill: float
    back_to: str = ""


@dataclass(frozen=True, slots=True)
class ImpedanceWish:
    """An impedance class on a layer: what it shall be and what it is routed with (m, ohm)."""

    name: str
    layer: str
    kind: str
    ohm: float
    tolerance: float
    width: float
    gap: float = math.nan
    ground_gap: float = math.nan
    reference: tuple[str, ...] = ()
    reached: float = math.nan


@dataclass(frozen=True, slots=True)
class ZoneRow:
    """A part of the board and the layers it has."""

    name: str
    kind: str
    layers: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class BuildTable:
    """A whole build."""

    name: str
    layers: tuple[BuildLayer, ...]
    spans: tuple[SpanRow, ...] = ()
    wishes: tuple[ImpedanceWish, ...] = ()
    zones: tuple[ZoneRow, ...] = ()
    total: float = math.nan


_COLUMNS = (
    Column("layer"),
    Column("kind"),
    Column("thickness", _LENGTHS),
    Column("material", needed=False),
    Column("Dk", _PLAIN, needed=False),
    Column("Df", _PLAIN, needed=False),
    Column("at", _FREQUENCIES, needed=False),
    Column("tolerance", _SHARE, needed=False),
    Column("foil", _LENGTHS, needed=False),
    Column("plating", _LENGTHS, needed=False),
    Column("undercut", _LENGTHS, needed=False),
    Column("base", needed=False),
    Column("cover", _SHARE, needed=False),
    Column("Rz base", _LENGTHS, needed=False),
    Column("Rz face", _LENGTHS, needed=False),
    Column("over copper", _LENGTHS, needed=False),
    Column("beside", _LENGTHS, needed=False),
    Column("remark", needed=False),
)


def layers_to_csv(layers: Iterable[BuildLayer]) -> bytes:
    """The layers as CSV, top to bottom."""

    def um(value: float) -> object:
        return "" if math.isnan(value) else value * 1e6

    def plain(value: float) -> object:
        return "" if math.isnan(value) else value

    header = [
        "layer", "kind", "thickness [um]", "material", "Dk", "Df", "at [GHz]", "tolerance [%]",
        "foil [um]", "plating [um]", "undercut [um]", "base", "cover [%]", "Rz base [um]",
        "Rz face [um]", "over copper [um]", "beside [um]", "remark",
    ]  # fmt: skip
    rows = [
        [
            v.name, v.kind, um(v.thickness), v.material, plain(v.dk), plain(v.df),
            plain(v.frequency / 1e9), plain(v.tolerance * 100), um(v.foil), um(v.plating),
            um(v.undercut), "above" if v.base_above else "below", plain(v.cover * 100),
            um(v.rz_base), um(v.rz_face), um(v.over_copper), um(v.beside), v.remark,
        ]
        for v in layers
    ]  # fmt: skip
    return write_table(header, rows)


def layers_from_csv(data: bytes, *, file: str | None = None) -> tuple[BuildLayer, ...]:
    """Layers of a CSV table, top to bottom; only layer, kind and thickness are needed.

    Raises
    ------
    InputError : with line and remedy
    """
    out = []
    for row in read_table(data, _COLUMNS, file=file):
        kind = row.text("kind").lower()
        if kind not in KINDS:
            raise row.error(f"unknown kind {kind[:20]!r}", f"Use one of {', '.join(KINDS)}.")
        base = row.text("base", "below").lower()
        if base not in ("above", "below"):
            raise row.error(f"base {base[:20]!r}", "Write above or below.")

        def number(column: str, row: object = row) -> float:
            return row.number(column, math.nan)  # type: ignore[attr-defined]

        thickness = row.number("thickness")
        if not 0.0 < thickness < 0.05:
            raise row.error(
                f"thickness {thickness * 1e6:.4g} um", "It must lie between 0 and 50 mm."
            )
        dk, df = number("Dk"), number("Df")
        if dk < 1.0:
            raise row.error(f"Dk {dk:g} is below 1", "No dielectric is below 1; check the column.")
        if df < 0.0 or df >= 0.5:
            raise row.error(f"Df {df:g}", "It must lie between 0 and 0.5.")
        out.append(
            BuildLayer(
                name=row.text("layer")[:64],
                kind=kind,
                thickness=thickness,
                material=row.text("material", "")[:120],
                dk=dk,
                df=df,
                frequency=number("at"),
                tolerance=number("tolerance"),
                foil=number("foil"),
                plating=number("plating"),
                undercut=number("undercut"),
                base_above=base == "above",
                cover=number("cover"),
                rz_base=number("Rz base"),
                rz_face=number("Rz face"),
                over_copper=number("over copper"),
                beside=number("beside"),
                remark=row.text("remark", "")[:500],
            )
        )
    if not out:
        raise InputError("no layer below the header", file=file, remedy="Add one line a layer.")
    names = [v.name for v in out]
    for k, name in enumerate(names):
        if name in names[:k]:
            raise InputError(
                f"layer {name!r} is there twice", file=file, remedy="Give each its own name."
            )
    return tuple(out)


def rules_to_csv(wishes: Iterable[ImpedanceWish]) -> bytes:
    """Layout rules, one line a class and layer."""

    def um(value: float) -> object:
        return "" if math.isnan(value) else value * 1e6

    header = [
        "class", "layer", "kind", "target [ohm]", "tolerance [%]", "width [um]", "gap [um]",
        "ground gap [um]", "reference planes", "reached [ohm]",
    ]  # fmt: skip
    rows = [
        [
            w.name, w.layer, w.kind, w.ohm, w.tolerance * 100, um(w.width), um(w.gap),
            um(w.ground_gap), " ".join(w.reference), "" if math.isnan(w.reached) else w.reached,
        ]
        for w in wishes
    ]  # fmt: skip
    return write_table(header, rows)
