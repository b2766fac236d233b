"""Groups: they refer to a line class and to layers that it is routed on."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.build.stackup import CopperLayer
from onda.project.coupling.group import LaneGroup
from onda.project.kind import Kind, Mention, Objects

__all__ = ["GROUP_KINDS"]


def _refers(group: LaneGroup) -> Iterable[Mention]:
    yield Mention("line", group.line_class)
    for piece in group.pieces:
        for plane in piece.open_planes:
            yield Mention("layer", plane, part=f"piece {piece.id}")
        if piece.vias is not None and piece.vias.from_layer is not None:
            yield Mention("layer", piece.vias.from_layer, part=f"piece {piece.id}")
    for use in (group.driver, group.listener):
        if use is not None:
            yield Mention("file", use.file)


def _check(group: LaneGroup, objects: Objects) -> None:
    found = objects.get("line", group.line_class)
    if not found.structure.one_line:
        raise ValueError(
            f"group {group.name}: {found.name} is a {found.kind} already; its lanes are single "
            "lines or pairs"
        )
    if found.structure.differential and (group.driver or group.listener):
        raise ValueError(f"group {group.name}: device models are for lanes of single lines")
    for piece in group.pieces:
        trace = found.trace_on(piece.layer)
        if trace is None:
            raise ValueError(
                f"group {group.name}, piece {piece.id}: {found.name} is not routed "
                f"on {piece.layer!r}"
            )
        for plane in piece.open_planes:
            if objects.get("layer", plane).role != "plane":
                raise ValueError(
                    f"group {group.name}, piece {piece.id}: {plane} is no plane that could be open"
                )
        if piece.vias is not None and piece.vias.from_layer is not None:
            layer = objects.get("layer", piece.vias.from_layer)
            if not isinstance(layer, CopperLayer):
                raise ValueError(
                    f"group {group.name}, piece {piece.id}: its vias cannot come from {layer.id}, "
                    "which is no copper"
                )
        if trace.facing is not None or trace.ground_gap is not None or trace.opening is not None:
            raise ValueError(
                f"group {group.name}, piece {piece.id}: lanes lie side by side over whole planes, "
                f"{found.name} on {piece.layer} does not"
            )


GROUP_KINDS = (
    Kind(
        "group",
        "group",
        "groups",
        LaneGroup,
        refers=_refers,
        needs=("line", "layer", "file"),
        check=_check,
        space="coupling",
        place="receiver",
        places=lambda g: (
            ("", "at the worst receiver"),
            *((lane.id, f"at {lane.name}") for lane in g.lanes),
        ),
    ),
)
