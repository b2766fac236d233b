"""A length of a line known from a data sheet."""

from __future__ import annotations

from collections.abc import Iterable
from typing import ClassVar, Literal

from onda.errors import InputError
from onda.project.base import Identifier
from onda.project.kind import Mention, Objects
from onda.project.paths.elements.element import Element, Net, Offer, register
from onda.project.quantities import Length, parse_quantity

__all__ = ["OFFERS", "Cable"]


@register
class Cable(Element):
    """A length of a line known from a data sheet."""

    kind: Literal["cable"] = "cable"
    is_line: ClassVar[bool] = True
    main: ClassVar[str] = "length"
    line: Identifier
    length: Length

    def refers(self) -> Iterable[Mention]:
        """The line."""
        yield Mention("sheet_line", self.line)


def _offered(name: str, _: Net, objects: Objects) -> Element:
    line = next(iter(objects.all("sheet_line")), None)
    if line is None:
        raise InputError(
            "there is no line from a data sheet yet", remedy="Make one in Lines first."
        )
    return Cable(id=name, line=line.id, length=parse_quantity("300 mm", "length"))


OFFERS = (Offer("cable", "cable", "W", _offered, like="cable"),)
