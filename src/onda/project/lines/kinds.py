"""Line classes, shielded sections and lines from data sheets: one list of three kinds."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.kind import Kind, Mention, Objects
from onda.project.lines.objects import LineClass, SheetLine, ShieldedSection

__all__ = ["LINE_KINDS"]


def _check_class(line_class: LineClass, objects: Objects) -> None:
    signal = set(objects.stackup.signal_layers)
    for trace in line_class.on:
        if trace.layer not in signal:
            raise ValueError(f"line class {line_class.id}: {trace.layer!r} is no signal layer")
        if trace.facing is not None and trace.facing not in signal - {trace.layer}:
            raise ValueError(
                f"line class {line_class.id} on {trace.layer}: it cannot face {trace.facing!r}"
            )


def _of_section(section: ShieldedSection) -> Iterable[Mention]:
    for material in {section.material} | {b.material for b in section.bodies if b.material}:
        yield Mention("material", material)


LINE_KINDS = (
    Kind(
        "line",
        "line class",
        "line_classes",
        LineClass,
        needs=("layer",),
        check=_check_class,
        space="lines",
        place="layer",
        places=lambda c: ((t.layer, f"on {t.layer}") for t in c.on),
    ),
    Kind(
        "shielded",
        "section",
        "shielded",
        ShieldedSection,
        refers=_of_section,
        needs=("material",),
        space="lines",
    ),
    Kind("sheet_line", "line from a data sheet", "sheet_lines", SheetLine, space="lines"),
)
