"""Remarks on what stands in the wrong place along a path."""

from __future__ import annotations

from collections.abc import Iterable

from onda.project.paths.elements import PathElement, SeriesResistor, ShuntPart
from onda.studies.paths.path import PathResult

__all__ = ["placement_remarks"]

_SHARE = 6.0
"""What is within a sixth of an edge acts as one point; the usual rule of thumb."""


def placement_remarks(
    edge: float, elements: Iterable[PathElement], result: PathResult
) -> dict[str, str]:
    """Remarks by element id, for a driver's `edge` in seconds."""
    near = edge / _SHARE
    out: dict[str, str] = {}
    items = {element.id: element for element in elements}
    for span in result.spans:
        item = items.get(span.id)
        if isinstance(item, SeriesResistor) and span.row == 0 and span.start > near:
            out[span.id] = (
                f"{_ps(span.start)} from the driver, more than a sixth of its edge ({_ps(near)}): "
                "a series resistor belongs at the driver."
            )
        if isinstance(item, ShuntPart) and span.row == 0 and result.delay - span.start > near:
            out[span.id] = (
                f"{_ps(result.delay - span.start)} before the end of the line, more than a sixth "
                f"of the edge ({_ps(near)}): a termination belongs at the end."
            )
        if span.kind == "branch" and span.row > 0:
            end = max((s.end for s in result.spans if s.branch == span.id), default=span.start)
            if end - span.start > near:
                out[span.id] = (
                    f"A stub of {_ps(end - span.start)}, longer than a sixth of the edge "
                    f"({_ps(near)}): it sends a dip back."
                )
    return out


def _ps(seconds: float) -> str:
    return f"{seconds * 1e12:.0f} ps"
