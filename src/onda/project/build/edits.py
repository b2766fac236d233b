"""Edits of the build: layers come, go, split, double and mirror; zones and vias follow."""

from __future__ import annotations

from typing import Any, Literal

from onda.errors import InputError
from onda.project.base import set_value
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
from onda.project.edits import with_design
from onda.project.model import Project
from onda.project.quantities import parse_quantity, quantity

__all__ = [
    "add_layer",
    "add_material",
    "add_via_span",
    "add_zone",
    "copy_layer",
    "mirror_build",
    "remove_layer",
    "remove_via_span",
    "remove_zone",
    "replace_layer",
    "scaled_material",
    "set_copper_part",
    "set_in_zone",
    "split_layer",
    "with_stackup",
]


def with_stackup(project: Project, **changes: Any) -> Project:
    """A project whose stackup has changed fields, checked."""
    return with_design(project, stackup=set_value(project.design.stackup, **changes))


def replace_layer(project: Project, new: StackLayer) -> Project:
    """Put a changed layer in the place of the one with the same id."""
    layers = tuple(new if x.id == new.id else x for x in project.design.stackup.layers)
    return with_stackup(project, layers=layers)


def _index(stackup: Stackup, identifier: str) -> int:
    for k, layer in enumerate(stackup.layers):
        if layer.id == identifier:
            return k
    raise InputError(f"there is no layer {identifier!r}")


def _free_id(stackup: Stackup, letter: str) -> str:
    taken = {x.id for x in stackup.layers}
    return next(f"{letter}{n}" for n in range(1, 10_000) if f"{letter}{n}" not in taken)


def _inserted(project: Project, at: int, new: StackLayer, like: str) -> Project:
    """Put a layer in; it belongs to the zones that hold the layer `like`."""
    stackup = project.design.stackup
    layers = (*stackup.layers[:at], new, *stackup.layers[at:])
    zones = tuple(
        set_value(z, layers=(*z.layers, new.id)) if like in z.layers else z for z in stackup.zones
    )
    return with_stackup(project, layers=layers, zones=zones)


def add_layer(
    project: Project, below: str, kind: Literal["copper", "dielectric", "coating"]
) -> tuple[Project, str]:
    """Add a layer below another, with the values of the nearest of its kind.

    Returns
    -------
    The project and the id of the new layer.
    """
    stackup = project.design.stackup
    if not stackup.layers:
        raise InputError("there is no layer yet", remedy="Read a build from a file.")
    at = _index(stackup, below) + 1
    near = sorted(range(len(stackup.layers)), key=lambda k: abs(k + 0.5 - at))
    like = next((stackup.layers[k] for k in near if stackup.layers[k].kind == kind), None)
    new: StackLayer
    if kind == "copper":
        name = _free_id(stackup, "L")
        new = (
            set_value(like, id=name)
            if isinstance(like, CopperLayer)
            else CopperLayer(
                id=name,
                role="plane",
                thickness=parse_quantity("17 um", "length"),
                undercut=parse_quantity("4 um", "length"),
            )
        )
    elif kind == "dielectric":
        name = _free_id(stackup, "D")
        if isinstance(like, DielectricLayer):
            new = set_value(like, id=name)
        else:
            new = DielectricLayer(
                id=name,
                name="prepreg",
                material=_some_material(project).id,
                thickness=parse_quantity("100 um", "length"),
            )
    else:
        name = _free_id(stackup, "mask")
        if isinstance(like, CoatingLayer):
            new = set_value(like, id=name)
        else:
            new = CoatingLayer(
                id=name,
                material=_some_material(project).id,
                over_laminate=parse_quantity("25 um", "length"),
                over_copper=parse_quantity("14 um", "length"),
                beside=parse_quantity("12 um", "length"),
            )
    return _inserted(project, at, new, below), name


def _some_material(project: Project) -> Material:
    if not project.design.materials:
        raise InputError("there is no material yet", remedy="Add one from the library first.")
    return project.design.materials[0]


def copy_layer(project: Project, identifier: str) -> tuple[Project, str]:
    """Double a layer; the copy lies below it."""
    stackup = project.design.stackup
    at = _index(stackup, identifier)
    letter = {"copper": "L", "dielectric": "D", "coating": "mask"}[stackup.layers[at].kind]
    name = _free_id(stackup, letter)
    return _inserted(project, at + 1, set_value(stackup.layers[at], id=name), identifier), name


def split_layer(project: Project, identifier: str) -> tuple[Project, str]:
    """Cut a dielectric into two of half its thickness."""
    stackup = project.design.stackup
    at = _index(stackup, identifier)
    layer = stackup.layers[at]
    if not isinstance(layer, DielectricLayer):
        raise InputError(f"{identifier} is no dielectric", remedy="Only dielectrics can be split.")
    half = quantity(0.5 * layer.thickness.si, "length", "um", 9)
    laid = None if layer.laid is None else quantity(0.5 * layer.laid.si, "length", "um", 9)
    first = set_value(layer, thickness=half, laid=laid)
    name = _free_id(stackup, "D")
    second = set_value(first, id=name)
    return _inserted(replace_layer(project, first), at + 1, second, identifier), name


def remove_layer(project: Project, identifier: str) -> Project:
    """Take a layer out; raise `InputError` while a class is routed on it or a via ends there."""
    stackup = project.design.stackup
    _index(stackup, identifier)
    for c in project.design.line_classes:
        if any(identifier in (t.layer.rsplit(".", 1)[-1], t.facing) for t in c.on):
            raise InputError(
                f"class {c.name} is routed on {identifier}", remedy="Take it off there first."
            )
    for via in stackup.vias:
        if identifier in (via.top, via.bottom, via.backdrilled_to):
            raise InputError(
                f"vias {via.name} end on {identifier}", remedy="Change or remove them first."
            )
    zones = []
    for z in stackup.zones:
        left = tuple(x for x in z.layers if x != identifier)
        if not left:
            raise InputError(f"zone {z.name} would have no layer", remedy="Remove the zone first.")
        signal = tuple(x for x in z.signal if x != identifier)
        zones.append(set_value(z, layers=left, signal=signal))
    layers = tuple(x for x in stackup.layers if x.id != identifier)
    return with_stackup(project, layers=layers, zones=tuple(zones))


