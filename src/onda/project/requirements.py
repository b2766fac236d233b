"""Requirements: a limit on a measured quantity of one object."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field, model_validator

from onda.errors import InputError
from onda.project.base import Frozen, Identifier, Text
from onda.project.formula import read_formula
from onda.project.kind import Ref
from onda.project.measures import MEASURES
from onda.project.quantities import Frequency, Quantity, read_quantity

__all__ = ["LimitPiece", "Requirement"]


class LimitPiece(Frozen):
    """A limit over a range of frequencies: formulas in dB of f in GHz, one of them or both."""

    start: Frequency
    stop: Frequency
    at_least: Annotated[str, Field(max_length=300)] = ""
    at_most: Annotated[str, Field(max_length=300)] = ""

    @model_validator(mode="after")
    def _readable(self) -> LimitPiece:
        if not self.stop.si > self.start.si:
            raise ValueError("a limit must end above where it starts")
        if not (self.at_least.strip() or self.at_most.strip()):
            raise ValueError("a limit needs a formula")
        for text in (self.at_least, self.at_most):
            if text.strip():
                try:
                    read_formula(text)
                except InputError as error:
                    raise ValueError(str(error)) from error
        return self


class Requirement(Frozen):
    """A limit on one measured quantity of one object, with where it comes from."""

    id: Identifier
    kind: str
    subject: Identifier
    layer: Identifier | None = None
    receiver: Identifier | None = None
    measure: str
    at_least: Quantity | None = None
    at_most: Quantity | None = None
    ranges: Annotated[tuple[LimitPiece, ...], Field(max_length=60)] = ()
    source: Text = ""

    @model_validator(mode="before")
    @classmethod
    def _read_limits(cls, data: Any) -> Any:
        """Limits are quantities of whatever the measure is a measure of."""
        if not _names_a_measure(data):
            return data
        known = MEASURES.get(data["measure"])
        if known is None:
            raise ValueError(f"there is no measure {data['measure']!r}")
        dimension = known.dimension
        read: dict[str, Any] = {
            name: read_quantity(data[name], dimension)
            for name in ("at_least", "at_most")
            if data.get(name) is not None
        }
        if isinstance(data.get("ranges"), list):
            # What is read here already is plain Python, where a list is no tuple.
            read["ranges"] = tuple(data["ranges"])
        return data | read

    @model_validator(mode="after")
    def _some_limit(self) -> Requirement:
        known = MEASURES[self.measure]
        if known.kind != self.kind:
            raise ValueError(
                f"requirement {self.id}: {self.measure} is no measure of a {self.kind}"
            )
        if self.ranges and not known.curve:
            raise ValueError(f"requirement {self.id}: {self.measure} is no curve")
        if self.at_least is None and self.at_most is None and not self.ranges:
            raise ValueError(f"requirement {self.id} has no limit")
        if self.at_least and self.at_most and self.at_least.si >= self.at_most.si:
            raise ValueError(f"requirement {self.id}: its limits leave no room")
        return self

    @property
    def ref(self) -> Ref:
        """The object that it is about."""
        return Ref(self.kind, self.subject)


def _names_a_measure(data: Any) -> bool:
    return isinstance(data, dict) and isinstance(data.get("measure"), str)
