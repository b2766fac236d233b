"""The outline of a path before its result is there: its pieces in order, lengths to scale."""

from __future__ import annotations

from onda.project.paths.elements import Branch, Element
from onda.project.paths.path import Path
from onda.project.quantities import Quantity
from onda.studies.paths.layout import Span

__all__ = ["outline_of"]

_PER_METRE = 7e-9
_SHORT = 5e-12
_HEIGHT = 60.0
"""Ohm at which a piece is drawn as high as usual; the true one is not known yet."""


def outline_of(path: Path) -> tuple[Span, ...]:
    """Spans of a path as if all its lines were alike."""
    spans: list[Span] = []
    _walk(path.elements, 0.0, 0, "", spans)
    return tuple(spans)


def _walk(
    elements: tuple[Element, ...], start: float, row: int, branch: str, spans: list[Span]
) -> float:
    for element in elements:
        kind, words = element.kind, element.brief[0]
        if isinstance(element, Branch):
            below = max((s.row for s in spans), default=0) + 1 if element.elements else row
            spans.append(Span(element.id, kind, words, start, start, 0.0, 0.0, below, branch))
            _walk(element.elements, start, below, element.id, spans)
        elif element.is_line:
            length = getattr(element, "length", None)
            metres = length.si if isinstance(length, Quantity) else 0.0
            end = start + (metres * _PER_METRE or _SHORT)
            spans.append(Span(element.id, kind, words, start, end, _HEIGHT, metres, row, branch))
            start = end
        else:
            spans.append(Span(element.id, kind, words, start, start, 0.0, 0.0, row, branch))
    return start
