"""The path in view: what is drawn of it, which receiver is watched, what is badly placed."""

from __future__ import annotations

from onda.app.kit.context import Context
from onda.app.kit.subject import OneResult
from onda.app.stages.paths.scale import RouteMap, route_map
from onda.project.paths.elements import SeriesResistor, TracePiece
from onda.project.paths.ends import RECEIVER
from onda.project.paths.path import Path
from onda.studies.paths.path import PathResult, ReceiverResult

__all__ = ["PathInView"]


class PathInView(OneResult[PathResult]):
    """The chosen path with its result.

    `drawn` is the path that the result belongs to, `watched` the receiver that is looked at.
    """

    def __init__(self, context: Context, stage: str, kinds: tuple[str, ...]) -> None:
        super().__init__(context, stage, kinds)
        self.drawn: Path | None = None
        self.placed: dict[str, str] = {}
        self.watched = RECEIVER

    @property
    def path(self) -> Path | None:
        """The path in view, None where there is none."""
        found: Path | None = self.item
        return found

    @property
    def resistor(self) -> SeriesResistor | None:
        """The chosen element where it is a series resistor."""
        element = self.path.element(self.element) if self.path is not None else None
        return element if isinstance(element, SeriesResistor) else None

    def watch(self, path: Path) -> None:
        """Watch the chosen receiver; the one at the end where the watched one is gone."""
        if self.element in path.receivers:
            self.watched = self.element
        if self.watched not in path.receivers:
            self.watched = RECEIVER

    @property
    def route(self) -> RouteMap:
        """The way to the watched receiver."""
        assert self.result is not None
        return route_map(self.result, self.watched)

    @property
    def receiver(self) -> ReceiverResult:
        """The watched receiver."""
        assert self.result is not None
        return self.result.receiver(self.watched)

    @property
    def remarks(self) -> dict[str, str]:
        """What is badly placed; for another path it is on its way with the result."""
        return self.placed if self.drawn is self.path and not self.failure else {}

    @property
    def z_line(self) -> float | None:
        """Ohm of the first trace, where it is known."""
        return self.result.z_line if self.result is not None else None

    @property
    def overshoot_limit(self) -> float | None:
        """Overshoot that is allowed, V."""
        limits = (r.at_most for r in self.requirements if r.measure == "overshoot")
        return next((q.si for q in limits if q is not None), None)

    @property
    def band(self) -> tuple[float, float] | None:
        """Impedance that the class of the first piece must have."""
        path = self.drawn
        pieces = (e for e in path.all_elements if isinstance(e, TracePiece)) if path else ()
        piece = next(iter(pieces), None)
        for r in self.context.document.project.requirements:
            about = piece is not None and (r.measure, r.subject) == ("impedance", piece.line_class)
            if about and r.at_least and r.at_most:
                return r.at_least.si, r.at_most.si
        return None
