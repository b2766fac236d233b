"""Lumped parts in series with the line: packages, connectors, ferrites, capacitors."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from pydantic import model_validator

from onda.project.base import default_of
from onda.project.kind import Objects
from onda.project.paths.elements.element import Element, Net, Offer, register
from onda.project.quantities import (
    Capacitance,
    Inductance,
    Resistance,
    ResistanceOrZero,
    parse_quantity,
)

__all__ = ["OFFERS", "LumpedPart"]


@register
class LumpedPart(Element):
    """Parts in series with the line, capacitance to 0 V half at each end.

    package, connector: r and l in series; ferrite: `r_parallel` beside l; capacitor: `c_series`.
    """

    kind: Literal["lumped"] = "lumped"
    role: Literal["package", "connector", "inductor", "ferrite", "capacitor"]
    r: ResistanceOrZero = default_of("0 ohm", "resistance")
    inductance: Inductance = default_of("0 nH", "inductance")
    c: Capacitance = default_of("0 pF", "capacitance")
    r_parallel: Resistance | None = None
    c_series: Capacitance | None = None

    @model_validator(mode="after")
    def _complete(self) -> LumpedPart:
        if self.role == "capacitor" and (self.c_series is None or self.c_series.si == 0):
            raise ValueError(f"{self.id}: a series capacitor needs a capacitance above 0")
        if self.role == "ferrite" and (self.r_parallel is None or self.inductance.si == 0):
            raise ValueError(f"{self.id}: a ferrite needs a resistance beside its inductance")
        return self


_USUAL: dict[str, dict[str, str]] = {
    "ferrite": {"r": "0.2 ohm", "inductance": "300 nH", "r_parallel": "120 ohm"},
    "inductor": {"inductance": "2 nH"},
    "capacitor": {"c_series": "100 nF"},
    "connector": {"r": "20 mohm", "inductance": "0.8 nH", "c": "0.3 pF"},
    "package": {"r": "80 mohm", "inductance": "1.2 nH", "c": "0.35 pF"},
}
_DIMENSIONS = {
    "r": "resistance",
    "r_parallel": "resistance",
    "inductance": "inductance",
    "c": "capacitance",
    "c_series": "capacitance",
}
_LETTERS = {"ferrite": "FB", "inductor": "L", "capacitor": "C", "connector": "J", "package": "P"}


def _maker(role: str) -> Callable[[str, Net, Objects], Element]:
    def make(name: str, _: Net, __: Objects) -> Element:
        values: dict[str, Any] = {
            key: parse_quantity(text, _DIMENSIONS[key]) for key, text in _USUAL[role].items()
        }
        return LumpedPart(id=name, role=role, **values)  # type: ignore[arg-type]

    return make


OFFERS = tuple(
    Offer(
        role,
        "series capacitor" if role == "capacitor" else role,
        _LETTERS[role],
        _maker(role),
    )
    for role in _USUAL
)
