"""Between the project's build and the plain tables that files hold."""

from __future__ import annotations

import math
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

from pydantic import ValidationError

from onda.errors import InputError
from onda.formats.build_table import BuildLayer, BuildTable, ImpedanceWish, SpanRow, ZoneRow
from onda.project.base import fresh_id, set_value
from onda.project.build.stackup import (
    CoatingLayer,
    CopperLayer,
    DielectricLayer,
    Material,
    StackLayer,
    Stackup,
    ViaSpan,
    Zone,
)
from onda.project.build.templates import usual_material
from onda.project.kind import Ref
from onda.project.lines.objects import LineClass, TraceOnLayer
from onda.project.model import Design, Project
from onda.project.paths.elements import TracePiece
from onda.project.quantities import Quantity, quantity

__all__ = ["Taken", "build_table", "take_build"]

_OUTER_UNDERCUT = "10 um"
_NOTHING = quantity(0.0, "length", "um")


@dataclass(frozen=True, slots=True)
class Taken:
    """A project with a build read from a file, and what happened to what did not fit."""

    project: Project
    remarks: tuple[str, ...]


def build_table(
    project: Project, reached: dict[tuple[str, str], float] | None = None
) -> BuildTable:
    """The build with its impedance classes; `reached` ohm by (class id, layer)."""
    design, stackup = project.design, project.design.stackup
    zones = stackup.zones
    return BuildTable(
        name=zones[0].name if zones else project.name,
        layers=tuple(_row(design, layer) for layer in stackup.layers),
        spans=tuple(
            SpanRow(v.id, v.kind, v.top, v.bottom, v.drill.si, v.backdrilled_to or "")
            for v in stackup.vias
        ),
        wishes=tuple(
            _wish(project, c, t, (reached or {}).get((c.id, t.layer), math.nan))
            for c in design.line_classes
            for t in c.on
        ),
        zones=tuple(ZoneRow(z.name, z.kind, _in_order(stackup, z)) for z in zones),
        total=stackup.total.si if stackup.total else math.nan,
    )


def _in_order(stackup: Stackup, zone: Zone) -> tuple[str, ...]:
    return tuple(layer.id for layer in stackup.zone_layers(zone))


def _row(design: Design, layer: StackLayer) -> BuildLayer:
    if isinstance(layer, CopperLayer):
        return BuildLayer(
            name=layer.id,
            kind=layer.role,
            thickness=layer.thickness.si,
            foil=layer.foil.si if layer.foil else math.nan,
            plating=layer.plating.si,
            undercut=layer.undercut.si,
            base_above=layer.base == "above",
            cover=layer.cover.si if layer.cover else math.nan,
            rz_base=layer.rz_base.si,
            rz_face=layer.rz_face.si,
        )
    material = design.material(layer.material)
    known = {
        "material": material.name,
        "dk": material.dk,
        "df": material.df,
        "frequency": material.at.si,
    }
    if isinstance(layer, CoatingLayer):
        return BuildLayer(
            name=layer.id,
            kind="coating",
            thickness=layer.over_laminate.si,
            over_copper=layer.over_copper.si,
            beside=layer.beside.si,
            **known,  # type: ignore[arg-type]
        )
    return BuildLayer(
        name=layer.id,
        kind=layer.build,
        thickness=layer.thickness.si,
        tolerance=design.stackup.spread.dielectric.si,
        remark=layer.name,
        **known,  # type: ignore[arg-type]
    )


