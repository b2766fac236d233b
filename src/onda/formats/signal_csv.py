"""Signals over time as CSV: a column time_s, then one or more of values."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from onda.errors import InputError

__all__ = ["read_signals", "write_signals"]

FloatArray = NDArray[np.float64]
_MOST_BYTES = 1_000_000_000
_MOST_COLUMNS = 200
_REMEDY = "The first line says time_s,value; each other one holds a time in s and values."


def read_signals(data: bytes, name: str) -> tuple[FloatArray, FloatArray]:
    """Times (n,) s and values (n, k).

    Raises
    ------
    InputError : it is no such file, with its line
    """
    if len(data) > _MOST_BYTES:
        raise InputError("is too long", file=name)
    lines = data.decode("utf-8-sig", "replace").splitlines()
    rows: list[list[float]] = []
    width = 0
    for number, line in enumerate(lines, 1):
        plain = line.strip()
        if not plain or plain.startswith("#"):
            continue
        cells = [c.strip() for c in plain.split(",")]
        if not width:
            if cells[0].strip('"').lower() != "time_s" or not 2 <= len(cells) <= _MOST_COLUMNS:
                raise InputError(
                    f"its first line is {plain[:40]!r}", file=name, line=number, remedy=_REMEDY
                )
            width = len(cells)
            continue
        try:
            row = [float(c) for c in cells]
        except ValueError:
            raise InputError(
                f"{plain[:40]!r} holds what is no number", file=name, line=number, remedy=_REMEDY
            ) from None
        if len(row) != width:
            raise InputError(
                f"{len(row)} values, {width} are in its first line", file=name, line=number
            )
        if not all(map(math.isfinite, row)):
            raise InputError("a value that is not finite", file=name, line=number)
        if rows and row[0] <= rows[-1][0]:
            raise InputError("times do not rise", file=name, line=number)
        rows.append(row)
    if len(rows) < 2:
        raise InputError("holds fewer than two samples", file=name, remedy=_REMEDY)
    table = np.array(rows)
    return table[:, 0], table[:, 1:]


def write_signals(time: FloatArray, values: FloatArray, names: tuple[str, ...]) -> str:
    """Text of such a file; `values` (n, k)."""
    lines = [",".join(("time_s", *names))]
    lines += [",".join(f"{x:.9g}" for x in (t, *row)) for t, row in zip(time, values, strict=True)]
    return "\n".join(lines) + "\n"
