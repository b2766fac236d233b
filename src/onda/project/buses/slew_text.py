"""Tables of slews as rows of text: strobe slews across, data slews down, V/ns; added ps."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from onda.errors import InputError
from onda.project.buses.bus import SlewTable

__all__ = ["CORNER", "rows_of", "table_of", "table_pasted"]

CORNER = "V/ns"
_SLEW, _TIME = 1e9, 1e-12
_MOST = 41
"""Rows and columns with their heads."""


def _text(value: float) -> str:
    return f"{value:.10g}"


def rows_of(table: SlewTable) -> list[list[str]]:
    """Its rows, the first one with strobe slews behind a corner, each other one from its data
    slew on."""
    head = [CORNER, *(_text(x / _SLEW) for x in table.strobe_slew)]
    return [
        head,
        *(
            [_text(slew / _SLEW), *(_text(x / _TIME) for x in row)]
            for slew, row in zip(table.data_slew, table.delta, strict=True)
        ),
    ]


def table_of(rows: Sequence[Sequence[str]]) -> SlewTable:
    """A table of its rows.

    Raises
    ------
    InputError : a cell is no number, rows have different lengths, slews do not rise
    """
    if not 2 <= len(rows) <= _MOST or not 2 <= len(rows[0]) <= _MOST:
        raise InputError(
            f"a table of {len(rows)} rows and {len(rows[0]) if rows else 0} columns",
            remedy=f"Strobe slews in the first row, a data slew in each other one, at most "
            f"{_MOST - 1} of either.",
        )
    for k, row in enumerate(rows, 1):
        if len(row) != len(rows[0]):
            raise InputError(f"row {k} has {len(row)} cells, the first one {len(rows[0])}")
    strobe = tuple(_number(x, 1, k) * _SLEW for k, x in enumerate(rows[0][1:], 2))
    data = tuple(_number(row[0], k, 1) * _SLEW for k, row in enumerate(rows[1:], 2))
    for slews, what in ((strobe, "strobe"), (data, "data")):
        if any(b <= a for a, b in pairwise(slews)):
            raise InputError(f"slews of the {what} must rise from cell to cell")
    delta = tuple(
        tuple(_number(x, k, n) * _TIME for n, x in enumerate(row[1:], 2))
        for k, row in enumerate(rows[1:], 2)
    )
    return SlewTable(data_slew=data, strobe_slew=strobe, delta=delta)


def _number(typed: str, row: int, column: int) -> float:
    plain = typed.strip().replace("−", "-")
    try:
        value = float(plain)
    except ValueError:
        value = math.nan
    if not math.isfinite(value) or abs(value) > 1e5:
        raise InputError(
            f"row {row}, column {column}: {typed[:20]!r} is no number from -100000 to 100000",
            remedy="Slews are in V/ns, what they add in ps.",
        )
    return value


def table_pasted(text: str) -> SlewTable:
    """A table of lines of cells with tabs, commas or blanks between them.

    Raises
    ------
    InputError : it is none
    """
    lines = [line for line in text.splitlines() if line.strip()][: _MOST + 1]
    mark = next((m for m in ("\t", ";", ",") if lines and m in lines[-1]), None)
    rows = [[c.strip() for c in line.split(mark)] for line in lines]
    if rows and len(rows) > 1 and len(rows[0]) == len(rows[-1]) - 1:
        # Without a word in the corner.
        rows[0].insert(0, CORNER)
    return table_of(rows)