def _wish(project: Project, c: LineClass, t: TraceOnLayer, reached: float) -> ImpedanceWish:
    stackup = project.design.stackup
    place = stackup.place(t.layer)
    zones = {z.id: z.name for z in stackup.zones}
    inside = place.layers
    planes = [k for k, x in enumerate(inside) if isinstance(x, CopperLayer) and x.role == "plane"]
    above = max((k for k in planes if k < place.index), default=None)
    below = min((k for k in planes if k > place.index), default=None)
    layer = t.layer
    if "." in layer and place.zone in zones and layer.startswith(f"{place.zone}."):
        layer = f"{zones[place.zone]}.{inside[place.index].id}"
    limits = [
        r
        for r in project.requirements
        if r.ref == Ref("line", c.id) and (r.measure, r.layer) == ("impedance", t.layer)
    ]
    tolerance = math.nan
    for r in limits:
        if r.at_least and r.at_most:
            tolerance = 0.5 * (r.at_most.si - r.at_least.si) / c.target.si
    return ImpedanceWish(
        name=c.name,
        layer=layer,
        kind="broadside" if t.facing else c.kind,
        ohm=c.target.si,
        tolerance=tolerance,
        width=t.width.si,
        gap=t.gap.si if t.gap else math.nan,
        ground_gap=t.ground_gap.si if t.ground_gap else math.nan,
        reference=tuple(inside[k].id for k in (above, below) if k is not None),
        reached=reached,
    )


_CORES = ("core", "prepreg", "flex", "adhesive")
_CALLED = {
    "LineClass": "impedance class",
    "TraceOnLayer": "trace of an impedance class",
    "CopperLayer": "copper layer",
    "DielectricLayer": "dielectric layer",
    "CoatingLayer": "coating",
    "Material": "material",
    "ViaSpan": "via",
    "Zone": "zone",
    "Stackup": "build",
}
"""What parts of a build are called, by their class."""


def _um(value: float, default: Quantity | None = None) -> Quantity:
    if math.isnan(value):
        return _NOTHING if default is None else default
    return quantity(value, "length", "um", 9)


def take_build(project: Project, table: BuildTable) -> Taken:
    """A project whose build is that of a table; classes keep what still has its layer.

    Raises
    ------
    InputError : a class or a path would lose the last layer that it needs, or values do not fit
    """
    try:
        return _take(project, table)
    except ValidationError as error:
        raise _unfit(error) from error


@contextmanager
def _row_of(kind: str, number: int, name: str) -> Iterator[None]:
    """What does not fit inside is told with the row of the table that it is from."""
    try:
        yield
    except ValidationError as error:
        raise _unfit(error, f"{kind} {number + 1}, {name}") from error


def _unfit(error: ValidationError, row: str = "") -> InputError:
    """What does not fit, of which row and object, and what would."""
    first = error.errors(include_url=False)[0]
    of = _CALLED.get(error.title, error.title)
    where = ".".join(str(p) for p in first["loc"])
    given = repr(first.get("input"))[:60]
    return InputError(
        f"{row or of}: {where.replace('_', ' ')} {given} does not fit: {first['msg']}",
        remedy="Mend it in the file, and read it again.",
    )


def _take(project: Project, table: BuildTable) -> Taken:
    remarks: list[str] = []
    names: dict[str, str] = {}
    for row in table.layers:
        names[row.name] = fresh_id(row.name, set(names.values()), "layer", spaced=True)
    materials, by_row = _materials(project.design, table, remarks)
    layers = []
    for k, row in enumerate(table.layers):
        with _row_of("layer", k, row.name):
            layers.append(_layer(project.design, row, names[row.name], by_row.get(row.name, "")))
    old = project.design.stackup
    zones = _zones(table, names, {z.name: z for z in old.zones})
    stackup = set_value(
        old,
        layers=tuple(layers),
        zones=zones,
        vias=_vias(table, names, {v.id: v for v in old.vias}),
        total=_um(table.total) if table.total > 0 else old.total,
    )
    stackup, classes, dropped = _classes(project, stackup, table, names)
    remarks += dropped
    gone = {(c.id, t.layer) for c in project.design.line_classes for t in c.on} - {
        (c.id, t.layer) for c in classes for t in c.on
    }
    design = set_value(project.design, materials=materials, stackup=stackup, line_classes=classes)
    requirements = tuple(
        r for r in project.requirements
        if not (r.kind == "line" and r.layer and (r.subject, r.layer) in gone)
    )  # fmt: skip
    return Taken(set_value(project, design=design, requirements=requirements), tuple(remarks))


