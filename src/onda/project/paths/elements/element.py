"""What an element of a path is, what can be offered to a path, and the table of kinds."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Protocol

from pydantic import BeforeValidator, SerializeAsAny

from onda.project.base import Frozen, Identifier, set_value, tupled
from onda.project.kind import Mention, Objects
from onda.project.paths.ends import Receiver, Termination
from onda.project.quantities import Quantity

__all__ = ["ELEMENTS", "Element", "Net", "Offer", "PathElement", "register", "termination_of"]


class Element(Frozen):
    """Something along a path. Kinds are its subclasses, each in a module of its own.

    Attributes
    ----------
    is_line : it is a piece of line, of which a path needs one
    main : field with the quantity that sweeps and ``onda path --set`` change, empty for none
    """

    kind: str
    id: Identifier
    is_line: ClassVar[bool] = False
    main: ClassVar[str] = ""

    @property
    def parts(self) -> tuple[Element, ...]:
        """Elements on it."""
        return ()

    @property
    def main_quantity(self) -> Quantity | None:
        """The quantity that sweeps change."""
        return getattr(self, self.main) if self.main else None

    def with_main(self, value: Quantity) -> Element:
        """A copy with another main quantity."""
        return set_value(self, **{self.main: value})

    def refers(self) -> Iterable[Mention]:
        """What it refers to."""
        return ()

    @property
    def brief(self) -> tuple[str, str]:
        """What it is called and its main value, in a few letters."""
        return self.id, self.kind

    def problem(self, objects: Objects, lane: str) -> str:
        """Why it does not fit the design, or nothing."""
        return ""


class Net(Protocol):
    """What an offer may know of the path that it is made for."""

    @property
    def lane(self) -> str:
        """Whether it is a pair."""

    @property
    def receiver(self) -> Receiver:
        """What listens at its end."""

    @property
    def rail(self) -> Quantity:
        """Where terminations go to."""

    @property
    def all_elements(self) -> Iterator[Any]:
        """Every element."""


@dataclass(frozen=True, slots=True)
class Offer:
    """Something that can be inserted: its key, what it is called, the letter of its ids.

    `make(name, net, objects)` makes one with usual values; raises `InputError` where what it needs
    is not there yet. `like` kinds take over the values of the nearest of their kind.
    """

    key: str
    title: str
    letter: str
    make: Callable[[str, Net, Objects], Element]
    like: str = ""


ELEMENTS: dict[str, type[Element]] = {}
"""Kinds of elements by their word in the file."""


def register(model: type[Element]) -> type[Element]:
    """Put a kind into the table, by the default of its `kind`."""
    ELEMENTS[str(model.model_fields["kind"].default)] = model
    return model


def _by_kind(value: Any) -> Any:
    """Read an element as its kind says."""
    if isinstance(value, Element):
        return value
    if not isinstance(value, dict):
        raise ValueError("an element is an object with a kind")
    kind = value.get("kind")
    model = ELEMENTS.get(kind) if isinstance(kind, str) else None
    if model is None:
        raise ValueError(f"there is no element of kind {kind!r}: one of {', '.join(ELEMENTS)}")
    return model.model_validate(tupled(value))


PathElement = Annotated[SerializeAsAny[Element], BeforeValidator(_by_kind)]


def termination_of(element: object) -> Termination | None:
    """The termination that an element carries, None where it is of another kind."""
    found = getattr(element, "termination", None)
    return found if isinstance(found, Termination) else None
