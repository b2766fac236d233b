"""Results of kept states, in the order in which they were kept, with the names that they go by."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Generic, TypeVar

__all__ = ["Kept", "column_words"]

ResultT = TypeVar("ResultT")


@dataclass(frozen=True, slots=True)
class Kept(Generic[ResultT]):
    """A result of a kept state; `number` counts the states that are shown, from 1."""

    number: int
    name: str
    result: ResultT

    def called(self, what: str = "") -> str:
        """The name of a curve of it, with what it is where that is not plain."""
        return f"{self.name}: {what}" if what else self.name


def column_words(kept: Kept[ResultT] | None, otherwise: str = "") -> str:
    """What stands above two columns of numbers: now, and the kept state by its name."""
    return f"now · {kept.name}" if kept is not None else otherwise
