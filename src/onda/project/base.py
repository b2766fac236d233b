"""What all parts of the project's tree share."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any, Protocol, TypeVar

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from onda.project.quantities import parse_quantity

__all__ = ["MANY", "Frozen", "Identifier", "Name", "Text", "check_unique", "default_of", "find"]

Identifier = Annotated[str, StringConstraints(pattern=r"^[A-Za-z0-9_.\-]{1,64}$")]
Name = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]
Text = Annotated[str, StringConstraints(max_length=2000)]
MANY = 500
"""Items of one kind that a project may hold."""


class Frozen(BaseModel):
    """Base of all parts of the tree."""

    model_config = ConfigDict(
        frozen=True, extra="forbid", allow_inf_nan=False, arbitrary_types_allowed=True, strict=True
    )


class _Named(Protocol):
    @property
    def id(self) -> str: ...


_Item = TypeVar("_Item", bound=_Named)


def check_unique(label: str, ids: Iterable[str]) -> None:
    """Raise `ValueError` where an id is there twice."""
    seen: set[str] = set()
    for identifier in ids:
        if identifier in seen:
            raise ValueError(f"{label} {identifier!r} is there twice")
        seen.add(identifier)


def find(items: tuple[_Item, ...], identifier: str) -> _Item:
    """The item of that id; raise `KeyError` where there is none."""
    for item in items:
        if item.id == identifier:
            return item
    raise KeyError(identifier)


def default_of(text: str, dimension: str) -> Any:
    """A field whose default is a quantity as typed."""
    return Field(default_factory=lambda: parse_quantity(text, dimension))
