"""Turning a class into another structure: single, pair, broadside pair, group."""

from __future__ import annotations

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.build.stackup import CopperLayer, Stackup
from onda.project.lines.objects import LineClass, TraceOnLayer

__all__ = ["facing_layers", "structure_of", "with_structure"]


def facing_layers(stackup: Stackup, layer: str) -> tuple[str, ...]:
    """Signal layers that a trace on `layer` could face: same zone, no plane between."""
    place = stackup.place(layer)
    prefix = layer[: -len(place.copper.id)]
    out = []
    for step in (-1, 1):
        k = place.index + step
        while 0 <= k < len(place.layers):
            item = place.layers[k]
            if isinstance(item, CopperLayer):
                if item.role == "signal":
                    out.append(f"{prefix}{item.id}")
                break
            k += step
    return tuple(out)


def structure_of(line_class: LineClass, trace: TraceOnLayer) -> str:
    """single, pair, ``group N`` or ``facing LAYER``."""
    if trace.facing is not None:
        return f"facing {trace.facing}"
    return f"group {line_class.count}" if line_class.kind == "group" else line_class.kind


def with_structure(line_class: LineClass, layer: str, structure: str) -> LineClass:
    """The class as another structure; a gap that is missing is taken as wide as the trace.

    single, pair and ``group N`` hold on all layers, ``facing LAYER`` on one of a pair.

    Raises
    ------
    InputError : an unknown structure
    """
    word, _, rest = structure.partition(" ")
    kind = {"single": "single", "pair": "pair", "group": "group", "facing": "pair"}.get(word)
    if kind is None or (word == "group" and not rest.isdigit()):
        raise InputError(f"unknown structure {structure!r}")
    on = []
    for t in line_class.on:
        if word == "single":
            on.append(t.model_copy(update={"gap": None, "facing": None, "shift": None}))
        elif word == "facing" and t.layer == layer:
            on.append(t.model_copy(update={"gap": None, "facing": rest}))
        elif word == "facing" and t.facing is not None:
            on.append(t)
        else:
            gap = t.gap or t.width
            on.append(t.model_copy(update={"gap": gap, "facing": None, "shift": None}))
    count = int(rest) if word == "group" else 2
    return set_value(line_class, kind=kind, count=count, on=tuple(on))
