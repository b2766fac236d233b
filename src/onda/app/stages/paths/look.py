"""How a kind of element looks: its words, its fields and lists, its chip, what of it is swept."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from onda.app.shell.choices import ChoiceSpec
from onda.app.shell.form import FieldSpec
from onda.project.base import set_value
from onda.project.model import Design
from onda.project.paths.edits import change_element
from onda.project.paths.path import Path
from onda.project.quantities import Quantity

__all__ = ["ElementLook", "FieldRow", "Hand", "Put", "Sweepable", "Trim"]

Put = Callable[[str, Path], None]
"""Make a changed path the present one, under a label."""
Trim = tuple[float, float, float]


@dataclass(frozen=True, slots=True)
class Sweepable:
    """Something that can be swept: id of the element, shown name, dimension, usual range, now."""

    id: str
    name: str
    dimension: str
    low: float
    high: float
    now: float


@dataclass(frozen=True, slots=True)
class FieldRow:
    """A field of an element: title, dimension, name of the value, range of its trim."""

    title: str
    dimension: str
    key: str
    trim: Trim | None = None


@dataclass(frozen=True, slots=True)
class Hand:
    """What the fields and lists of an element need: the path and how it is changed.

    `z` is the impedance of the line in ohm, `kept` the same path in kept states.
    """

    path: Callable[[], Path]
    element: Any
    design: Design
    put: Put
    z: float = 50.0
    kept: tuple[Path, ...] = ()

    def change(self, **values: Any) -> None:
        """Change values of the element."""
        new = set_value(self.element, **values)
        self.put(f"Change {self.element.id}", change_element(self.path(), new))


def _no_choices(_: Hand) -> list[ChoiceSpec]:
    return []


def _own_trim(_: Any, row: FieldRow) -> Trim | None:
    return row.trim


@dataclass(frozen=True, slots=True)
class ElementLook:
    """How a kind looks.

    Attributes
    ----------
    title, where : words in the inspector; may hold ``{id}``, ``{net}`` and fields of the element
    rows : its fields; trim : range of a field where it follows the value; hides : fields that do
        not apply now; fields : all of them where they are not its own
    choices : its lists
    chip : its words on the ribbon
    sweep : what of it can be swept, for a line of an impedance
    color : of the theme, for a piece that has one of its own; below : its word below the ribbon
    """

    title: str
    where: str
    rows: tuple[FieldRow, ...] = ()
    trim: Callable[[Any, FieldRow], Trim | None] = _own_trim
    hides: Callable[[Any, str], bool] = lambda _, __: False
    fields: Callable[[Hand], list[FieldSpec]] | None = None
    choices: Callable[[Hand], list[ChoiceSpec]] = _no_choices
    chip: Callable[[Any], str] = lambda _: ""
    sweep: Callable[[Any, float], Sweepable | None] = lambda _, __: None
    color: str = ""
    below: str = ""

    def words(self, path: Path, element: Any) -> tuple[str, str]:
        """Title and remark of an element."""
        role = getattr(element, "role", "").capitalize()
        title = f"{self.title.format(role=role)} {element.id}"
        return title, self.where.format(id=element.id, net=path.net)

    def specs(self, hand: Hand) -> list[FieldSpec]:
        """Fields of an element."""
        if self.fields is not None:
            return self.fields(hand)
        return [
            _spec(hand, row, self.trim(hand.element, row))
            for row in self.rows
            if getattr(hand.element, row.key, None) is not None
            and not self.hides(hand.element, row.key)
        ]


def _spec(hand: Hand, row: FieldRow, trim: Trim | None) -> FieldSpec:
    identifier, key = hand.element.id, row.key

    def get() -> Quantity | None:
        return getattr(hand.path().element(identifier), key, None)

    def change(q: Quantity) -> None:
        now = hand.path().element(identifier)
        assert now is not None
        new = set_value(now, **{key: q})
        hand.put(f"Change {identifier}", change_element(hand.path(), new))

    def kept_values() -> list[float]:
        found = (getattr(p.element(identifier), key, None) for p in hand.kept)
        return [q.si for q in found if q is not None]

    return FieldSpec(row.title, row.dimension, get, change, trim, kept=kept_values)
