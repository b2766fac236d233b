"""Turning a class into another structure: single, pair, broadside pair, group."""

from __future__ import annotations

from onda.errors import InputError
from onda.project.base import set_value
from onda.project.build.stackup import CopperLayer, Stackup
from onda.project.lines.objects import LineClass, TraceOnLayer
from onda.project.lines.structures import STRUCTURES, structure

__all__ = ["offers", "structure_of", "with_structure"]


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


def offers(stackup: Stackup, layer: str) -> tuple[tuple[str, str], ...]:
    """(choice, words) of every structure that a class on `layer` can become."""
    out = []
    for made in STRUCTURES.values():
        out += [(made.spelled(n), made.offered.format(n=n)) for n in made.counts]
        if made.may_face:
            facing = facing_layers(stackup, layer)
            out += [(f"facing {x}", f"{made.key}, facing {x}") for x in facing]
    return tuple(out)


def structure_of(line_class: LineClass, trace: TraceOnLayer) -> str:
    """As a choice of `offers`: single, pair, ``group N``, ``facing LAYER``."""
    if trace.facing is not None:
        return f"facing {trace.facing}"
    return line_class.structure.spelled(line_class.count)


def with_structure(line_class: LineClass, layer: str, choice: str) -> LineClass:
    """The class as another structure; a gap that is missing is taken as wide as the trace.

    A structure holds on all layers, ``facing LAYER`` on one of a pair.

    Raises
    ------
    InputError : an unknown structure
    """
    word, _, rest = choice.partition(" ")
    if word == "facing":
        made = next(s for s in STRUCTURES.values() if s.may_face)
    else:
        made = structure(word)
    if word != "facing" and (made.spelled(0) != made.key) != rest.isdecimal():
        raise InputError(f"unknown structure {choice!r}")
    on = []
    for t in line_class.on:
        if word == "facing" and t.layer == layer:
            on.append(t.model_copy(update={"gap": None, "facing": rest}))
        elif word == "facing" and t.facing is not None:
            on.append(t)
        else:
            gap = (t.gap or t.width) if made.several else None
            on.append(t.model_copy(update={"gap": gap, "facing": None, "shift": None}))
    counted = rest.isdecimal() and word != "facing"
    count = int(rest) if counted else max(made.counts[0], 2)
    return set_value(line_class, kind=made.key, count=count, on=tuple(on))
