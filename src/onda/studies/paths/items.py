"""A path as a study sees it: its items in order, SI, and what is at its ends.

Every kind of element has its own item in `elements`; what is asked of all of them is here.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import ClassVar

from onda.errors import InputError
from onda.studies.paths.ends import EndInputs
from onda.studies.paths.layout import Layout, Place

__all__ = [
    "Item",
    "PathInputs",
    "StimulusInputs",
    "every_item",
    "with_ends",
    "with_items",
    "without_devices",
]


@dataclass(frozen=True, slots=True)
class Item:
    """Something along a path.

    Attributes
    ----------
    is_line : it is a piece of line
    ahead : series resistance that it adds ahead of the first piece, None where it ends that stretch
    """

    id: str
    is_line: ClassVar[bool] = False

    def lay(self, layout: Layout, place: Place) -> Place:
        """Lay it into the net from a place on; return where it ends."""
        raise NotImplementedError

    def doubts(self) -> tuple[str, ...]:
        """What is wrong with the data that it is made from, in words."""
        return ()

    @property
    def parts(self) -> tuple[Item, ...]:
        """Items on it."""
        return ()

    def with_parts(self, parts: tuple[Item, ...]) -> Item:
        """The same with other items on it."""
        return self

    @property
    def end(self) -> EndInputs | None:
        """The device that it ends in, where it does."""
        return None

    def with_end(self, end: EndInputs) -> Item:
        """The same with another device."""
        return self

    def with_value(self, value: float) -> Item:
        """The same with another main quantity; raise `InputError` where it has none."""
        raise InputError("has no value to sweep", where=self.id)

    def at_tolerance(self, sign: int) -> Item:
        """The same with its resistors at an end of their tolerance."""
        return self

    def as_linear(self) -> Item:
        """The same without devices, for what only linear nets can do."""
        return self

    @property
    def ahead(self) -> float | None:
        """Ohm in series ahead of the first piece of line."""
        return None

    @property
    def removal(self) -> str:
        """In words what would be missing without it, empty where it is part of the line."""
        return ""


@dataclass(frozen=True, slots=True)
class StimulusInputs:
    """What is sent, SI."""

    kind: str
    frequency: float | None = None
    duty: float = 0.5
    rate: float | None = None
    bits: str = ""
    width: float | None = None
    jitter: float = 0.0
    falling: bool = False


@dataclass(frozen=True, slots=True)
class PathInputs:
    """Everything a path's waveforms depend on, SI. `fine` False asks for a quick first look.

    `line_factor` multiplies the impedance of all lines (for corners); `driving` is the receiver
    that drives, empty for the driver. The values of the driver are in its linear fields. `even`
    takes the even mode of pairs in the place of the differential one, on the same scale.
    """

    items: tuple[Item, ...]
    driver: EndInputs
    driver_resistance: float
    low: float
    high: float
    edge: float
    end: EndInputs
    stimulus: StimulusInputs
    window: float
    pair: bool
    driving: str = ""
    line_factor: float = 1.0
    fine: bool = True
    even: bool = False

    @property
    def frequency(self) -> float | None:
        """Of the clock, None where there is none."""
        return self.stimulus.frequency if self.stimulus.kind == "clock" else None

    @property
    def every_item(self) -> Iterator[Item]:
        """Items with those of branches behind the branch they are in."""
        return every_item(self.items)


def every_item(items: tuple[Item, ...]) -> Iterator[Item]:
    """Items with those of branches behind the branch they are in."""
    for item in items:
        yield item
        yield from every_item(item.parts)


def with_items(inputs: PathInputs, change: Callable[[Item], Item | None]) -> PathInputs:
    """The same path with `change(item)` in the place of every item (None takes it out)."""

    def changed(items: tuple[Item, ...]) -> tuple[Item, ...]:
        out = []
        for item in items:
            new = change(item)
            if new is not None:
                out.append(new.with_parts(changed(new.parts)) if new.parts else new)
        return tuple(out)

    return replace(inputs, items=changed(inputs.items))


def with_ends(inputs: PathInputs, change: Callable[[EndInputs], EndInputs]) -> PathInputs:
    """The same path with `change(end)` in the place of every receiver."""

    def changed(item: Item) -> Item:
        return item if item.end is None else item.with_end(change(item.end))

    return replace(with_items(inputs, changed), end=change(inputs.end))


def without_devices(inputs: PathInputs) -> PathInputs:
    """The path with linear values in the place of its buffers, for what only linear nets can do.

    Raises
    ------
    InputError : diodes end the line somewhere
    """

    def linear(old: EndInputs) -> EndInputs:
        if old.termination.kind == "diode":
            raise InputError(
                "diodes are not linear", where=old.name, remedy="Choose another termination there."
            )
        return replace(old, linear=True)

    plain = with_items(with_ends(inputs, linear), lambda item: item.as_linear())
    return replace(plain, driver=linear(plain.driver))