def _materials(
    design: Design, table: BuildTable, remarks: list[str]
) -> tuple[tuple[Material, ...], dict[str, str]]:
    """The project's materials with those of the table, and the material id of each row."""
    known = {m.name: m for m in design.materials}
    out = list(design.materials)
    by_row: dict[str, str] = {}
    for number, row in enumerate(table.layers):
        if row.kind in ("signal", "plane"):
            continue
        name = row.material or f"{row.kind} of {row.name}"
        material = known.get(name)
        given = not math.isnan(row.dk)
        if material is not None and given and abs(material.dk - row.dk) > 5e-4 * row.dk:
            name = f"{name}, Dk {row.dk:g}"
            material = known.get(name)
        if material is None and not given and not row.material:
            material = usual_material(row.kind, {m.id for m in out})
            material = known.setdefault(material.name, material)
            if material not in out:
                out.append(material)
            remarks.append(f"{row.name}: no material given; taken as {material.name}")
        if material is None:
            if not given:
                raise InputError(
                    f"layer {row.name}: no Dk, and no material {row.material!r} in the project",
                    remedy="Give Dk and Df in the file, or add the material first.",
                )
            frequency = row.frequency
            if math.isnan(frequency):
                frequency = 1e9
                remarks.append(f"{name}: no frequency given for its Dk; taken as 1 GHz")
            with _row_of("layer", number, row.name):
                material = Material(
                    id=fresh_id(name, {m.id for m in out}),
                    name=name[:120],
                    dk=row.dk,
                    df=0.0 if math.isnan(row.df) else row.df,
                    at=quantity(frequency, "frequency", "GHz", 9),
                    use=row.kind if row.kind in _CORES else "coating",  # type: ignore[arg-type]
                )
            if math.isnan(row.df):
                remarks.append(f"{name}: no Df given; taken as lossless")
            known[name] = material
            out.append(material)
        by_row[row.name] = material.id
    return tuple(out), by_row


def _layer(design: Design, row: BuildLayer, identifier: str, material: str) -> StackLayer:
    before = next((x for x in design.stackup.layers if x.id == identifier), None)
    values: dict[str, Any]
    if row.kind in ("signal", "plane"):
        old = before if isinstance(before, CopperLayer) else None
        undercut = old.undercut if old else quantity(0.0, "length", "um")
        values = {
            "id": identifier,
            "role": row.kind,
            "thickness": _um(row.thickness),
            "undercut": _um(row.undercut, undercut),
            "base": "above" if row.base_above else "below",
            "foil": None if math.isnan(row.foil) else _um(row.foil),
            "plating": _um(row.plating),
            "cover": None if math.isnan(row.cover) else quantity(row.cover, "ratio", "%"),
            "rz_base": _um(row.rz_base, old.rz_base if old else None),
            "rz_face": _um(row.rz_face, old.rz_face if old else None),
        }
        return CopperLayer(**values)
    if row.kind == "coating":
        return CoatingLayer(
            id=identifier,
            material=material,
            over_laminate=_um(row.thickness),
            over_copper=_um(row.over_copper if row.over_copper > 0 else row.thickness),
            beside=_um(row.beside if row.beside > 0 else row.thickness),
        )
    return DielectricLayer(
        id=identifier,
        name=(row.remark or row.material or row.kind)[:120],
        material=material,
        thickness=_um(row.thickness),
        build=row.kind,  # type: ignore[arg-type]
    )


def _zones(table: BuildTable, names: dict[str, str], before: dict[str, Zone]) -> tuple[Zone, ...]:
    out: list[Zone] = []
    roles = {r.name: r.kind for r in table.layers}
    for k, row in enumerate(table.zones):
        routed = {w.layer.removeprefix(f"{row.name}.") for w in table.wishes
                  if k and w.layer.startswith(f"{row.name}.")}  # fmt: skip
        known = before.get(row.name)
        out.append(
            Zone(
                id=known.id if known else fresh_id(row.name.lower(), {z.id for z in out}),
                bend_radius=known.bend_radius if known else None,
                bends=known.bends if known else "once",
                name=row.name[:120] or f"Zone {k + 1}",
                kind="flex" if row.kind == "flex" else "rigid",
                layers=tuple(names[n] for n in row.layers),
                signal=tuple(names[n] for n in row.layers if n in routed and roles[n] == "plane"),
            )
        )
    return tuple(out)


