"""A drilled hole in the stackup: its heights, planes and dielectric."""

from __future__ import annotations

import numpy as np

from onda.engine.vias import ViaGeometry
from onda.errors import InputError
from onda.project.build.hole import Hole
from onda.project.build.stackup import CopperLayer, DielectricLayer
from onda.project.model import Design

__all__ = ["geometry_of"]


def geometry_of(
    design: Design, via: Hole, joins: tuple[str, str], where: str, *, pair: bool = False
) -> ViaGeometry:
    """Heights and dielectric of a via from the stackup: it goes through the whole board.

    Parameters
    ----------
    joins : the two layers that it joins; where : what an error calls it

    Raises
    ------
    InputError : it joins a layer with itself, or with one of another zone
    """
    layers = design.stackup.layers
    order = {layer.id: k for k, layer in enumerate(layers)}
    for layer in joins:
        if layer not in order:
            raise InputError(
                f"goes to {layer}, which is no layer of the whole board", where=where,
                remedy="Vias go through the first zone; choose a layer of it, or take them away.",
            )  # fmt: skip
    first, last = sorted(order[layer] for layer in joins)
    if first == last:
        raise InputError(
            "goes from a layer to the same one", where=where, remedy="Choose two layers."
        )
    between = [x for x in layers[first : last + 1] if isinstance(x, DielectricLayer)]
    weights = [x.thickness.si for x in between]
    dk = [design.material(x.material).dk for x in between]
    er = sum(w * d for w, d in zip(weights, dk, strict=True)) / sum(weights)
    solid = [x for x in layers if isinstance(x, CopperLayer | DielectricLayer)]
    tops = np.concatenate([[0.0], np.cumsum([x.thickness.si for x in solid])])
    place = {x.id: (float(a), float(b)) for x, a, b in zip(solid, tops, tops[1:], strict=False)}
    pads = place[layers[first].id], place[layers[last].id]
    low, high = pads[0][0], pads[1][1]
    copper = [x for x in solid if isinstance(x, CopperLayer)]
    top, bottom = place[copper[0].id][0], place[copper[-1].id][1]
    if via.back_drilled:
        # From the side of the longer stub.
        if low - top > bottom - high:
            top = max(top, low - via.rest.si)
        else:
            bottom = min(bottom, high + via.rest.si)
    foils = [place[x.id] for x in copper]
    gaps = [min(max(a - d, c - b) for c, d in foils if (c, d) != (a, b)) for a, b in pads]
    return ViaGeometry(
        drill=via.drill.si,
        pad=via.pad.si,
        antipad=via.antipad.si,
        through=high - low,
        # What hangs on beyond the copper that it joins; drilled from one side, the other stays.
        stub=max(low - top, bottom - high),
        er=er,
        returns=via.returns,
        return_distance=via.return_distance.si,
        pad_gaps=tuple(gaps),
        pair=pair,
        planes=tuple(place[x.id] for x in copper if x.role == "plane"),
        barrel=(top, bottom),
        span=(low, high),
        pads=pads,
    )
