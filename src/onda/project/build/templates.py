"""Builds to begin with: usual boards of 2 to 12 layers, with values typical of their class."""

from __future__ import annotations

from collections.abc import Container
from typing import Any

from onda.errors import InputError
from onda.project.base import fresh_id
from onda.project.build.stackup import (
    CoatingLayer,
    CopperLayer,
    DielectricLayer,
    EtchLimit,
    Fabrication,
    Material,
    StackLayer,
    Stackup,
    ViaSpan,
    Zone,
)
from onda.project.quantities import Quantity, parse_quantity

__all__ = ["LAYER_COUNTS", "TAIL_COUNTS", "template_build", "usual_material"]

_ROLES: dict[int, str] = {
    2: "SP",
    4: "SPPS",
    6: "SPSSPS",
    8: "SPSPPSPS",
    10: "SPSPSSPSPS",
    12: "SPSPSPPSPSPS",
}
"""Copper from top to bottom: S carries traces, P is a plane."""

_ROLES_WITH_TAIL = _ROLES | {6: "SPPPPS", 10: "SPSPPPPSPS"}
"""With a tail the two layers in the middle are planes; in the tail the upper one carries traces."""

_HEIGHTS_UM: dict[int, tuple[float, ...]] = {
    2: (1460.0,),
    4: (110.0, 1180.0, 110.0),
    6: (100.0, 200.0, 760.0, 200.0, 100.0),
    8: (100.0, 130.0, 150.0, 560.0, 150.0, 130.0, 100.0),
    10: (100.0, 130.0, 130.0, 130.0, 330.0, 130.0, 130.0, 130.0, 100.0),
    12: (90.0, 125.0, 125.0, 125.0, 125.0, 150.0, 125.0, 125.0, 125.0, 125.0, 90.0),
}
"""Dielectrics from top to bottom; each board comes to 1.6 mm within a tenth."""

LAYER_COUNTS = tuple(_ROLES)
"""Numbers of copper layers that there is a template for."""
TAIL_COUNTS = tuple(n for n in LAYER_COUNTS if n > 2)
"""Those that can have a flexible tail of the two layers in the middle."""

_MATERIALS = {
    "core": "mid-loss-core-thin",
    "core-thick": "mid-loss-core-thick",
    "prepreg": "mid-loss-1080-66",
    "mask": "solder-mask",
    "flex": "polyimide-flex",
    "coverlay": "coverlay",
}
_USUAL = {
    "core": "mid-loss-core-thin",
    "prepreg": "mid-loss-1080-66",
    "flex": "polyimide-flex",
    "adhesive": "acrylic-adhesive",
    "coating": "solder-mask",
}
"""What is taken where a file names no material."""
_THIN_CORE = 130.0
"""The library tells cores apart at this thickness, um."""


def _um(value: float) -> Quantity:
    return parse_quantity(f"{value:g} um", "length")


def template_build(layers: int, *, tail: bool = False) -> tuple[tuple[Material, ...], Stackup]:
    """Materials and layers of a usual board.

    Parameters
    ----------
    layers : copper layers, one of `LAYER_COUNTS`
    tail : the two layers in the middle go on alone as a flexible tail; one of `TAIL_COUNTS`

    Raises
    ------
    InputError : there is no such template
    """
    if layers not in _ROLES:
        known = ", ".join(str(n) for n in LAYER_COUNTS)
        raise InputError(f"no template of {layers} layers", remedy=f"Choose one of {known}.")
    if tail and layers not in TAIL_COUNTS:
        raise InputError(
            f"no flexible tail on a board of {layers} layers",
            remedy=f"Choose one of {', '.join(str(n) for n in TAIL_COUNTS)}.",
        )
    made = _layers(layers, tail)
    used = {x.material for x in made if not isinstance(x, CopperLayer)}
    return _materials(used), Stackup(
        layers=tuple(made),
        zones=_zones(layers, made) if tail else (),
        vias=(_through(layers),),
        fabrication=_fabrication(),
        total=None if tail else parse_quantity("1.6 mm", "length"),
    )


def usual_material(use: str, taken: Container[str]) -> Material:
    """A material typical of a use (core, prepreg, flex, adhesive, coating), under a free id."""
    from onda.project.build.library import library

    of = _USUAL.get(use, _USUAL["coating"])
    known = next(m for m in library().materials if m.id == of)
    return known.as_material(fresh_id(of, taken))


