"""The build in view: the chosen zone, layer or via span, and what the classes reach on it."""

from __future__ import annotations

from onda.app.kit.context import Context
from onda.app.kit.subject import Subject
from onda.project.build.stackup import StackLayer, Stackup, ViaSpan, Zone
from onda.studies.lines.impedance import ImpedanceResult

__all__ = ["BuildInView", "via_element"]

_VIA = "via:"


def via_element(identifier: str) -> str:
    """The name under which a via span is chosen, where layers go by their id."""
    return _VIA + identifier


class BuildInView(Subject):
    """The build; its objects are the zones.

    `results` and `problems` are by class and place.
    """

    def __init__(self, context: Context, stage: str, kinds: tuple[str, ...]) -> None:
        super().__init__(context, stage, kinds)
        self.results: dict[tuple[str, str], ImpedanceResult] = {}
        self.problems: dict[tuple[str, str], str] = {}

    @property
    def stackup(self) -> Stackup:
        """The present stackup."""
        return self.design.stackup

    @property
    def zone(self) -> Zone | None:
        """The chosen zone, else the first."""
        zones = self.stackup.all_zones
        return next((z for z in zones if z.id == self.id), zones[0] if zones else None)

    @property
    def layer(self) -> StackLayer | None:
        """The chosen layer."""
        return next((x for x in self.stackup.layers if x.id == self.element), None)

    @property
    def via(self) -> ViaSpan | None:
        """The chosen via span."""
        chosen = self.element.removeprefix(_VIA)
        return next((v for v in self.stackup.vias if v.id == chosen), None)

    @property
    def reached(self) -> dict[tuple[str, str], float]:
        """Ohm by class and place, where it is known."""
        return {k: r.z for k, r in self.results.items()}