def _vias(
    table: BuildTable, names: dict[str, str], before: dict[str, ViaSpan]
) -> tuple[ViaSpan, ...]:
    copper = [names[r.name] for r in table.layers if r.kind in ("signal", "plane")]
    out: list[ViaSpan] = []
    for number, row in enumerate(table.spans):
        if row.top not in names or row.bottom not in names:
            continue
        top, bottom = names[row.top], names[row.bottom]
        kind = row.kind
        if kind not in ("through", "blind", "buried", "micro"):
            ends = (top == copper[0], bottom == copper[-1])
            kind = "through" if all(ends) else ("blind" if any(ends) else "buried")
        identifier = fresh_id(row.name, {v.id for v in out})
        with _row_of("via", number, row.name):
            out.append(
                ViaSpan(
                    id=identifier,
                    name=before[identifier].name if identifier in before else row.name[:120],
                    kind=kind,  # type: ignore[arg-type]
                    top=top,
                    bottom=bottom,
                    drill=_um(row.drill if row.drill > 0 else 200e-6),
                    backdrilled_to=names.get(row.back_to),
                )
            )
    return tuple(out)


def _classes(
    project: Project, stackup: Stackup, table: BuildTable, names: dict[str, str]
) -> tuple[Stackup, tuple[LineClass, ...], list[str]]:
    """Classes on the new build: the project's own, and those the file brings."""
    places = set(stackup.signal_layers)
    remarks: list[str] = []
    out: dict[str, LineClass] = {}
    used = {
        (e.line_class, e.layer): "a path"
        for p in project.design.paths
        for e in p.all_elements
        if isinstance(e, TracePiece)
    }
    used |= {
        (n.source.line_class, n.source.layer): "a network"
        for n in project.design.networks
        if n.source.kind == "line"
    }
    for c in project.design.line_classes:
        kept = tuple(t for t in c.on if t.layer in places)
        lost = [t.layer for t in c.on if t.layer not in places]
        for layer in lost:
            if (c.id, layer) in used:
                raise InputError(
                    f"class {c.name} is routed on {layer}, which the file does not have as a "
                    f"signal layer, and {used[c.id, layer]} uses it",
                    remedy="Change that first, or rename the layer in the file.",
                )
        if lost:
            remarks.append(f"{c.name}: {', '.join(lost)} dropped, not in the file")
        if kept:
            out[c.name] = set_value(c, on=kept)
        elif any(u[0] == c.id for u in used):
            raise InputError(f"class {c.name} would have no layer left", remedy="See its layers.")
    ids = {z.name: z.id for z in stackup.zones}
    for number, w in enumerate(table.wishes):
        layer = _place_of(w.layer, names, ids)
        if layer not in places or math.isnan(w.width) or not w.ohm > 0:
            remarks.append(f"{w.name} on {w.layer}: not taken over, its width or layer is missing")
            continue
        kind = "pair" if w.kind in ("pair", "broadside") else "single"
        if kind == "pair" and math.isnan(w.gap):
            remarks.append(f"{w.name} on {w.layer}: a pair without a gap, not taken over")
            continue
        with _row_of("impedance class", number, w.name):
            trace = TraceOnLayer(
                layer=layer, width=_um(w.width), gap=_um(w.gap) if kind == "pair" else None
            )
            present = out.get(w.name)
            if present is None:
                taken = {c.id for c in out.values()}
                taken |= {x.id for x in project.design.shielded}
                taken |= {x.id for x in project.design.sheet_lines}
                out[w.name] = LineClass(
                    id=fresh_id(w.name.lower(), taken),
                    name=w.name[:120],
                    kind=kind,
                    target=quantity(w.ohm, "resistance", "ohm", 9),
                    loss_at=quantity(1e9, "frequency", "GHz"),
                    on=(trace,),
                )
            elif present.trace_on(layer) is None and present.kind == kind:
                out[w.name] = set_value(present, on=(*present.on, trace))
    return stackup, tuple(out.values()), remarks


def _place_of(layer: str, names: dict[str, str], zones: dict[str, str]) -> str:
    if layer in names:
        return names[layer]
    zone, _, plain = layer.rpartition(".")
    return f"{zones.get(zone, zone)}.{names.get(plain, plain)}"
