"""Everything that Onda raises on purpose.

OndaError
 |- InputError      something that was typed or read is wrong (file, line, column, remedy)
 |- NotPhysical     a quantity lies outside what can exist (quantity, value, allowed)
 |- NotConverged    a method ended short of its aim (what was reached)
 |- TooLarge        a run would take more memory than it may (needed, allowed, remedy)
 |- OutOfReach      a target cannot be met (nearest value, the limit that stops it)
 |- Cancelled       the user stopped the run
"""

from __future__ import annotations

__all__ = [
    "Cancelled",
    "InputError",
    "NotConverged",
    "NotPhysical",
    "OndaError",
    "OutOfReach",
    "TooLarge",
]


class OndaError(Exception):
    """Base of all errors that are meant for the user."""

    def __reduce__(self) -> tuple[object, ...]:
        # Errors come back from other processes as they were, whatever they are made from.
        return _as_it_was, (type(self), self.args, self.__dict__)


def _as_it_was(
    kind: type[OndaError], args: tuple[object, ...], state: dict[str, object]
) -> OndaError:
    error = kind.__new__(kind, *args)
    error.__dict__.update(state)
    return error


class InputError(OndaError):
    """What was typed or read is wrong; says where and what to do about it."""

    def __init__(
        self,
        what: str,
        *,
        file: str | None = None,
        line: int | None = None,
        column: int | None = None,
        where: str | None = None,
        remedy: str | None = None,
    ) -> None:
        self.what = what
        self.file = file
        self.line = line
        self.column = column
        self.where = where
        self.remedy = remedy
        super().__init__(self._message())

    def _message(self) -> str:
        place = ""
        if self.file is not None:
            place = self.file
            if self.line is not None:
                place += f", line {self.line}"
                if self.column is not None:
                    place += f", column {self.column}"
            place += ": "
        if self.where is not None:
            place += f"{self.where}: "
        text = place + self.what
        return f"{text}. {self.remedy}" if self.remedy else text


class NotPhysical(OndaError):
    """A quantity lies outside the range in which it can exist."""

    def __init__(self, quantity: str, value: object, allowed: str) -> None:
        self.quantity = quantity
        self.value = value
        self.allowed = allowed
        super().__init__(f"{quantity}: must be {allowed}, got {value}")


class NotConverged(OndaError):
    """A numerical method ended short of its aim."""

    def __init__(self, what: str, *, reached: float, wanted: float) -> None:
        self.reached = reached
        self.wanted = wanted
        super().__init__(f"{what}: reached {reached:.3g}, wanted {wanted:.3g}")


class TooLarge(OndaError):
    """A run would take more memory than it may; told before it starts."""

    def __init__(self, what: str, *, needed: float, allowed: float, remedy: str) -> None:
        self.needed = needed
        self.allowed = allowed
        self.remedy = remedy
        super().__init__(
            f"{what} would take {needed / 1e9:,.3g} GB of memory, allowed are "
            f"{allowed / 1e9:.3g} GB. {remedy}"
        )


class OutOfReach(OndaError):
    """A target cannot be met inside the limits; carries the nearest that can."""

    def __init__(self, what: str, *, nearest: float, at: float, limit: str) -> None:
        self.nearest = nearest
        self.at = at
        self.limit = limit
        super().__init__(what)


class Cancelled(OndaError):
    """The user stopped the run."""

    def __init__(self, what: str = "run cancelled") -> None:
        super().__init__(what)