def mirror_build(project: Project) -> Project:
    """Make the lower half of the first zone the mirror image of its upper half.

    Layers keep their ids, so that what is routed on them stays; the foil side turns over.
    """
    stackup = project.design.stackup
    if not stackup.layers:
        raise InputError("there is no layer yet")
    inside = stackup.zone_layers(stackup.all_zones[0])
    new: dict[str, StackLayer] = {}
    for k in range(len(inside) // 2):
        upper = stackup.layer(inside[k].id)
        lower = stackup.layer(inside[-1 - k].id)
        if upper.kind != lower.kind:
            raise InputError(
                f"{upper.id} is a {upper.kind} layer, {lower.id} opposite a {lower.kind} layer",
                remedy="Add or remove layers until both halves have the same order.",
            )
        if isinstance(upper, CopperLayer):
            turned = "above" if upper.base == "below" else "below"
            new[lower.id] = set_value(upper, id=lower.id, base=turned)
        else:
            new[lower.id] = set_value(upper, id=lower.id)
    layers = tuple(new.get(x.id, x) for x in stackup.layers)
    return with_stackup(project, layers=layers)


def set_copper_part(
    layer: CopperLayer, part: Literal["foil", "plating"], typed: Any
) -> CopperLayer:
    """Change foil or plating; the finished thickness follows by the same amount."""
    old = layer.plating.si if part == "plating" else (layer.foil.si if layer.foil else None)
    changes: dict[str, Any] = {part: typed}
    if old is not None:
        finished = layer.thickness.si + typed.si - old
        if finished <= 0:
            raise InputError(
                f"nothing would be left of {layer.id}", remedy="Give a thicker foil or plating."
            )
        changes["thickness"] = quantity(finished, "length", "um", 6)
    return set_value(layer, **changes)


def add_material(project: Project, material: Material) -> Project:
    """Add a material, or put it in the place of the one with the same id."""
    present = project.design.materials
    if any(m.id == material.id for m in present):
        changed = tuple(material if m.id == material.id else m for m in present)
    else:
        changed = (*present, material)
    return with_design(project, materials=changed)


def scaled_material(material: Material, *, dk: float | None = None, df: float | None = None) -> Any:
    """A material with another Dk or Df where it is stated; its table moves by the same share."""
    changes: dict[str, Any] = {}
    points = material.points
    if dk is not None:
        k = dk / material.dk
        changes["dk"] = dk
        points = tuple(set_value(p, dk=p.dk * k) for p in points)
    if df is not None:
        k = df / material.df if material.df else 0.0
        changes["df"] = df
        points = tuple(set_value(p, df=p.df * k if k else df) for p in points)
    return set_value(material, points=points, **changes)


def add_zone(project: Project, name: str = "Flex tail") -> tuple[Project, str]:
    """Add a zone beside the others; the first one made names the board that was there."""
    stackup = project.design.stackup
    zones = list(stackup.all_zones)
    taken = {z.id for z in zones}
    new_id = next(f"zone{n}" for n in range(1, 100) if f"zone{n}" not in taken)
    like = zones[-1] if zones else None
    if like is None:
        raise InputError("there is no layer yet", remedy="Read a build from a file.")
    zones.append(Zone(id=new_id, name=name, kind="flex", layers=like.layers))
    return with_stackup(project, zones=tuple(zones)), new_id


def remove_zone(project: Project, identifier: str) -> Project:
    """Remove a zone that is not the first; its layers stay where other zones have them."""
    stackup = project.design.stackup
    if len(stackup.zones) < 2 or stackup.zones[0].id == identifier:
        raise InputError("the first zone is the board itself", remedy="Remove another one.")
    return with_stackup(project, zones=tuple(z for z in stackup.zones if z.id != identifier))


def set_in_zone(project: Project, zone: str, layer: str, there: bool) -> Project:
    """Put a layer into a zone, or take it out."""
    stackup = project.design.stackup
    zones = []
    for z in stackup.zones:
        if z.id != zone:
            zones.append(z)
            continue
        kept = tuple(x for x in z.layers if x != layer)
        if not there and not kept:
            raise InputError(f"zone {z.name} would have no layer", remedy="Remove the zone.")
        signal = z.signal if there else tuple(x for x in z.signal if x != layer)
        zones.append(set_value(z, layers=(*kept, layer) if there else kept, signal=signal))
    return with_stackup(project, zones=tuple(zones))


def add_via_span(project: Project) -> tuple[Project, str]:
    """Add a span through the whole board."""
    stackup = project.design.stackup
    copper = stackup.copper
    if len(copper) < 2:
        raise InputError("vias need two copper layers")
    taken = {v.id for v in stackup.vias}
    new = next(f"via{n}" for n in range(1, 1000) if f"via{n}" not in taken)
    span = ViaSpan(
        id=new,
        name=f"Via {len(stackup.vias) + 1}",
        kind="through",
        top=copper[0].id,
        bottom=copper[-1].id,
        drill=parse_quantity("250 um", "length"),
    )
    return with_stackup(project, vias=(*stackup.vias, span)), new


def remove_via_span(project: Project, identifier: str) -> Project:
    """Remove a span."""
    vias = tuple(v for v in project.design.stackup.vias if v.id != identifier)
    return with_stackup(project, vias=vias)
