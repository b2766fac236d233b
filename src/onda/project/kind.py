"""What a kind of object is: where it stands in the design, and what it refers to."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from operator import attrgetter
from typing import Any, NamedTuple, Protocol

from onda.project.base import Frozen
from onda.project.build.stackup import Stackup

__all__ = ["Kind", "Mention", "Objects", "Ref"]


class Ref(NamedTuple):
    """An object by its kind and id."""

    kind: str
    id: str


class Mention(NamedTuple):
    """A reference from within an object; `part` says where in it, as in ``piece T1``."""

    kind: str
    id: str
    part: str = ""

    @property
    def ref(self) -> Ref:
        """What is referred to."""
        return Ref(self.kind, self.id)


class Objects(Protocol):
    """The objects of a design by kind and id."""

    @property
    def stackup(self) -> Stackup:
        """The build."""

    def get(self, kind: str, identifier: str) -> Any:
        """The object, None where there is none."""

    def all(self, kind: str) -> tuple[Any, ...]:
        """Every object of a kind."""


def _nothing(_: Any) -> Iterable[Mention]:
    return ()


def _no_check(_: Any, __: Objects) -> None:
    return None


def _no_places(_: Any) -> Iterable[tuple[str, str]]:
    return ()


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of object.

    Attributes
    ----------
    key : as references and requirements name it; title : in plain words
    field : of the design that lists its objects
    model : what they are
    refers : what an object refers to; needs : kinds that it can refer to
    check : raises `ValueError` where an object does not fit the rest of the design
    space : kinds of one space share their ids
    place : field of a requirement that says where in an object it holds ("layer", "receiver")
    places : (id, words) of these places in an object, empty id for all of them
    listed : whether its objects are a list of their own that edits can change
    """

    key: str
    title: str
    field: str
    model: type[Frozen]
    refers: Callable[[Any], Iterable[Mention]] = _nothing
    needs: tuple[str, ...] = ()
    check: Callable[[Any, Objects], None] = _no_check
    space: str = ""
    place: str = ""
    places: Callable[[Any], Iterable[tuple[str, str]]] = _no_places
    listed: bool = True

    def items(self, design: object) -> tuple[Any, ...]:
        """Its objects in a design."""
        try:
            return tuple(attrgetter(self.field)(design))
        except AttributeError:
            # A kind that came later: an older design has none of it.
            return ()
