"""What is needed to cut a slice out of a design for the elements of a path."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from onda.project.model import Design
from onda.project.paths.elements import Element
from onda.project.paths.ends import Receiver, Termination
from onda.studies.devices.use import device_use
from onda.studies.paths.ends import EndInputs, TermInputs
from onda.studies.paths.items import Item

__all__ = ["Slice", "Slices", "si", "term_of"]


def si(value: object) -> float | None:
    """SI value of a quantity, where there is one."""
    return None if value is None else float(value.si)  # type: ignore[attr-defined]


def term_of(t: Termination) -> TermInputs:
    """Slice of a termination."""
    return TermInputs(t.kind, si(t.r), si(t.r_low), si(t.c), si(t.rail) or 0.0, t.tolerance.si)


@dataclass(frozen=True, slots=True)
class Slice:
    """A design, the corner's column in device files, and whether the path is a pair.

    `slices` is the table of how each kind of element is cut.
    """

    design: Design
    column: str
    pair: bool
    slices: Slices

    def items(self, elements: tuple[Element, ...]) -> tuple[Item, ...]:
        """Slices of elements."""
        return tuple(self.slices[type(e)](e, self) for e in elements)

    def end(self, identifier: str, receiver: Receiver, term: Termination) -> EndInputs:
        """Slice of a receiver with its termination."""
        whole = receiver.stands_in == "device"
        return EndInputs(
            identifier,
            receiver.name,
            0.0 if receiver.stands_in == "probe" else receiver.capacitance.si,
            si(receiver.resistance) if whole else None,
            device_use(self.design, receiver.model, self.column) if whole else None,
            receiver.stands_in,
            term_of(term),
        )


Slices = Mapping[type[Element], Callable[[Any, Slice], Item]]