def _materials(used: set[str]) -> tuple[Material, ...]:
    # It takes its time to load, and is needed only when a board is begun.
    from onda.project.build.library import library

    known = {m.id: m for m in library().materials}
    return tuple(known[of].as_material(key) for key, of in _MATERIALS.items() if key in used)


def _layers(count: int, tail: bool) -> list[StackLayer]:
    middle = count // 2
    out: list[StackLayer] = [_coating("mask-top", "mask")]
    for k in range(1, count + 1):
        if tail and k == middle:
            out.append(_coating("cover-top", "coverlay"))
        out.append(_copper(k, count, tail))
        if tail and k == middle + 1:
            out.append(_coating("cover-bottom", "coverlay"))
        if k < count:
            out.append(_dielectric(k, count, tail))
    return [*out, _coating("mask-bottom", "mask")]


def _coating(identifier: str, material: str) -> CoatingLayer:
    over, on, beside = (25.0, 14.0, 12.0) if material == "mask" else (50.0, 32.0, 30.0)
    return CoatingLayer(
        id=identifier,
        material=material,
        over_laminate=_um(over),
        over_copper=_um(on),
        beside=_um(beside),
    )


def _is_core(k: int, count: int, tail: bool) -> bool:
    """Whether the dielectric below copper k is a core.

    A rigid board is laid up from foil and prepreg inwards, one with a tail from its film outwards.
    """
    if count == 2:
        return True
    outer = min(k, count - k)
    return outer % 2 == 0 if not tail else (count // 2 - outer) % 2 == 0


def _copper(k: int, count: int, tail: bool) -> CopperLayer:
    roles = (_ROLES_WITH_TAIL if tail else _ROLES)[count]
    role = "signal" if roles[k - 1] == "S" else "plane"
    outer = k in (1, count)
    # The far face of a foil is on the side away from the core that it was laid on.
    below = k < count and (_is_core(k, count, tail) or outer)
    more: dict[str, Any] = {"plating": _um(25.0)} if outer else {}
    return CopperLayer(
        id=f"L{k}",
        role=role,  # type: ignore[arg-type]
        thickness=_um(43.0 if outer else 17.0),
        foil=_um(18.0 if outer else 17.0),
        undercut=_um(12.0 if outer else 4.0),
        base="below" if below else "above",
        rz_base=_um(5.0),
        rz_face=_um(3.0),
        **more,
    )


def _dielectric(k: int, count: int, tail: bool) -> DielectricLayer:
    height = _HEIGHTS_UM[count][k - 1]
    name, material = "prepreg", "prepreg"
    build: str = "prepreg"
    if tail and k == count // 2:
        name, material, build, height = "flex film", "flex", "flex", 75.0
    elif tail and count == 4:
        height = 110.0
    elif _is_core(k, count, tail):
        name, build = "core", "core"
        material = "core" if height <= _THIN_CORE else "core-thick"
    return DielectricLayer(
        id=f"D{k}-{k + 1}",
        name=name,
        material=material,
        thickness=_um(height),
        build=build,  # type: ignore[arg-type]
    )


def _zones(count: int, layers: list[StackLayer]) -> tuple[Zone, ...]:
    middle = count // 2
    covers = ("cover-top", "cover-bottom")
    tail = ("cover-top", f"L{middle}", f"D{middle}-{middle + 1}", f"L{middle + 1}", "cover-bottom")
    rigid = tuple(x.id for x in layers if x.id not in covers)
    return (
        Zone(id="board", name="Rigid board", layers=rigid),
        Zone(
            id="tail",
            name="Flexible tail",
            kind="flex",
            layers=tail,
            signal=(f"L{middle}",),
            bend_radius=parse_quantity("6 mm", "length"),
        ),
    )


def _through(count: int) -> ViaSpan:
    return ViaSpan(
        id="through",
        name="Through",
        kind="through",
        top="L1",
        bottom=f"L{count}",
        drill=_um(250.0),
    )


def _fabrication() -> Fabrication:
    return Fabrication(
        etch=(
            EtchLimit(copper=_um(20.0), width=_um(90.0), gap=_um(100.0)),
            EtchLimit(copper=_um(45.0), width=_um(100.0), gap=_um(110.0)),
            EtchLimit(copper=_um(75.0), width=_um(125.0), gap=_um(140.0)),
        )
    )
