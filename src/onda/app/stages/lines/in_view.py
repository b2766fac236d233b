"""The line in view: a class on its layers with its results, or a section or a sheet by itself."""

from __future__ import annotations

from onda.app.kit.context import Context
from onda.app.kit.subject import Subject
from onda.project.build.stackup import EtchLimit, PriceStep
from onda.project.lines.objects import LineClass, TraceOnLayer
from onda.project.requirements import Requirement
from onda.studies.lines.impedance import ImpedanceResult
from onda.studies.lines.tolerance import ToleranceResult
from onda.studies.lines.width_sweep import WidthSweepResult

__all__ = ["LineInView"]


class LineInView(Subject):
    """The chosen line.

    Attributes
    ----------
    results, problems : of a class, by layer; kept : the same by kept state
    sweep, tolerance : of the trace in view
    """

    def __init__(self, context: Context, stage: str, kinds: tuple[str, ...]) -> None:
        super().__init__(context, stage, kinds)
        self.results: dict[str, ImpedanceResult] = {}
        self.problems: dict[str, str] = {}
        self.kept: dict[str, dict[str, ImpedanceResult]] = {}
        self.sweep: WidthSweepResult | None = None
        self.tolerance: ToleranceResult | None = None
        self._results_of = ""

    @property
    def line_class(self) -> LineClass | None:
        """The class in view, None where something else is."""
        item = self.item
        return item if isinstance(item, LineClass) else None

    @property
    def trace(self) -> TraceOnLayer | None:
        """The trace in view: the class on the chosen layer, or on its first."""
        line_class = self.line_class
        if line_class is None:
            return None
        return line_class.trace_on(self.element) or line_class.on[0]

    @property
    def present(self) -> tuple[LineClass, TraceOnLayer]:
        """Class and trace in view, where there is one."""
        line_class, trace = self.line_class, self.trace
        assert line_class is not None
        assert trace is not None
        return line_class, trace

    def turn_to(self, line_class: LineClass) -> None:
        """Forget the results of another class."""
        if self._results_of != line_class.id:
            self.results.clear()
            self.problems.clear()
            self.kept.clear()
            self.sweep = self.tolerance = None
            self._results_of = line_class.id

    def impedance_requirement(self, layer: str) -> Requirement | None:
        """What is required of the impedance on a layer."""
        found = (r for r in self.requirements if (r.measure, r.layer) == ("impedance", layer))
        return next(found, None)

    def limits(self, layer: str) -> list[tuple[float, str]]:
        """Limits of the impedance on a layer, ohm, with their words."""
        r = self.impedance_requirement(layer)
        if r is None:
            return []
        low = [(r.at_least.si, "at least")] if r.at_least else []
        return low + ([(r.at_most.si, "at most")] if r.at_most else [])

    def band(self, line_class: LineClass, layer: str) -> tuple[float, float]:
        """What the class may be on a layer: its requirement, else a tenth around its target."""
        limits = [v for v, _ in self.limits(layer)]
        target = line_class.target.si
        return (limits[0], limits[1]) if len(limits) == 2 else (0.9 * target, 1.1 * target)

    def made(self, layer: str) -> tuple[EtchLimit | None, tuple[PriceStep, ...]]:
        """What the fabricator can etch on a layer, and the price steps."""
        made = self.design.stackup.fabrication
        copper = self.design.stackup.place(layer).copper
        return made.limit_for(copper.thickness.si), made.steps

    def kept_trace(self, state: str, layer: str) -> TraceOnLayer | None:
        """The trace as it was in a kept state."""
        for k in self.kept_states:
            then = self.item_in(k.design) if k.id == state else None
            if isinstance(then, LineClass):
                return then.trace_on(layer)
        return None
