"""A via as a short line with pads."""

from __future__ import annotations

from typing import ClassVar, Literal

from onda.project.kind import Objects
from onda.project.paths.elements.element import Element, Net, Offer, register
from onda.project.quantities import Capacitance, Resistance, Time, format_si, parse_quantity

__all__ = ["OFFERS", "Via"]


@register
class Via(Element):
    """A short line with a pad capacitance, half of it at each end."""

    kind: Literal["via"] = "via"
    is_line: ClassVar[bool] = True
    z0: Resistance
    delay: Time
    pad: Capacitance

    @property
    def brief(self) -> tuple[str, str]:
        """Its delay."""
        return "via", format_si(self.delay.si, "time", digits=2)


def _offered(name: str, _: Net, __: Objects) -> Element:
    return Via(
        id=name,
        z0=parse_quantity("80 ohm", "resistance"),
        delay=parse_quantity("9 ps", "time"),
        pad=parse_quantity("100 fF", "capacitance"),
    )


OFFERS = (Offer("via", "via", "V", _offered, like="via"),)
