"""Paths: a net from its driver to its receivers, as a ribbon of elements with branches."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, Literal

from pydantic import Field, StringConstraints, field_validator, model_validator

from onda.project.base import MANY, Frozen, Identifier, Name, check_unique, default_of
from onda.project.paths.elements import Branch, Element, PathElement
from onda.project.paths.ends import RECEIVER, Driver, ModelUse, Receiver, Termination
from onda.project.quantities import DataRate, Frequency, Quantity, Ratio, Time, quantity

__all__ = ["Path", "Stimulus", "limit_points"]


class Stimulus(Frozen):
    """What the driver sends; `window` is how long is looked at.

    edge; pulse: `width` long; clock: `frequency`, `duty`; bits: `bits` at `rate`; pattern: pseudo-
    random bits. `jitter`: each edge is moved by up to this much, drawn once. `falling`: the first
    edge goes down.
    """

    kind: Literal["edge", "pulse", "clock", "bits", "pattern"]
    window: Time
    frequency: Frequency | None = None
    duty: Ratio = default_of("50 %", "ratio")
    rate: DataRate | None = None
    bits: Annotated[str, StringConstraints(pattern=r"^[01]{0,4096}$")] = ""
    width: Time | None = None
    jitter: Time | None = None
    falling: bool = False

    @model_validator(mode="after")
    def _complete(self) -> Stimulus:
        if self.kind == "clock" and self.frequency is None:
            raise ValueError("a clock needs a frequency")
        if self.kind in ("bits", "pattern") and self.rate is None:
            raise ValueError(f"{self.kind} need a data rate")
        if self.kind == "bits" and not self.bits:
            raise ValueError("type the bits to send, as in 0110")
        if self.kind == "pulse" and self.width is None:
            raise ValueError("a pulse needs a width")
        if not 0.01 <= self.duty.si <= 0.99:
            raise ValueError("duty must lie between 1 % and 99 %")
        return self


class Path(Frozen):
    """A net from driver to receivers.

    `corner`: at which its devices are run. `driving`: the receiver that drives instead of the
    driver, which then listens; empty for the driver. `line_tolerance`: of the impedance of its
    lines, for corners.
    """

    id: Identifier
    name: Name
    net: Name
    lane: Literal["single", "pair"]
    driver: Driver
    elements: Annotated[tuple[PathElement, ...], Field(min_length=1, max_length=MANY)]
    termination: Termination
    receiver: Receiver
    stimulus: Stimulus
    corner: Literal["typ", "slow", "fast"] = "typ"
    driving: Annotated[str, StringConstraints(max_length=64)] = ""
    line_tolerance: Ratio = default_of("10 %", "ratio")
    current_limit: Annotated[str, StringConstraints(max_length=400)] = ""

    @field_validator("current_limit")
    @classmethod
    def _pairs(cls, value: str) -> str:
        limit_points(value)
        return value

    @model_validator(mode="after")
    def _complete(self) -> Path:
        every = list(self.all_elements)
        check_unique("element", (e.id for e in every))
        if any(e.id in (RECEIVER, "driver") for e in every):
            raise ValueError("an element cannot be called driver or receiver")
        if not any(e.is_line for e in every):
            raise ValueError("a path needs at least one piece of line")
        if self.driving and self.driving not in self.receivers:
            raise ValueError(f"there is no receiver {self.driving!r} to drive from")
        return self

    @property
    def all_elements(self) -> Iterator[Element]:
        """Every element, those of branches after the branch they are in."""
        yield from _walk(self.elements)

    @property
    def receivers(self) -> dict[str, Receiver]:
        """Receivers by id: those of branches in order, then the one at the end of the ribbon."""
        found = {e.id: e.receiver for e in self.all_elements if isinstance(e, Branch)}
        return found | {RECEIVER: self.receiver}

    @property
    def rail(self) -> Quantity:
        """The voltage that terminations of it usually go to."""
        level = quantity(0.0, "voltage") if self.lane == "pair" else self.driver.high
        return self.termination.rail or level

    def end(self, identifier: str) -> Driver | Receiver:
        """What is at an end: "driver", or the id of a receiver; `KeyError` where there is none."""
        return self.driver if identifier == "driver" else self.receivers[identifier]

    @property
    def models(self) -> list[ModelUse]:
        """Every use of a device model."""
        uses = [self.driver.model, *(r.model for r in self.receivers.values())]
        return [use for use in uses if use is not None]

    @property
    def limit_points(self) -> list[tuple[float, float]]:
        """Corners (Hz, dBuA) of the limit of the driver's current."""
        return limit_points(self.current_limit)

    def element(self, identifier: str) -> Element | None:
        """The element of that id, wherever it is."""
        return next((e for e in self.all_elements if e.id == identifier), None)


def limit_points(text: str) -> list[tuple[float, float]]:
    """Corners (Hz, dBuA) of ``MHz level; MHz level``; raise `ValueError` where it is not that."""
    out: list[tuple[float, float]] = []
    for part in filter(None, (p.strip() for p in text.split(";"))):
        words = part.split()
        try:
            frequency, level = (float(w) for w in words)
        except ValueError:
            raise ValueError(f"{part!r} is not a frequency and a level, as in 100 70") from None
        if not (0.0 < frequency < 1e7 and abs(level) < 400.0):
            raise ValueError(f"{part!r}: MHz above 0, and dBuA within 400")
        if out and frequency * 1e6 <= out[-1][0]:
            raise ValueError("frequencies must rise")
        out.append((frequency * 1e6, level))
    if len(out) == 1:
        raise ValueError("a limit needs two corners at least")
    return out


def _walk(elements: tuple[Element, ...]) -> Iterator[Element]:
    for element in elements:
        yield element
        yield from _walk(element.parts)
