"""What all parts of the project's tree share."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Container, Iterable
from typing import Annotated, Any, Protocol, TypeVar

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, ValidationError

from onda.errors import InputError
from onda.project.quantities import parse_quantity

__all__ = [
    "MANY",
    "Frozen",
    "Identifier",
    "Name",
    "Text",
    "as_input_error",
    "check_unique",
    "default_of",
    "find",
    "fresh_id",
    "made",
    "set_value",
    "tupled",
]

Identifier = Annotated[
    str, StringConstraints(pattern=r"^[\w.\-+()]([\w.\-+() ]{0,62}[\w.\-+()])?$")
]
"""Letters of any script; blanks inside, since layers go by the names that their files give them."""
Name = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]
Text = Annotated[str, StringConstraints(max_length=2000)]
MANY = 5000
"""Items of one kind that a project may hold."""


class Frozen(BaseModel):
    """Base of all parts of the tree."""

    model_config = ConfigDict(
        frozen=True,
        extra="forbid",
        allow_inf_nan=False,
        arbitrary_types_allowed=True,
        strict=True,
        defer_build=True,
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


_Part = TypeVar("_Part", bound=BaseModel)


def set_value(part: _Part, **changes: Any) -> _Part:
    """A copy of a part with changed fields, validated as if it had been read from a file.

    Raises
    ------
    InputError : the part does not hold together with them
    """
    fields = {name: getattr(part, name) for name in type(part).model_fields}
    fields |= part.model_extra or {}
    try:
        return type(part).model_validate(fields | changes)
    except ValidationError as error:
        raise as_input_error(error) from error


def made(kind: type[_Part], **values: Any) -> _Part:
    """A new part; raise `InputError` with the first thing that does not fit."""
    try:
        return kind(**values)
    except ValidationError as error:
        raise as_input_error(error) from error


def as_input_error(error: ValidationError) -> InputError:
    """The first thing that is wrong, with its place."""
    first = error.errors(include_url=False, include_input=False)[0]
    where = ".".join(str(p) for p in first["loc"]) or None
    return InputError(str(first["msg"]).removeprefix("Value error, "), where=where)


def tupled(value: Any) -> Any:
    """JSON's lists as tuples, which frozen models hold; dictionaries are gone through."""
    if isinstance(value, list):
        return tuple(tupled(v) for v in value)
    if isinstance(value, dict):
        return {key: tupled(v) for key, v in value.items()}
    return value


def fresh_id(
    name: str, taken: Container[str], default: str = "item", *, spaced: bool = False
) -> str:
    """A name as an id that is not taken yet; `spaced` keeps its blanks and brackets."""
    other = r"[^\w\-+() ]+" if spaced else r"[^\w\-]+"
    # Fractions, raised and circled numbers are words to Python and none in an id.
    said = "".join("-" if unicodedata.category(c) == "No" else c for c in name)
    plain = re.sub(other, "-", said).strip("- ")[:40].strip() or default
    if plain not in taken:
        return plain
    return next(n for k in range(2, 10_000) if (n := f"{plain}-{k}") not in taken)
