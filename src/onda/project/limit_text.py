"""Limits as typed: ``0.3 V``, ``>= 0.1 V``, ``10 – 20 ps``, and ranges of frequencies."""

from __future__ import annotations

import re

from onda.errors import InputError
from onda.project.measures import measure as measure_of
from onda.project.quantities import DIMENSIONS, Quantity, parse_quantity
from onda.project.requirements import LimitPiece

__all__ = ["limits_of", "range_of", "range_text", "read_limits", "read_span", "said_side"]

_RANGE = re.compile(r"(?P<start>[^:]+?)\s*(?:–|\.\.+| to )\s*(?P<stop>[^:]+):(?P<rest>.+)", re.S)


def limits_of(
    measure: str, typed: str, unit: str | None = None
) -> tuple[Quantity | None, Quantity | None]:
    """At least and at most, from text.

    A number without a unit takes that of the other end, else `unit`, else the usual one.

    Raises
    ------
    InputError : the text is no limit of that measure
    """
    dimension = measure_of(measure).dimension
    text = typed.replace("≤", "<=").replace("≥", ">=").replace("−", "-").strip()
    parts = [p.strip(" <>=") for p in re.split(r"–|\.\.+| to ", text)]
    if len(parts) > 2:
        raise InputError(f"{typed.strip()[:40]!r} is no limit", remedy="As in 0.3 V, or >= 0.1 V.")
    last = parse_quantity(parts[-1], dimension, unit or DIMENSIONS[dimension].shown)
    if len(parts) == 2:
        return parse_quantity(parts[0], dimension, last.unit), last
    return (last, None) if said_side(text) == "at_least" else (None, last)


def said_side(typed: str) -> str:
    """The side that a limit's sign says, at_least or at_most; "" where it has none."""
    return {">": "at_least", "≥": "at_least", "<": "at_most", "≤": "at_most"}.get(
        typed.strip()[:1], ""
    )


def read_limits(
    measure: str, at_least: str, at_most: str
) -> tuple[Quantity | None, Quantity | None]:
    """Limits from two texts, empty where there is none."""
    dimension = measure_of(measure).dimension
    shown = DIMENSIONS[dimension].shown
    low, high = (
        parse_quantity(t, dimension, shown) if t.strip() else None for t in (at_least, at_most)
    )
    return low, high


def read_span(typed: str, dimension: str, unit: str) -> tuple[Quantity | None, Quantity]:
    """Both ends of ``380 to 460 ps``; the first is None where there is one value alone.

    The first end takes the unit of the second where it has none.
    """
    start, mark, stop = typed.replace("–", " to ").replace("..", " to ").partition(" to ")
    if not mark:
        return None, parse_quantity(typed.strip(), dimension, unit)
    last = parse_quantity(stop.strip(), dimension, unit)
    return parse_quantity(start.strip(), dimension, last.unit), last


def range_of(typed: str) -> LimitPiece | None:
    """A range: ``50 MHz to 4 GHz: <= -12 + 2*f``; None from nothing."""
    if not typed.strip():
        return None
    text = typed.replace("≤", "<=").replace("≥", ">=").replace("−", "-")
    found = _RANGE.fullmatch(text.strip())
    remedy = "As in 50 MHz to 4 GHz: <= -12 + 2*f, f in GHz."
    if found is None:
        raise InputError(f"{typed.strip()[:40]!r} is no range with a limit", remedy=remedy)
    rest = found["rest"].strip()
    stop = parse_quantity(found["stop"].strip(), "frequency", "GHz")
    unit = stop.unit
    start = parse_quantity(found["start"].strip(), "frequency", unit)
    if not rest.startswith(("<", ">")):
        raise InputError(f"{rest[:40]!r} does not say on which side it limits", remedy=remedy)
    key = "at_least" if rest.startswith(">") else "at_most"
    try:
        return LimitPiece.model_validate(
            {"start": start, "stop": stop, key: rest.lstrip("<>= ").strip()}
        )
    except ValueError as error:
        message = str(error).split("Value error, ")[-1].split(" [type")[0]
        raise InputError(message, remedy=remedy) from error


def range_text(piece: LimitPiece) -> str:
    """A range as `range_of` reads it."""
    sign, formula = (">=", piece.at_least) if piece.at_least.strip() else ("<=", piece.at_most)
    return f"{piece.start.text} to {piece.stop.text}: {sign} {formula.strip()}"
