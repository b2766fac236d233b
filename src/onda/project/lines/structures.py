"""The structures that a line class can be, one entry each: how many lines, and what they are to
each other. Checks, edits, lists, pages and studies read it here."""

from __future__ import annotations

from dataclasses import dataclass

from onda.errors import InputError

__all__ = ["STRUCTURES", "Structure", "structure"]


@dataclass(frozen=True, slots=True)
class Structure:
    """A number of equal lines on one layer.

    Attributes
    ----------
    counts : numbers of lines that are offered, the usual one first
    fewest, most : what a class may have
    words, offered, mark : on the page, in the choice, in the list; ``{n}`` is the number of lines
    differential : the target is that between two lines; else of the middle one, the others at 0 V
    may_face : the lines may also lie on two layers, one above the other
    one_line : it is one transmission line to the stages that join lines
    """

    key: str
    counts: tuple[int, ...]
    fewest: int
    most: int
    words: str
    offered: str
    mark: str = ""
    differential: bool = False
    may_face: bool = False
    one_line: bool = True

    @property
    def several(self) -> bool:
        """Whether its lines need a gap."""
        return self.fewest > 1

    def spelled(self, count: int) -> str:
        """As a choice is written: the key, with the number where there are several."""
        return self.key if self.fewest == self.most else f"{self.key} {count}"


STRUCTURES: dict[str, Structure] = {
    s.key: s
    for s in (
        Structure("single", (1,), 1, 1, "single line", "single line"),
        Structure(
            "pair",
            (2,),
            2,
            2,
            "edge-coupled pair",
            "pair, side by side",
            mark=" diff",
            differential=True,
            may_face=True,
        ),
        Structure(
            "group",
            (3, 4, 5, 6, 8),
            2,
            16,
            "group of {n} lines",
            "group of {n}",
            mark=" ×{n}",
            one_line=False,
        ),
    )
}


def structure(key: str) -> Structure:
    """The entry of a structure; raise `InputError` where there is none."""
    found = STRUCTURES.get(key)
    if found is None:
        raise InputError(
            f"unknown structure {key!r}", remedy=f"One of {', '.join(sorted(STRUCTURES))}."
        )
    return found
